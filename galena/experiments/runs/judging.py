"""The second look on a run: gathers what core.second_look_recording asks for, keeps its remarks."""

from collections.abc import Callable, Iterable, Iterator

import numpy as np

from galena.core import second_look, second_look_recording, symbols
from galena.core.errors import SeriesError
from galena.core.second_look import Remark
from galena.experiments.data.readings import Readings, of_series, raw_of
from galena.experiments.models import Run, Series

OfChannel = Callable[[Run, Readings], Iterable[Remark | None]]


def look(run: Run) -> list[Remark]:
    """Look at a run that has ended, or a stepwise one so far, and keep what is remarked on."""
    try:
        remarks = [remark for remark in run.kind.remarks(run) if remark is not None]
    except SeriesError:
        remarks = []  # what is damaged is said wherever the run is shown
    run.remarks = [[remark.said, remark.advice] for remark in dict.fromkeys(remarks)]
    run.save(update_fields=["remarks"])
    return remarks


def of_timed(run: Run, further: OfChannel) -> Iterator[Remark | None]:
    """Look at a run at a rate, channel by channel, and at what its instruments lost.

    further: what else is looked at in the readings of each channel.
    """
    measured = series_of(run)
    raw = raw_of(measured)
    for series, readings in zip(measured, of_series(measured), strict=True):
        if not len(readings):
            continue
        name = symbols.plain(series.quantity.symbol)
        rate = series.max_rate or run.rate or 1.0
        of_channel = (
            second_look_recording.too_few_across(readings.t, readings.y, rate),
            at_limit(series, raw[series.pk]),
            second_look_recording.identical(readings.t, raw[series.pk][: len(readings)]),
            *further(run, readings),
        )
        for remark in of_channel:
            if remark is not None:
                yield Remark(f"{name}: {remark.said}", remark.advice)
    for stream in run.streams.all():
        sizes = [raw[series.pk].size for series in measured if series.stream_id == stream.pk]
        yield second_look_recording.lines_lost(max(sizes, default=0), stream.lost, stream.garbled)
    yield never_zeroed(measured)


def series_of(run: Run) -> list[Series]:
    """Give what the instruments of a run measured."""
    measured = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return list(measured.select_related("quantity", "stream__run"))


def at_limit(series: Series, raw: np.ndarray) -> Remark | None:
    """Remark on raw readings at the end of what the channel can read."""
    if series.minimum is None or series.maximum is None or not series.resolution:
        return None
    return second_look_recording.at_limit(
        raw, series.minimum, series.maximum, series.resolution, series.unit
    )


def never_zeroed(measured: list[Series]) -> Remark | None:
    """Remark on force-like channels that were not zeroed before the run."""
    names = [
        series.quantity.name
        for series in measured
        if series.zero is None
        and second_look.needs_zero(series.unit)
        and series.calibration is None
    ]
    return second_look.never_zeroed(list(dict.fromkeys(names)))
