"""The slope of readings at a place, by a line or parabola through those about it."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError, TooFewReadings
from galena.core.fits import linear

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Tangent:
    """The straight line that touches readings at x: its height y and slope there.

    lo, hi: the stretch of x that it was taken from; residual_sd: how far the readings scatter
    about the polynomial.
    """

    x: float
    y: float
    slope: float
    u_y: float
    u_slope: float
    count: int
    order: int
    lo: float
    hi: float
    residual_sd: float

    def at(self, x: ArrayLike) -> Floats:
        """Give its height elsewhere."""
        return self.y + self.slope * (np.asarray(x, dtype=np.float64) - self.x)


def tangent(x: ArrayLike, y: ArrayLike, at: float, count: int = 7, order: int = 1) -> Tangent:
    """Take the tangent at a place from the `count` readings nearest to it.

    x, y: shape (n,), x ascending; order: 1 for a line, 2 for a parabola. Its standard
    uncertainties follow from the scatter about the polynomial. Raises TooFewReadings; FitError
    where all x are equal.
    Source: Savitzky and Golay, Analytical Chemistry 36 (1964) 1627, for uneven steps by least
    squares; JCGM 100:2008 (GUM), H.3.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(values)
    places, values = places[good], values[good]
    if not order + 2 <= count:
        raise FitError(f"Take at least {order + 2} readings for such a slope.")
    if places.size < order + 2:
        raise TooFewReadings("A slope", order + 2, int(places.size))
    first = _window(places, at, min(count, places.size))
    z, near = places[first] - at, values[first]
    scale = float(np.max(np.abs(z))) or 1.0
    design = (z[:, None] / scale) ** np.arange(order + 1)
    solution = linear.solve(design, near)
    off = near - design @ solution.parameters
    sd = math.sqrt(float(off @ off) / (near.size - order - 1))
    u = np.sqrt(np.diag(solution.unscaled_covariance)) * sd
    height, slope = map(float, solution.parameters[:2])
    lo, hi = float(places[first][0]), float(places[first][-1])
    return Tangent(
        at, height, slope / scale, float(u[0]), float(u[1]) / scale, near.size, order, lo, hi, sd
    )


def _window(x: Floats, at: float, count: int) -> slice:
    """Give the stretch of so many readings whose ends lie nearest to a place."""
    middle = int(np.searchsorted(x, at))
    lo, hi = middle, middle
    while hi - lo < count:
        left = at - x[lo - 1] if lo > 0 else math.inf
        right = x[hi] - at if hi < x.size else math.inf
        if left <= right:
            lo -= 1
        else:
            hi += 1
    return slice(lo, hi)
