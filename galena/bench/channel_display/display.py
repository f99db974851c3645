"""How an experiment shows the channels: names, units, decimals, and what is done to readings."""

from dataclasses import dataclass

import numpy as np
from django.db.models import Prefetch

from galena.bench.models import Channel, Zero
from galena.core import numbers, units
from galena.core.calibration import Correction
from galena.core.errors import UnitError
from galena.core.formats.calibration_file import CalibrationRecord
from galena.experiments.models import Experiment, Quantity, into_unit


@dataclass(frozen=True)
class Shown:
    """A channel as an experiment shows it; `lo` and `hi` are its limits, in the unit shown."""

    channel: Channel
    name: str
    symbol: str
    unit: str
    decimals: int
    used: bool
    correction: Correction
    lo: float
    hi: float
    resolution: float

    @property
    def source(self) -> str:
        return source_of(self.channel, self.channel.record)

    @property
    def given_unit(self) -> str:
        """The unit that the calibration, or else the instrument, gives."""
        used = self.correction.calibration
        return used.unit if used else self.channel.unit

    @property
    def zero_text(self) -> str:
        """The value that is taken away, in the unit given; one decimal more: it is a mean."""
        return numbers.fixed(self.correction.zero_value, self.channel.decimals + 1)

    @property
    def unit_choices(self) -> list[str]:
        """The units in which it may be shown."""
        try:
            return [str(one) for one in units.related(units.parse(self.given_unit))]
        except UnitError:
            return [self.unit]


def source_of(channel: Channel, record: CalibrationRecord | None) -> str:
    """Name what a quantity is tied to: a channel, and what it measures if a calibration says
    something of another kind (a pH instead of a voltage)."""
    if record is None or _same_kind(channel.unit, record.calibration.unit):
        return channel.source
    return f"{channel.source}|{record.symbol}"


def channels(experiment: Experiment, wanted: list[int]) -> dict[int, Shown]:
    """Give how an experiment shows channels, by key; two queries."""
    kept = Channel.objects.filter(pk__in=wanted).select_related("instrument", "calibration")
    zeros = Prefetch("zeros", Zero.objects.select_related("set_by"))
    listed = list(kept.prefetch_related(zeros))
    quantities = {one.source: one for one in experiment.every_quantity}
    return {one.pk: _shown(one, quantities.get(source_of(one, one.record))) for one in listed}


def quantity_for(experiment: Experiment, shown: Shown) -> Quantity:
    """Give the experiment's quantity for a channel; made when it is first needed."""
    quantity, _ = Quantity.objects.get_or_create(
        experiment=experiment,
        source=shown.source,
        defaults={
            "name": shown.name,
            "symbol": shown.symbol,
            "unit": shown.unit,
            "decimals": shown.decimals,
        },
    )
    return quantity


def _shown(channel: Channel, quantity: Quantity | None) -> Shown:
    record = channel.record
    curve = record.calibration if record else None
    given = curve.unit if curve else channel.unit
    changed = record is not None and not _same_kind(channel.unit, given)
    slope = abs(curve.slope_in_the_middle) if curve else 1.0
    if quantity is not None and _same_kind(given, quantity.unit):
        name, symbol, unit = quantity.name, quantity.symbol, quantity.unit
    elif changed:
        name, symbol, unit = record.quantity, record.symbol, given
    else:
        name, symbol, unit = channel.name, channel.symbol, given
    factor, shift = into_unit(given, unit)
    if channel.zero_value is not None:
        shift = 0.0  # a difference has no origin
    correction = Correction(channel.zero_value, curve, channel.sign, factor, shift, channel.u_zero)
    lo, hi = sorted(correction.apply(np.array([channel.minimum, channel.maximum])).tolist())
    resolution = channel.resolution * slope * abs(factor)
    decimals = quantity.decimals if quantity else decimals_for(resolution, channel.decimals)
    used = quantity.used if quantity else True
    return Shown(channel, name, symbol, unit, decimals, used, correction, lo, hi, resolution)


def decimals_for(resolution: float, otherwise: int) -> int:
    """Give the decimals that tell steps of a resolution apart."""
    if not resolution > 0:
        return otherwise
    return min(9, numbers.decimals_of(float(f"{resolution:.1g}")))


def _same_kind(unit: str, other: str) -> bool:
    if unit == other:
        return True
    try:
        return units.parse(unit).is_compatible(units.parse(other))
    except UnitError:
        return False
