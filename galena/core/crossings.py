"""Where readings cross a level, are highest or lowest, or are half-way up a step."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings
from galena.core.noisy_top import noisy_top

Floats = NDArray[np.float64]
_END = 0.1  # of the readings at either end tell the levels before and after a step
MOST = 200


class Place(NamedTuple):
    """A place between readings with its standard uncertainties; `rising` where y goes up.

    between: whether it was found between readings; equal: how many equal readings it is the
    middle of, as on a flat top or where readings lie on a level; fitted: through how many a
    curve goes.
    """

    x: float
    y: float
    u_x: float
    u_y: float
    rising: bool | None = None
    between: bool = True
    equal: int = 1
    fitted: int = 3


def crossings(
    x: ArrayLike, y: ArrayLike, level: float, u_y: ArrayLike, u_level: float = 0.0
) -> list[Place]:
    """List where readings cross a level, by straight lines between neighbours.

    x, y: shape (n,), x ascending; u_y: standard uncertainties of single readings, shape (n,) or
    a number. A reading on the level is a crossing only if its neighbours lie on either side;
    where several lie on it, the middle of their stretch is given, and u_x covers the stretch.

        x = x_i + f (x_i+1 - x_i),  f = (level - y_i)/(y_i+1 - y_i)
        u_x² = (((1-f) u_i)² + (f u_i+1)² + u_level²) / slope²

    Source: JCGM 100:2008 (GUM), 5.1.2.
    """
    places, values, u = _good(x, y, u_y)
    off = values - level
    kept = off != 0
    if not kept.any():
        return []
    # Readings on the level are stepped over: what counts is the side before and after them.
    index = np.flatnonzero(kept)
    side = off[index] > 0
    crossed = []
    for here in np.flatnonzero(side[1:] != side[:-1])[:MOST]:
        i, j = int(index[here]), int(index[here + 1])
        f = float(off[i] / (off[i] - off[j]))
        half = 0.0
        if j - i > 1:  # it lies on the level in between: the middle of that
            on = places[i + 1 : j]
            at, f, half = float((on[0] + on[-1]) / 2), 0.5, float(on[-1] - on[0]) / 2
        else:
            at = float(places[i] + f * (places[j] - places[i]))
        slope = float((values[j] - values[i]) / (places[j] - places[i]))
        spread = math.hypot((1 - f) * u[i], f * u[j], u_level)
        u_x = math.hypot(spread / slope, half)
        crossed.append(
            Place(at, level, u_x, u_level, bool(side[here + 1]), equal=max(1, j - i - 1))
        )
    return crossed


def extreme(x: ArrayLike, y: ArrayLike, u_y: ArrayLike, *, highest: bool = True) -> Place:
    """Give the highest (or lowest) place, by a curve through that reading and its neighbours.

    Where readings scatter, it goes by least squares through all that lie within a few of their
    uncertainties of the top (`noisy_top`); where they do not, through three.
    Where neighbours are just as high, the top is flat: the middle of them is given, with a u_x
    that reaches to its ends (between two, the parabola still tells the height). Where it is the
    first or the last reading, it is that reading (`between` is False). Raises TooFewReadings
    where there is none.
    Source: the vertex of Lagrange's parabola through three points.
    """
    places, values, u = _good(x, y, u_y)
    if not values.size:
        raise TooFewReadings("An extreme", 1, 0)
    first = last = int(np.argmax(values) if highest else np.argmin(values))
    while last + 1 < values.size and values[last + 1] == values[first]:
        last += 1
    inside = first > 0 and last < values.size - 1
    count = last - first + 1
    middle, half = (float(places[last] + way * places[first]) / 2 for way in (1, -1))
    top = None
    if inside and count <= 2:
        way = 1 if highest else -1
        fitted = noisy_top(places, way * values, u, first)
        if fitted is not None:
            return Place(fitted.x, way * fitted.y, fitted.u_x, fitted.u_y, fitted=fitted.fitted)
        three = slice(first - 1, first + 2)
        top = _vertex(places[three], values[three])
    if top is not None:
        u_x, u_top = _moved(places[three], values[three], u[three])
        x_top = top[0] if count == 1 else middle
        return Place(x_top, top[1], math.hypot(u_x, half), u_top, None, True, count)
    u_top = float(np.max(u[first : last + 1]))
    flat_u = half if count > 1 else math.nan
    return Place(middle, float(values[first]), flat_u, u_top, None, inside and count > 1, count)


def half_way(x: ArrayLike, y: ArrayLike, u_y: ArrayLike) -> tuple[Place, float, float]:
    """Give the half-way point of a step, and the levels before and after it.

    The levels are the means of the first and last tenth of the readings (two at least). Where
    noise crosses the middle several times, the middle of those crossings is given.
    Raises TooFewReadings.
    """
    places, values, u = _good(x, y, u_y)
    if values.size < 6:
        raise TooFewReadings("A half-way point", 6, int(values.size))
    end = max(2, int(_END * values.size))
    before, after = float(values[:end].mean()), float(values[-end:].mean())
    u_level = math.hypot(_of_mean(values[:end], u[:end]), _of_mean(values[-end:], u[-end:])) / 2
    middle = (before + after) / 2
    rising = after > before
    middles = [one for one in crossings(places, values, middle, u, u_level) if one.rising == rising]
    if not middles:
        raise TooFewReadings("A half-way point (there is no step)", 6, 0)
    at = middles[len(middles) // 2]
    spread = (middles[-1].x - middles[0].x) / 2
    return at._replace(u_x=math.hypot(at.u_x, spread)), before, after


def _of_mean(values: Floats, u: Floats) -> float:
    scatter = float(values.std(ddof=1))
    return max(scatter, float(np.sqrt(np.mean(u**2)))) / math.sqrt(values.size)


def _good(x: ArrayLike, y: ArrayLike, u_y: ArrayLike) -> tuple[Floats, Floats, Floats]:
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
    good = np.isfinite(places) & np.isfinite(values)
    good[1:] &= ~(good[1:] & good[:-1] & (places[1:] == places[:-1]))
    return places[good], values[good], np.nan_to_num(u[good])


def _vertex(x: Floats, y: Floats) -> tuple[float, float] | None:
    """Give place and height of the vertex of the parabola through three points."""
    x0, h, k = float(x[1]), float(x[1] - x[0]), float(x[2] - x[1])
    left, right = float(y[1] - y[0]) / h, float(y[2] - y[1]) / k
    bend = (right - left) / (h + k)
    slope = (left * k + right * h) / (h + k)
    if not abs(bend) > 0:
        return None
    off = -slope / (2 * bend)
    return x0 + off, float(y[1]) - slope**2 / (4 * bend)


def _moved(x: Floats, y: Floats, u: Floats) -> tuple[float, float]:
    """Give the uncertainties of the vertex, by moving each of the three readings."""
    of_x = of_y = 0.0
    for i in range(3):
        if not u[i] > 0:
            continue
        step = 1e-3 * float(u[i])
        ends = []
        for way in (-step, step):
            moved = y.copy()
            moved[i] += way
            ends.append(_vertex(x, moved))
        if ends[0] is None or ends[1] is None:
            return math.nan, math.nan
        of_x += ((ends[1][0] - ends[0][0]) / (2 * step) * float(u[i])) ** 2
        of_y += ((ends[1][1] - ends[0][1]) / (2 * step) * float(u[i])) ** 2
    return math.sqrt(of_x), math.sqrt(of_y)
