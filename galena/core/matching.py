"""Which of several readings agree to within a tolerance, and by how much the others are off."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class Match:
    """`level` is the middle of all readings; `off` is each one's distance from it, signed.

    A reading that is not a number is off by what is not a number, and not matched.
    """

    level: float
    tolerance: float
    off: tuple[float, ...]

    @property
    def matched(self) -> tuple[bool, ...]:
        """Tell of each reading whether it lies within the tolerance of the middle."""
        return tuple(abs(one) <= self.tolerance for one in self.off)


def match(readings: Sequence[float], tolerance: float) -> Match | None:
    """Compare readings, all in one unit, with their median: one that is far off does not pull it.

    None where fewer than two are numbers.
    """
    values = np.asarray(readings, dtype=np.float64)
    finite = values[np.isfinite(values)]
    if finite.size < 2:
        return None
    level = float(np.median(finite))
    return Match(level, tolerance, tuple((values - level).tolist()))


def in_words(off: float, tolerance: float, text: str) -> str:
    """Say how a reading stands: `matched`, or `39.5 low` with the distance as given."""
    if not math.isfinite(off):
        return "no reading"
    if abs(off) <= tolerance:
        return "matched"
    return f"{text} {'high' if off > 0 else 'low'}"
