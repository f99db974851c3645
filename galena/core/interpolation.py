"""A value read between two readings, on the straight line that joins them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings


@dataclass(frozen=True)
class Between:
    """A value, its own standard uncertainty, and the signed error that all readings share."""

    y: float
    u: float
    shared: float


def read_between(
    x: ArrayLike, y: ArrayLike, at: float, u: ArrayLike | None = None,
    shared: ArrayLike | None = None,
) -> Between:  # fmt: skip
    """Read at a place on the straight line between the readings on both sides of it.

    x, y: shape (n,), x ascending; u: the standard uncertainty of each reading by itself; shared:
    the error that all have together. What is no number is left out. Raises TooFewReadings where
    the place is not between two readings.

        y = (1 - f) y_i + f y_j,  u² = ((1 - f) u_i)² + (f u_j)²,  f = (x - x_i)/(x_j - x_i)

    Source: JCGM 100:2008 (GUM), 5.1.2.
    """
    values = np.asarray(y, dtype=np.float64)
    good = np.isfinite(values)
    places, values = np.asarray(x, dtype=np.float64)[good], values[good]
    if not places.size or not places[0] <= at <= places[-1]:
        raise TooFewReadings("A value between readings", 2, 0)
    j = min(max(int(np.searchsorted(places, at)), 1), places.size - 1) if places.size > 1 else 0
    i = max(j - 1, 0)
    width = places[j] - places[i]
    f = float((at - places[i]) / width) if width > 0 else 0.0

    def weighted(of_each: ArrayLike | None) -> tuple[float, float]:
        if of_each is None:
            return 0.0, 0.0
        parts: NDArray[np.float64] = np.nan_to_num(np.asarray(of_each, dtype=np.float64)[good])
        return float((1 - f) * parts[i]), float(f * parts[j])

    value = float((1 - f) * values[i] + f * values[j])
    return Between(value, math.hypot(*weighted(u)), sum(weighted(shared)))
