"""How a run is to be recorded, checked before it starts."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from galena.core import numbers
from galena.core.errors import NumberError, PlanError

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
    values = {}
    fields = {"rate": ("Readings a second", rate, "20"), "duration": ("Duration", duration, "60")}
    for field, (name, text, example) in fields.items():
        try:
            values[field] = numbers.parse(text, name, example)
        except NumberError as error:
            raise PlanError(field, str(error)) from error
    return SteadyPlan(values["rate"], values["duration"])


def _short(value: float) -> str:
    return f"{value:.6g}".replace("-", numbers.MINUS)
