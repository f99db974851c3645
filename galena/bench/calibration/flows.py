"""All changes to calibrations: takes, the curve through them, putting one in force, files."""

import math

from django.db import IntegrityError, transaction
from django.utils import timezone

from galena.bench.models import Calibration, Channel, Take
from galena.core import calibration as curves
from galena.core import numbers, symbols, units
from galena.core.calibrating import calibrate
from galena.core.errors import CalibrationError
from galena.core.formats.calibration_file import CalibrationRecord, as_data, loads
from galena.core.statistics import describe
from galena.instruments.errors import LinkLost

MOST_TAKES = 40
LONGEST_TAKE = 120.0  # seconds


def in_the_making(channel: Channel, person) -> Calibration:
    """Give the calibration that a person is making of a channel; begun when first asked for."""
    record = channel.record
    measured = {"quantity": channel.name, "symbol": channel.symbol, "unit": channel.unit}
    if record is not None:
        unit = record.calibration.unit
        measured = {"quantity": record.quantity, "symbol": record.symbol, "unit": unit}
    try:
        with transaction.atomic():
            calibration, _ = Calibration.objects.get_or_create(
                channel=channel, made_by=person, made_at=None, defaults=measured
            )
    except IntegrityError:  # two windows opened the sheet at once
        calibration = Calibration.objects.get(channel=channel, made_by=person, made_at=None)
    return calibration


def describe_value(
    making: Calibration, *, quantity: str, symbol: str, unit: str, model: str
) -> None:
    """Say what the calibration gives and by which curve; UnitError where the unit is none."""
    making.unit = unit.strip()[:60]
    units.parse(making.unit)
    making.quantity = quantity.strip()[:100] or making.channel.name
    if symbol.strip() and not symbols.is_symbol(symbol.strip()):
        raise CalibrationError(
            f"“{symbol.strip()[:20]}” is no symbol: begin with a letter; digits and _ may follow."
        )
    making.symbol = symbol.strip() or making.channel.symbol
    if model in curves.DEGREES:
        making.model = model
    making.save(update_fields=["quantity", "symbol", "unit", "model"])


def parse_seconds(text: str) -> float:
    """Read how long a take lasts; NumberError or CalibrationError."""
    seconds = numbers.parse(text, "The time of a take", "5")
    if not 0.1 <= seconds <= LONGEST_TAKE:
        raise CalibrationError(f"A take lasts from 0.1 to {LONGEST_TAKE:.0f} s.")
    return seconds


def add_take(making: Calibration, known: str, u_known: float, raw, seconds: float) -> Take:
    """Keep the mean of raw readings as the reading of a standard, its known value as typed.

    Raises CalibrationError where the readings cannot stand for the standard.
    """
    channel = making.channel
    if making.takes.count() >= MOST_TAKES:
        raise CalibrationError(f"There are {MOST_TAKES} standards. Take one away first.")
    if not all(map(math.isfinite, raw)):
        raise CalibrationError(
            "Some readings of this take were no numbers, so it was not kept. Take it again."
        )
    edge = channel.resolution / 2
    if max(raw) >= channel.maximum - edge or min(raw) <= channel.minimum + edge:
        raise CalibrationError(
            f"The sensor was at its limit ({channel.minimum:g} to {channel.maximum:g} "
            f"{channel.unit}), so this take was not kept. Choose a standard within its range."
        )
    statistics = describe(raw)
    return making.takes.create(
        known=numbers.parse(known),
        known_text=known.replace("-", numbers.MINUS)[:40],
        u_known=u_known,
        mean=statistics.mean,
        sd=statistics.sd if math.isfinite(statistics.sd) else None,
        count=statistics.count,
        seconds=seconds,
    )


def curve_of(making: Calibration) -> curves.Calibration:
    """Find the curve through the takes; CalibrationError says why there is none."""
    standards = [take.standard for take in making.takes.all()]
    if making.model == "offset" and not _same_unit(making.unit, making.channel.unit):
        raise CalibrationError(
            f"An offset keeps the unit: the instrument gives {making.channel.unit or 'numbers'}, "
            "the standards are in another unit. Choose a line."
        )
    return calibrate(standards, making.model, making.unit)


def keep(making: Calibration) -> Calibration:
    """Date the calibration and put it in force; CalibrationError where there is no curve."""
    curve = curve_of(making)
    channel = making.channel
    with transaction.atomic():
        making.made_at = timezone.now()
        making.data = as_data(
            CalibrationRecord(
                curve,
                making.quantity,
                making.symbol,
                channel.unit,
                tuple(take.standard for take in making.takes.all()),
                f"{timezone.localtime(making.made_at):%Y-%m-%d %H:%M}",
                str(making.made_by),
                str(channel.instrument),
            )
        )
        making.save()
        put_in_force(channel, making)
    return making


def put_in_force(channel: Channel, chosen: Calibration | None) -> None:
    """Use a calibration from now on; None: the raw readings."""
    channel.calibration = chosen
    channel.save(update_fields=["calibration"])


def take_in(channel: Channel, text: str, person) -> Calibration:
    """Put the calibration of a file in force; CalibrationError where it does not fit."""
    record = loads(text)
    if record.raw_unit != channel.unit:
        raise CalibrationError(
            f"This file calibrates readings in {record.raw_unit or 'plain numbers'}; "
            f"{channel.name} gives {channel.unit or 'plain numbers'}. Choose another file."
        )
    with transaction.atomic():
        calibration = Calibration.objects.create(
            channel=channel,
            made_by=person,
            made_at=timezone.now(),
            model=record.calibration.model,
            quantity=record.quantity,
            symbol=record.symbol,
            unit=record.calibration.unit,
            data=as_data(record),
            origin=f"from a file of {record.made_at or 'no date'}, {record.made_by}".rstrip(", "),
        )
        put_in_force(channel, calibration)
    return calibration


def whole(averaging, channel: Channel) -> None:
    """Raise LinkLost where a take was broken off."""
    if averaging.broken:
        raise LinkLost(
            f"{averaging.broken} The take was not kept: plug {channel.instrument} in again, "
            "wait until it has settled, and take it again."
        )


def _same_unit(unit: str, other: str) -> bool:
    return units.parse(unit) == units.parse(other)
