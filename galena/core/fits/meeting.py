"""Where two fits meet, and where one has a certain value."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq

from galena.core.errors import FitError
from galena.core.fits.models import LinearModel
from galena.core.fits.result import Fit

Floats = NDArray[np.float64]
_LOOKED_AT = 2001
_BEYOND = 2.0  # reaches of the readings to either side where a meeting is looked for
_PARALLEL = 1e-12


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
    x = _of_lines(fit_a, fit_b)
    if x is None:
        x = _root(lambda at: fit_a.predict(at) - fit_b.predict(at), (fit_a, fit_b), near)
    if x is None or not math.isfinite(x):
        raise FitError(
            "The two fits do not meet where there are readings or near there. Fit other stretches, "
            "or other models."
        )
    va, vb = float(fit_a.band(x)[0]) ** 2, float(fit_b.band(x)[0]) ** 2
    slope_a, slope_b = float(fit_a.rate(x)[0]), float(fit_b.rate(x)[0])
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
    x = _root(lambda at: fit.predict(at) - y, (fit,), near)
    slope = float("nan") if x is None else float(fit.rate(x)[0])
    if x is None or not abs(slope) > 0:
        raise FitError(f"The fit does not reach {y:g} where there are readings or near there.")
    return Crossing(x, y, float(fit.band(x)[0]) / abs(slope), 0.0)


def _between(a: tuple[float, float], b: tuple[float, float]) -> float:
    first, second = sorted((a, b))
    return (first[1] + second[0]) / 2


def _of_lines(fit_a: Fit, fit_b: Fit) -> float | None:
    """Give the meeting of two straight lines; None where one of them is bent."""
    lines = []
    for one in (fit_a, fit_b):
        degree = one.model.degree if isinstance(one.model, LinearModel) else None
        if isinstance(one.model, LinearModel) and one.model.key == "proportional":
            degree = 1
        if degree is None or degree > 1 or not isinstance(one.model, LinearModel):
            return None
        by_power = {power: one.params[name] for name, power in one.model.basis.items()}
        lines.append((by_power.get(0, 0.0), by_power.get(1, 0.0)))
    (a1, b1), (a2, b2) = lines
    if not abs(b1 - b2) > _PARALLEL * max(abs(b1), abs(b2)):
        raise FitError(
            "The two lines are parallel: they meet nowhere. Fit other stretches, or other models."
        )
    return (a2 - a1) / (b1 - b2)


def _root(off: Callable[[Floats], Floats], of: tuple[Fit, ...], near: float) -> float | None:
    """Find the change of sign nearest to a place."""
    lo, hi = min(one.reach[0] for one in of), max(one.reach[1] for one in of)
    reach = (hi - lo) or 1.0
    for room in (0.0, 0.5, _BEYOND):
        places = np.linspace(lo - room * reach, hi + room * reach, _LOOKED_AT)
        with np.errstate(all="ignore"):
            values = off(places)
        exact = places[values == 0.0]
        signs = np.flatnonzero(values[:-1] * values[1:] < 0)
        found = [*map(float, exact), *(_refined(off, places[i], places[i + 1]) for i in signs)]
        found = [one for one in found if math.isfinite(one)]
        if found:
            return min(found, key=lambda one: abs(one - near))
    return None


def _refined(off: Callable[[Floats], Floats], lo: float, hi: float) -> float:
    with np.errstate(all="ignore"):
        x = float(brentq(lambda at: float(off(np.array([at]))[0]), lo, hi, xtol=1e-300, rtol=1e-15))
        # A jump through infinity changes the sign as well.
        ends = np.abs(off(np.array([lo, hi])))
        return x if float(np.abs(off(np.array([x])))[0]) <= float(ends.max()) else math.nan
