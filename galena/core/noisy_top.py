"""The highest place of noisy readings: a curve through as many as lie near enough to it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
DEEP = 8.0  # so many uncertainties below the top readings still tell where it is
SKEW_FROM = 9  # readings: a third power then lets both sides fall differently
ROUNDS = 4  # in which the readings are chosen about the vertex that was found
LEAST = 5  # readings; fewer are no better than the three about the highest one


class Vertex(NamedTuple):
    """A highest place with its standard uncertainties, and of how many readings."""

    x: float
    y: float
    u_x: float
    u_y: float
    fitted: int


def noisy_top(x: Floats, y: Floats, u: Floats, highest: int) -> Vertex | None:
    """Give the top about a reading, the highest, by least squares.

    x, y, u: ascending places, readings and their standard uncertainties, shape (n,). Taken are
    readings in a row no deeper than `DEEP` uncertainties under the top. None where fewer than
    `LEAST` are, as where the top is sharp, or where they show no top: three readings tell then.
    The curve is a parabola, from `SKEW_FROM` readings on with a third power beside it.
    Source: JCGM 100:2008 (GUM), 5.1.2, of the zero of a fitted curve's slope.
    """
    deep = DEEP * float(np.median(u))
    if not deep > 0:
        return None
    part = _row(y >= y[highest] - deep, highest)
    top: Vertex | None = None
    for _ in range(ROUNDS):
        if part.stop - part.start < LEAST:
            return None
        fitted = _fitted(x[part], y[part], u[part])
        if fitted is None or not x[part.start] < fitted[0].x < x[part.stop - 1]:
            return None
        vertex, bend = fitted
        reach = np.sqrt(deep / bend)
        middle = int(np.argmin(np.abs(x - vertex.x)))
        again = _row(np.abs(x - vertex.x) <= reach, middle)
        top = vertex
        if again == part:
            break
        part = again
    return top


def _row(inside: NDArray[np.bool_], at: int) -> slice:
    """Give the row of neighbours about a place for which something holds."""
    outside = np.flatnonzero(~inside)
    place = int(np.searchsorted(outside, at))
    first = int(outside[place - 1]) + 1 if place > 0 else 0
    last = int(outside[place]) if place < outside.size else inside.size
    return slice(first, max(last, first))


def _fitted(x: Floats, y: Floats, u: Floats) -> tuple[Vertex, float] | None:
    """Give the top and how fast the curve falls from it; None where it has none."""
    origin, size = float(x.mean()), float(np.ptp(x)) / 2
    if not size > 0:
        return None
    place = (x - origin) / size
    weights = 1 / np.where(u > 0, u, float(np.median(u)))
    powers = np.arange(4 if x.size >= SKEW_FROM else 3)
    system = place[:, None] ** powers * weights[:, None]
    inverse = np.linalg.pinv(system.T @ system)
    terms = inverse @ (system.T @ (y * weights))
    at = _top_of(*terms[1:])
    if at is None:
        return None
    squares = float(np.sum((system @ terms - y * weights) ** 2))
    wider = max(1.0, squares / max(1, x.size - powers.size))  # what scatters more is known less
    bend = 2 * terms[2] + 6 * (terms[3] if powers.size > 3 else 0.0) * at
    of_y = at**powers
    of_x = -powers * at ** np.maximum(powers - 1, 0) / bend
    u_x, u_y = (float(np.sqrt(wider * (one @ inverse @ one))) for one in (of_x, of_y))
    vertex = Vertex(origin + size * at, float(terms @ of_y), size * u_x, u_y, int(x.size))
    return vertex, float(-bend) / 2 / size**2


def _top_of(slope: float, bend: float, skew: float = 0.0) -> float | None:
    """Give where slope·z + bend·z² + skew·z³ is highest near 0; None where it is nowhere."""
    root = bend**2 - 3 * skew * slope
    if not (root > 0 and bend < 0):
        return None
    # of both zeros of the slope the one that stays where the skewness goes to nothing
    return float(-slope / (bend - np.sqrt(root)))
