"""Which calibration a finished run uses, and giving it another: raw readings stay as they are."""

from dataclasses import dataclass

from django.db import transaction

from galena.bench.channel_display.display import decimals_for, source_of
from galena.bench.models import Calibration, Channel
from galena.core.errors import CalibrationError
from galena.core.formats.calibration_file import CalibrationRecord
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Quantity, Run, Series


@dataclass(frozen=True)
class Corrected:
    """A series of a run, what is done to its raw readings, and what could be instead."""

    series: Series
    corrections: list[str]
    choices: list[Calibration]

    @property
    def in_use(self) -> Calibration | None:
        """The one of the choices that the run uses."""
        same = (one for one in self.choices if one.data == self.series.calibration)
        return next(same, None)


def corrections_of(runs: list[Run]) -> dict[int, list[Corrected]]:
    """Give by run what is done to its readings; `streams__series__quantity` must be prefetched."""
    series = [
        kept_one
        for run in runs
        for stream in run.streams.all()
        if stream.serial  # what came from a file no channel gave
        for kept_one in stream.series.all()
        if kept_one.quantity is not None
    ]
    serials = {kept_one.quantity.source.split("|")[2] for kept_one in series}
    kept = Calibration.objects.kept().filter(channel__instrument__serial__in=serials)
    choices: dict[str, list[Calibration]] = {}
    for kept_one in kept.select_related("channel__instrument", "made_by"):
        choices.setdefault(kept_one.channel.source, []).append(kept_one)
    by_run: dict[int, list[Corrected]] = {run.pk: [] for run in runs}
    by_stream = {stream.pk: run.pk for run in runs for stream in run.streams.all()}
    for kept_one in series:
        possible = choices.get(_channel_source(kept_one.quantity), [])
        corrected = Corrected(kept_one, kept_one.corrections_said, possible)
        if corrected.corrections or possible:
            by_run[by_stream[kept_one.stream_id]].append(corrected)
    return by_run


def recalibrate(experiment: Experiment, series: Series, chosen: Calibration | None) -> None:
    """Have a run's readings go by another calibration, or by none.

    A calibration that gives something of another kind (a pH instead of a voltage) makes them
    readings of that quantity. Raises CalibrationError where it belongs to another channel.
    """
    if series.stream.run.is_growing:
        raise CalibrationError("This run is being recorded. Stop it, then choose.")
    if not series.stream.serial:
        raise CalibrationError(
            "These readings came from a file: no channel of the Bench gave them."
        )
    source = _channel_source(series.quantity)
    if chosen is not None and chosen.channel.source != source:
        raise CalibrationError("This calibration is of another channel. Choose one of its own.")
    with transaction.atomic():
        record = chosen.record if chosen else None
        series.quantity = _quantity(experiment, source, series, record)
        series.calibration = chosen.data if chosen else None
        series.save(update_fields=["quantity", "calibration"])
        touch(experiment)


def _quantity(
    experiment: Experiment, source: str, series: Series, record: CalibrationRecord | None
) -> Quantity:
    if source.count("|") != 3:
        raise CalibrationError(
            "These readings came from a file: no channel of the Bench gave them."
        )
    maker, model, serial, ident = source.split("|")
    channel = Channel.objects.select_related("instrument").get(
        instrument__maker=maker, instrument__model=model, instrument__serial=serial, ident=ident
    )
    described = (channel.name, channel.symbol, channel.unit, channel.decimals)
    if record is not None and source_of(channel, record) != source:
        curve = record.calibration
        step = channel.resolution * abs(curve.slope_in_the_middle)
        decimals = decimals_for(step, channel.decimals)
        described = (record.quantity, record.symbol, curve.unit, decimals)
    quantity, _ = Quantity.objects.get_or_create(
        experiment=experiment,
        source=source_of(channel, record),
        defaults=dict(zip(("name", "symbol", "unit", "decimals"), described, strict=True)),
    )
    return quantity


def _channel_source(quantity: Quantity) -> str:
    return "|".join(quantity.source.split("|")[:4])
