"""The area under readings between two places, with its uncertainty."""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings

Floats = NDArray[np.float64]
Baseline = float | Literal["ends"]


class Area(NamedTuple):
    """An area, its standard uncertainty from the single readings, and what all share.

    In the unit of y times that of x. `u_shared` is signed: of two areas that share an error of
    opposite sign it adds up in the difference. lo, hi: from where to where it reaches.
    """

    value: float
    u: float
    u_shared: float
    lo: float
    hi: float


def area_between(
    x: ArrayLike,
    y: ArrayLike,
    lo: float,
    hi: float,
    u_y: ArrayLike = 0.0,
    shared: ArrayLike = 0.0,
    *,
    baseline: Baseline = 0.0,
    readings_only: bool = False,
) -> Area:
    """Give the area between readings and a baseline from lo to hi, by trapezoids.

    x, y: shape (n,), x ascending. u_y: standard uncertainties of the readings by themselves;
    shared: that of one error that moves all of them, signed; both shape (n,) or a number.
    baseline: a height, or "ends" for the straight line between both ends of the area. An end
    between two readings is interpolated; with readings_only the area goes from the first
    reading inside to the last. An end outside the readings is where these end.
    Raises TooFewReadings for fewer than two readings.

    A = Σ w_i y_i,  u² = Σ (w_i u_i)²,  u_shared = Σ w_i s_i
    Source: JCGM 100:2008 (GUM), 5.1.2 and 5.2.2, for a weighted sum.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    u, together = (np.broadcast_to(np.asarray(one, float), values.shape) for one in (u_y, shared))
    good = np.isfinite(places) & np.isfinite(values)
    places, values, u, together = places[good], values[good], u[good], together[good]
    weights, lo, hi = weights_between(
        places, lo, hi, baseline=baseline, readings_only=readings_only
    )
    less = 0.0 if baseline == "ends" else float(baseline) * (hi - lo)
    value = math.fsum(weights * values) if values.size <= 10_000 else float(weights @ values)
    return Area(
        value - less,
        math.sqrt(float(np.sum(_weighted(weights, u) ** 2))),
        float(np.sum(_weighted(weights, together))),
        lo,
        hi,
    )


def weights_between(
    x: Floats, lo: float, hi: float, *, baseline: Baseline = 0.0, readings_only: bool = False
) -> tuple[Floats, float, float]:
    """Give the weight of each reading in an area, and from where to where it reaches.

    x: shape (n,), ascending, without gaps. Raises TooFewReadings.
    """
    inside = (x >= lo) & (x <= hi)
    count = int(np.count_nonzero(inside))
    if x.size < 2 or (readings_only and count < 2):
        raise TooFewReadings("An area", 2, count)
    if readings_only:
        lo, hi = float(x[inside][0]), float(x[inside][-1])
    lo, hi = max(lo, float(x[0])), min(hi, float(x[-1]))
    if not hi > lo:
        raise TooFewReadings("An area", 2, count)
    weights = _weights(x, lo, hi)
    if baseline == "ends":
        weights = weights - (_at(x, lo) + _at(x, hi)) * ((hi - lo) / 2)
    return weights, lo, hi


def _weighted(weights: Floats, values: Floats) -> Floats:
    """Multiply; what has no weight does not count, even where it is not known."""
    return np.where(weights == 0, 0.0, weights * values)


def _at(x: Floats, place: float) -> Floats:
    """Give the weights of readings in the height between two of them at a place."""
    weights = np.zeros_like(x)
    j = min(max(int(np.searchsorted(x, place)), 1), x.size - 1)
    i = j - 1
    f = (place - x[i]) / (x[j] - x[i]) if x[j] > x[i] else 0.0
    weights[i], weights[j] = 1 - f, f
    return weights


def _weights(x: Floats, lo: float, hi: float) -> Floats:
    """Give the weights of readings in the area from lo to hi."""
    first, last = int(np.searchsorted(x, lo)), int(np.searchsorted(x, hi, side="right")) - 1
    if last < first:  # both ends lie between the same two readings
        return (_at(x, lo) + _at(x, hi)) * ((hi - lo) / 2)
    weights = np.zeros_like(x)
    steps = np.diff(x[first : last + 1]) / 2
    weights[first:last] += steps
    weights[first + 1 : last + 1] += steps
    for place, end in ((lo, first), (hi, last)):
        width = abs(float(x[end]) - place)
        if width > 0:
            weights += _at(x, place) * (width / 2)
            weights[end] += width / 2
    return weights
