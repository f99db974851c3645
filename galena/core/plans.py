"""How a run is to be recorded, checked before it starts."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Protocol

from galena.core import numbers
from galena.core.errors import NumberError, PlanError
from galena.core.trigger import Level

_TIMES = {"ms": 1e-3, "s": 1.0, "min": 60.0, "h": 3600.0, "d": 86_400.0}
_FREQUENCIES = {"Hz": 1.0, "kHz": 1000.0}
_TYPED = re.compile(
    r"(?P<number>[-+−]?[\d.,\s\u2009\u202f]*\d[.,]?(?:[eE][-+−]?\d+)?)\s*(?P<slash>/|per)?\s*(?P<unit>[^\W\d]*)"
)
_EXAMPLES = {"rate": "20", "duration": "60", "before": "0.010", "average": "1"}
SLOWEST = 1 / 3600  # one reading an hour
FASTEST = 1e7  # readings a second: beyond all instruments, and all disks
LONGEST = 7 * 86_400.0
MOST_READINGS = 50_000_000
LONGEST_BEFORE = 600.0
LONGEST_AVERAGE = 60.0


@dataclass(frozen=True)
class Limit:
    """The highest rate, in readings a second, that a channel can give."""

    channel: str
    max_rate: float


class Timed(Protocol):
    """A plan of readings at a steady rate, in readings a second."""

    @property
    def rate(self) -> float: ...


@dataclass(frozen=True)
class SteadyPlan:
    """Readings at a steady rate, in readings a second, for a duration in seconds.

    Without a duration it goes on until it is stopped.
    """

    rate: float
    duration: float | None

    def __post_init__(self) -> None:
        _refuse_rate(self.rate)
        if self.duration is not None:
            _refuse_duration(self.duration)
            _refuse_size(self.rate, self.duration)

    @property
    def readings(self) -> int:
        """The number of readings of each channel, or as many as a run can hold."""
        return MOST_READINGS if self.duration is None else _count(self.rate, self.duration)


@dataclass(frozen=True)
class ArmedPlan:
    """Readings at a steady rate about an event, from `before` it on and for `duration` after it.

    The event is a channel's passing of a level, or a key press where there is no level. With
    `again` the next run is waited for as soon as one has ended. Times in seconds.
    """

    rate: float
    duration: float
    before: float = 0.0
    level: Level | None = None
    again: bool = False

    def __post_init__(self) -> None:
        _refuse_rate(self.rate)
        _refuse_duration(self.duration)
        if not 0 <= self.before <= LONGEST_BEFORE:
            raise PlanError(
                "before",
                f"{short(self.before)} s from before the event cannot be kept. "
                f"Choose from 0 to {short(LONGEST_BEFORE)} s.",
            )
        _refuse_size(self.rate, self.before + self.duration)

    @property
    def readings(self) -> int:
        """The number of readings of each channel, those from before with them."""
        return _count(self.rate, self.before + self.duration)

    def check_level(self, channel: str, lo: float, hi: float, unit: str) -> None:
        """Raise PlanError where the level lies outside what a channel can read."""
        if self.level is not None and not lo < self.level.value < hi:
            unit = f" {unit}" if unit else ""
            raise PlanError(
                "level",
                f"{channel} reads from {short(lo)} to {short(hi)}{unit} and would never pass "
                f"{short(self.level.value)}{unit}. Choose a level in between.",
            )


@dataclass(frozen=True)
class StepwisePlan:
    """A reading when the person says so: the mean of so many seconds."""

    average: float

    def __post_init__(self) -> None:
        if not 0 < self.average <= LONGEST_AVERAGE:
            raise PlanError(
                "average",
                f"A mean of {short(self.average)} s cannot be taken. "
                f"Choose a time above zero and up to {short(LONGEST_AVERAGE)} s.",
            )


def check(plan: Timed, limits: Iterable[Limit]) -> None:
    """Raise PlanError where a channel cannot give readings at the rate of a plan."""
    for limit in limits:
        if plan.rate > limit.max_rate:
            raise PlanError(
                "rate",
                f"{limit.channel} gives at most {short(limit.max_rate)} readings a second; "
                f"{short(plan.rate)} were asked for. Choose {short(limit.max_rate)} or less, "
                "or leave this channel out of the run.",
            )


def _count(rate: float, seconds: float) -> int:
    return math.floor(rate * seconds + 0.5)


def _refuse_rate(rate: float) -> None:
    if not rate <= FASTEST:
        raise PlanError("rate", f"At most {short(FASTEST)} readings a second can be recorded.")
    if not rate >= SLOWEST:
        raise PlanError(
            "rate", f"{short(rate)} readings a second is too slow. Take one an hour or more."
        )


def _refuse_duration(duration: float) -> None:
    if not 0 < duration <= LONGEST:
        raise PlanError(
            "duration",
            f"A run of {short(duration)} s cannot be recorded. "
            "Choose a duration above zero and up to 7 days (604 800 s).",
        )


def _refuse_size(rate: float, seconds: float) -> None:
    count = _count(rate, seconds)
    if count < 1:
        raise PlanError(
            "duration",
            f"In {short(seconds)} s no reading would be taken at {short(rate)} a "
            f"second. Record for at least {short(1 / rate)} s.",
        )
    if count > MOST_READINGS:
        raise PlanError(
            "duration",
            f"{numbers.grouped(count)} readings are more than one run can hold "
            f"({numbers.grouped(MOST_READINGS)}). Lower the rate or the duration.",
        )


def steady(rate: str, duration: str | None) -> SteadyPlan:
    """Make a steady plan of what was typed; PlanError names the field that is wrong.

    Without a duration it goes on until it is stopped.
    """
    return SteadyPlan(parse_rate(rate), None if duration is None else parse_duration(duration))


def parse_before(text: str, rate: float) -> float:
    """Read how much is kept from before an event, in seconds: `10 ms`, `0.01`, `100 readings`.

    Raises PlanError.
    """
    plain = text.strip()
    for word in ("readings", "reading"):
        if plain.endswith(word):
            number, _, _ = _parts("before", plain.removesuffix(word), "From before")
            if not rate > 0:
                raise PlanError("rate", "Type how many readings a second, for example 20.")
            return number / rate
    number, slash, unit = _parts("before", plain or "0", "From before")
    if slash or (unit and unit not in _TIMES):
        raise PlanError(
            "before", f"“{plain[:20]}” is no time. Write for example 10 ms or 100 readings."
        )
    return number * _TIMES[unit or "s"]


def parse_average(text: str) -> float:
    """Read over how long a mean is taken, in seconds: `1`, `0.5 s`, `200 ms`.

    Raises PlanError.
    """
    number, slash, unit = _parts("average", text, "The mean")
    if slash or (unit and unit not in _TIMES):
        raise PlanError(
            "average", f"“{text.strip()[:20]}” is no time. Write for example 1 s or 200 ms."
        )
    return number * _TIMES[unit or "s"]


def parse_level(text: str) -> float:
    """Read a level. Raises PlanError."""
    try:
        return numbers.parse(text, "The level", "0.10")
    except NumberError as error:
        raise PlanError("level", str(error)) from error


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
    if rate == 1:
        return "one reading a second"
    return f"{rate_as_typed(rate)} readings a second"


def rate_as_typed(rate: float) -> str:
    """Give a rate of one a second or more as a person would type it: `20`, `10 000`, `2.5`."""
    return numbers.grouped(round(rate)) if rate == round(rate) else f"{rate:.6g}"


def duration_in_words(seconds: float) -> str:
    """Say a time in the unit in which it is short: `60 s`, `5 min`, `1.5 h`."""
    for unit in ("h", "min"):
        count = seconds / _TIMES[unit]
        if count >= 1.5 and abs(count * 2 - round(count * 2)) < 1e-9 * count:
            return f"{short(count)} {unit}"
    return f"{short(seconds)} s"


def _parts(field: str, text: str, name: str) -> tuple[float, bool, str]:
    """Split what was typed into a number, whether a slash follows, and letters after that."""
    match = _TYPED.fullmatch(text.strip())
    number = match["number"] if match else text
    try:
        value = numbers.parse(number, name, _EXAMPLES[field])
    except NumberError as error:
        raise PlanError(field, str(error)) from error
    return (value, bool(match["slash"]), match["unit"]) if match else (value, False, "")


def short(value: float) -> str:
    return f"{value:.6g}".replace("-", numbers.MINUS)


def level_text(level: float, decimals: int | None) -> str:
    """Write a level with the decimals of its channel, or with more where it has more."""
    if decimals is not None and round(level, decimals) == level:
        return numbers.fixed(level, decimals)
    return short(level)
