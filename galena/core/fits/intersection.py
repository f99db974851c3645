"""Where two fits meet, and where one has a certain value."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError
from galena.core.fits.result import Fit
from galena.core.loading import later

optimize = later("scipy.optimize")

Floats = NDArray[np.float64]
_LOOKED_AT = 2001
_BEYOND = 2.0  # reaches of the readings to either side where a meeting is looked for
_PARALLEL = 1e-12
_HALVED = 200


class Crossing(NamedTuple):
    """A place with its standard uncertainties; `u_xy` is the covariance of x and y."""

    x: float
    y: float
    u_x: float
    u_y: float
    u_xy: float = 0.0


def intersect(fit_a: Fit, fit_b: Fit, near: float | None = None) -> Crossing:
    """Find where two fits meet, with the uncertainty that both bring along.

    near: of several meetings the one nearest to this; without it, the one nearest to where the
    readings of both lie. The two fits are taken as independent of each other:

        u_x² = (v_a + v_b) / (a' - b')²,   u_y² = (b'² v_a + a'² v_b) / (a' - b')²

    with the variances v and the slopes of both at the meeting.
    Raises FitError where they do not meet, as parallel lines.
    Source: JCGM 100:2008 (GUM), 5.2.2, for the root of a(x) - b(x).
    """
    if near is None:
        near = _between(fit_a.reach, fit_b.reach)
    x = _of_lines(fit_a, fit_b, near)
    if x is None:
        x = _root(lambda at: fit_a.predict(at) - fit_b.predict(at), (fit_a, fit_b), near)
    if x is None or not math.isfinite(x):
        raise FitError(
            "The two fits do not meet where there are readings or near there. Fit other stretches, "
            "or other models."
        )
    va, vb = float(fit_a.band(x)[0]) ** 2, float(fit_b.band(x)[0]) ** 2
    slope_a, slope_b = float(fit_a.derivative(x)[0]), float(fit_b.derivative(x)[0])
    apart = slope_a - slope_b
    if not abs(apart) > _PARALLEL * max(abs(slope_a), abs(slope_b)):
        raise FitError("The two fits touch or run parallel there: no meeting can be told.")
    return Crossing(
        x,
        float(fit_a.predict(x)[0]),
        math.sqrt(va + vb) / abs(apart),
        math.sqrt(slope_b**2 * va + slope_a**2 * vb) / abs(apart),
        (slope_b * va + slope_a * vb) / apart**2,
    )


def place_of(fit: Fit, y: float, near: float | None = None) -> Crossing:
    """Find where a fit has a value y, with the standard uncertainty of the place.

    Raises FitError where it never has that value.
    """
    near = (fit.reach[0] + fit.reach[1]) / 2 if near is None else near
    x = None
    if fit.model.facts.is_line:  # a line reaches any value, however far away
        steep, height = float(fit.derivative(near)[0]), float(fit.predict(near)[0])
        rise = abs(steep) * (fit.reach[1] - fit.reach[0])
        x = near + (y - height) / steep if rise > _PARALLEL * abs(height) else None
    else:
        x = _root(lambda at: fit.predict(at) - y, (fit,), near)
    slope = math.nan if x is None or not math.isfinite(x) else float(fit.derivative(x)[0])
    if x is None or not 0 < abs(slope) < math.inf:
        raise FitError(f"The fit does not reach {y:g} where there are readings or near there.")
    return Crossing(x, y, float(fit.band(x)[0]) / abs(slope), 0.0)


def _between(a: tuple[float, float], b: tuple[float, float]) -> float:
    first, second = sorted((a, b))
    return (first[1] + second[0]) / 2


def _of_lines(fit_a: Fit, fit_b: Fit, near: float) -> float | None:
    """Give the meeting of two straight lines; None where one of them is bent."""
    for fit in (fit_a, fit_b):
        if not fit.model.facts.is_straight:
            return None
    slope_a, slope_b = float(fit_a.derivative(near)[0]), float(fit_b.derivative(near)[0])
    if not abs(slope_a - slope_b) > _PARALLEL * max(abs(slope_a), abs(slope_b)):
        raise FitError(
            "The two lines are parallel: they meet nowhere. Fit other stretches, or other models."
        )
    apart = float(fit_b.predict(near)[0]) - float(fit_a.predict(near)[0])
    return near + apart / (slope_a - slope_b)


def _root(off: Callable[[Floats], Floats], of: tuple[Fit, ...], near: float) -> float | None:
    """Find the change of sign nearest to a place."""
    lo, hi = min(one.reach[0] for one in of), max(one.reach[1] for one in of)
    reach = (hi - lo) or 1.0
    for room in (0.0, 0.5, _BEYOND):
        places = np.linspace(lo - room * reach, hi + room * reach, _LOOKED_AT)
        if any(one.model.outside(np.zeros(1)).any() for one in of):
            places = _closer_to_zero(places)
        with np.errstate(all="ignore"):
            values = off(places)
            runs_test = np.flatnonzero(np.sign(values[:-1]) * np.sign(values[1:]) < 0)
        roots = [float(place) for place in places[values == 0.0]]
        refined = [_refined(off, float(places[i]), float(places[i + 1])) for i in runs_test]
        roots += [x for x in refined if x is not None]
        if roots:
            return min(roots, key=lambda x: abs(x - near))
    return None


def _closer_to_zero(places: Floats) -> Floats:
    """Put places between that draw closer to zero, where a model has no value."""
    step = float(places[1] - places[0])
    closer = step * np.geomspace(1e-9, 1.0, 60)
    more = np.concatenate((-closer, [0.0], closer))
    return np.unique(np.concatenate((places, more[(more > places[0]) & (more < places[-1])])))


def _refined(off: Callable[[Floats], Floats], lo: float, hi: float) -> float | None:
    """Find the zero between two places of different sign; None where it is a jump."""

    def at(x: float) -> float:
        return float(off(np.array([x]))[0])

    with np.errstate(all="ignore"):
        rising = at(hi) > at(lo)
        for _ in range(_HALVED):  # an end where it is infinite comes in until it is finite
            if math.isfinite(at(lo)) and math.isfinite(at(hi)):
                break
            middle = (lo + hi) / 2
            below = (at(middle) < 0) == rising
            lo, hi = (middle, hi) if below else (lo, middle)
        else:
            return None
        x = float(optimize.brentq(at, lo, hi, xtol=1e-300, rtol=1e-15))
        # Nearer to a zero the values are smaller; nearer to a jump through infinity larger.
        near, far = 1e-6 * (hi - lo), 1e-3 * (hi - lo)
        sizes = [max(abs(at(x - d)), abs(at(x + d))) for d in (near, far)]
    return x if sizes[0] <= sizes[1] else None
