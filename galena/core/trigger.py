"""The event that an armed run starts with: a reading that goes past a level."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Direction = Literal["rising", "falling"]


@dataclass(frozen=True)
class Level:
    """A level, in the unit of the readings, that is to be passed upward or downward."""

    value: float
    direction: Direction = "rising"

    def __post_init__(self) -> None:
        if not math.isfinite(self.value):
            raise ValueError(f"A level must be a finite number, not {self.value}.")

    def is_past(self, reading: float) -> bool:
        """Tell whether a reading lies at the level or beyond it."""
        return reading >= self.value if self.direction == "rising" else reading <= self.value

    def distance(self, reading: float) -> float:
        """Tell how far a reading still has to go to the level; negative beyond it."""
        way = self.value - reading
        return way if self.direction == "rising" else -way


@dataclass(frozen=True)
class Crossing:
    """Where the level was passed: the time, and the number of the first reading at or beyond it."""

    stamp: float
    index: int


class CrossingFinder:
    """Looks for a level being passed in readings that come in pieces of any size.

    A crossing lies between two neighbours of which the first is not yet at the level and the
    second is; its time is interpolated between theirs on a straight line. Readings that are no
    number are passed over. Readings that are beyond the level from the start are no crossing.

    Between two passings the readings must have come `clear` of the level, by so much at least:
    their noise about a level is then no event.
    """

    def __init__(self, level: Level, clear: float = 0.0) -> None:
        self.level, self.clear = level, clear
        self.seen = 0
        self._last: tuple[float, float] | None = None
        self._away = 0.0  # the farthest from the level since it was passed last

    @property
    def is_beyond(self) -> bool:
        """Tell whether the latest reading is past the level, so that it must first come back."""
        return self._last is not None and self.level.is_past(self._last[1])

    @property
    def is_clear(self) -> bool:
        """Tell whether the readings have come clear of the level, so that passing it counts."""
        return self._away >= self.clear

    def forget(self) -> None:
        """Begin anew, as after a gap: what came before is no neighbour of what comes next."""
        self._last, self._away = None, 0.0

    def feed(self, stamps: NDArray[np.generic], values: NDArray[np.float64]) -> Crossing | None:
        """Take the next readings and give the first crossing in them, if there is one.

        stamps, values: shape (n,), ascending in time. Of several crossings in one piece the
        first is given; the others are passed over, but what the readings did after it counts for
        the next piece.
        """
        before, self.seen = self.seen, self.seen + int(values.size)
        places = np.flatnonzero(np.isfinite(values))
        if not places.size:
            return None
        t, y = stamps[places].astype(np.float64), values[places]
        if self._last is not None:
            t, y = np.append(self._last[0], t), np.append(self._last[1], y)
            places = np.append(-1, places)
        self._last = (float(t[-1]), float(y[-1]))
        level = self.level.value
        away = level - y if self.level.direction == "rising" else y - level
        past = away <= 0
        starts = np.flatnonzero(past[1:] & ~past[:-1]) + 1  # where it is passed
        begin, first = 0, None
        for i in starts.tolist():
            farthest = max(self._away, float(away[begin:i].max()))
            self._away, begin = 0.0, i
            if first is None and farthest >= self.clear:
                share = (level - y[i - 1]) / (y[i] - y[i - 1])
                stamp = float(t[i - 1] + share * (t[i] - t[i - 1]))
                first = Crossing(stamp, before + int(places[i]))
        self._away = max(self._away, float(away[begin:].max()), 0.0)
        return first
