"""How a run is to be recorded, checked before it starts."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass

from galena.core import numbers
from galena.core.errors import NumberError, PlanError

_TIMES = {"ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0, "d": 86_400.0}
_FREQUENCIES = {"Hz": 1.0, "kHz": 1000.0}
_TYPED = re.compile(
    r"(?P<number>[-+−]?[\d.,\s\u2009\u202f]*\d[.,]?(?:[eE][-+−]?\d+)?)\s*(?P<slash>/|per)?\s*(?P<unit>[^\W\d]*)"
)
SLOWEST = 1 / 3600  # one reading an hour
LONGEST = 7 * 86_400.0
MOST_READINGS = 50_000_000


@dataclass(frozen=True)
class Limit:
    """The highest rate, in readings a second, that a channel can give."""

    channel: str
    max_rate: float


@dataclass(frozen=True)
class SteadyPlan:
    """Readings at a steady rate, in readings a second, for a duration in seconds."""

    rate: float
    duration: float

    def __post_init__(self) -> None:
        if not self.rate >= SLOWEST:
            raise PlanError(
                "rate",
                f"{_short(self.rate)} readings a second is too slow. Take one an hour or more.",
            )
        if not 0 < self.duration <= LONGEST:
            raise PlanError(
                "duration",
                f"A run of {_short(self.duration)} s cannot be recorded. "
                "Choose a duration above zero and up to 7 days (604 800 s).",
            )
        if self.readings < 1:
            raise PlanError(
                "duration",
                f"In {_short(self.duration)} s no reading would be taken at {_short(self.rate)} a "
                f"second. Record for at least {_short(1 / self.rate)} s.",
            )
        if self.readings > MOST_READINGS:
            raise PlanError(
                "duration",
                f"{numbers.grouped(self.readings)} readings are more than one run can hold "
                f"({numbers.grouped(MOST_READINGS)}). Lower the rate or the duration.",
            )

    @property
    def readings(self) -> int:
        """The number of readings of each channel."""
        return math.floor(self.rate * self.duration + 0.5)

    def check(self, limits: Iterable[Limit]) -> None:
        """Raise PlanError where a channel cannot give readings at this rate."""
        for limit in limits:
            if self.rate > limit.max_rate:
                raise PlanError(
                    "rate",
                    f"{limit.channel} gives at most {_short(limit.max_rate)} readings a second; "
                    f"{_short(self.rate)} were asked for. Choose {_short(limit.max_rate)} or less, "
                    "or leave this channel out of the run.",
                )


def steady(rate: str, duration: str) -> SteadyPlan:
    """Make a steady plan of what was typed; PlanError names the field that is wrong."""
    return SteadyPlan(parse_rate(rate), parse_duration(duration))


def parse_rate(text: str) -> float:
    """Read a rate or an interval as typed, and give readings a second.

    `20`, `20/s`, `6/min` and `1 kHz` are rates; `0.5 s`, `every 2 min` and `1 h` are intervals.
    Raises PlanError.
    """
    number, slash, unit = _parts("rate", text.strip().removeprefix("every"), "Readings a second")
    if unit in _FREQUENCIES and not slash:
        return number * _FREQUENCIES[unit]
    if not unit and not slash:
        return number
    if unit not in _TIMES:
        raise PlanError(
            "rate",
            f"“{unit[:20]}” is neither a time nor a frequency. "
            "Write for example 20, 6/min, 1 kHz, or an interval: 2 min.",
        )
    if slash:
        return number / _TIMES[unit]
    if not number > 0:
        raise PlanError("rate", "An interval is longer than nothing. Write for example 2 min.")
    return 1 / (number * _TIMES[unit])


def parse_duration(text: str) -> float:
    """Read a duration as typed, and give seconds: `60`, `60 s`, `5 min`, `1.5 h`.

    Raises PlanError.
    """
    number, slash, unit = _parts("duration", text, "Duration")
    if slash or (unit and unit not in _TIMES):
        raise PlanError(
            "duration", f"“{text.strip()[:20]}” is no duration. Write for example 60 s or 5 min."
        )
    return number * _TIMES[unit or "s"]


def rate_in_words(rate: float) -> str:
    """Say how often a reading comes: `20 readings a second`, `a reading every 2 min`."""
    if rate < 1:
        return f"a reading every {duration_in_words(1 / rate)}"
    return f"{rate:.6g} readings a second" if rate != 1 else "one reading a second"


def duration_in_words(seconds: float) -> str:
    """Say a time in the unit in which it is short: `60 s`, `5 min`, `1.5 h`."""
    for unit in ("h", "min"):
        count = seconds / _TIMES[unit]
        if count >= 1.5 and abs(count * 2 - round(count * 2)) < 1e-9 * count:
            return f"{_short(count)} {unit}"
    return f"{_short(seconds)} s"


def _parts(field: str, text: str, name: str) -> tuple[float, bool, str]:
    """Split what was typed into a number, whether a slash follows, and letters after that."""
    found = _TYPED.fullmatch(text.strip())
    number = found["number"] if found else text
    try:
        value = numbers.parse(number, name, "20" if field == "rate" else "60")
    except NumberError as error:
        raise PlanError(field, str(error)) from error
    return (value, bool(found["slash"]), found["unit"]) if found else (value, False, "")


def _short(value: float) -> str:
    return f"{value:.6g}".replace("-", numbers.MINUS)
