"""Quiet remarks on fits and on what is claimed from them, each with its reason and advice."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from galena.core.fits.result import Fit
from galena.core.runs_test import RunsTest
from galena.core.second_look.remark import Remark
from galena.core.straightness import Straightness

FAR = 2.0  # standard uncertainties: what lies further off does not agree
_TIED = 0.999
_BEYOND = 0.1  # of the readings' reach
_NEARLY_ALL = 0.95
FAR_OFF = 100.0  # uncertainties: nobody needs their number any more


@dataclass(frozen=True)
class Fitted:
    """A fit, the signs of its residuals in order of x, and whether its readings lie on a line,
    where it would have them so; whether zero of y at zero of x could mean anything, as it does
    not where a logarithm is plotted."""

    fit: Fit
    runs_test: RunsTest
    straight: Straightness | None = None
    has_origin: bool = True


@dataclass(frozen=True)
class Place:
    """A place at which something is claimed from a fit."""

    fit: Fit
    x: float


def beyond(seen: Place) -> Remark | None:
    """Remark on a place far from the readings that a fit was made of."""
    lo, hi = seen.fit.reach
    room = _BEYOND * (hi - lo)
    if lo - room <= seen.x <= hi + room:
        return None
    return Remark(
        "This lies beyond the readings of the fit.",
        "Nothing there was measured: say that it is extrapolated, or measure there.",
    )


def is_proportional(fit: Fit, straight: Straightness | None = None) -> bool | None:
    """Tell whether a line may be called directly proportional; None where it is no line."""
    if not _may_be_proportional(fit) or "intercept" in fit.held:
        return None
    if not shows_dependence(fit) or (straight is not None and not straight.is_straight):
        return False
    return abs(fit.params["intercept"]) <= FAR * fit.uncertainties["intercept"]


def shows_dependence(fit: Fit) -> bool:
    """Tell whether the slope of a line is told apart from zero."""
    return abs(fit.params["slope"]) > FAR * fit.uncertainties["slope"]


def _may_be_proportional(fit: Fit) -> bool:
    """Tell whether it is a line whose offset might be zero."""
    return fit.model.facts.is_line and bool(fit.model.facts.offset)


def bent(seen: Fitted) -> Remark | None:
    """Remark on readings that do not lie on the line that was fitted."""
    fit, straight = seen.fit, seen.straight
    if not fit.model.facts.is_line or straight is None or straight.is_straight is not False:
        return None
    high = f"R² is {fit.r_squared:.4f}, and yet these" if fit.r_squared > _NEARLY_ALL else "These"
    return Remark(
        f"{high} readings do not lie on a straight line: {straight.why}.",
        "Do not call it linear. R² alone does not see a curve: look at the residuals, and try "
        "another model.",
    )


def offset(seen: Fitted) -> Remark | None:
    """Remark on a parameter that is zero unless something adds to every reading; None where the
    readings do not lie on the line anyway."""
    fit, straight = seen.fit, seen.straight
    if bent(seen) is not None or not seen.has_origin:
        return None
    if _may_be_proportional(fit) and "slope" not in fit.held and not shows_dependence(fit):
        return Remark(
            "No dependence is seen: the slope agrees with zero.",
            "Neither linear nor proportional may be said. Take readings over a wider stretch, or "
            "with less scatter.",
        )
    name = fit.model.facts.offset
    if not name or name in fit.held or not fit.uncertainties[name] > 0:
        return None
    off = abs(fit.params[name]) / fit.uncertainties[name]
    if not fit.model.facts.is_line:
        if off <= FAR:
            return None
        return Remark(
            f"{name} is {_from_zero(off)}.",
            "Without something else it would be zero: what else is there?",
        )
    if off <= FAR:
        may_be = "“Directly proportional” may be said."
        if straight is not None and straight.is_straight is None:
            may_be = f"“Directly proportional” may not be said yet: {straight.why}."
        return Remark(f"The intercept agrees with zero ({off:.1f} of its uncertainties).", may_be)
    lo, hi = fit.reach
    if lo > 0.5 * (hi - lo) or hi < -0.5 * (hi - lo):
        return None  # zero is far away: nobody would claim a proportion from here
    return Remark(
        f"The intercept is {_from_zero(off)}: "
        + (
            "linear, but not directly proportional."
            if straight is None or straight.is_straight
            else f"not directly proportional; and {straight.why}."
        ),
        "Should it be zero? Then something adds to every reading.",
    )


def _from_zero(off: float) -> str:
    return "far from zero" if off >= FAR_OFF else f"{off:.0f} of its uncertainties from zero"


def falling(seen: Fitted) -> Remark | None:
    """Remark on a line that falls, which is no inverse relation."""
    fit, straight = seen.fit, seen.straight
    if not _may_be_proportional(fit) or not fit.params["slope"] < -FAR * fit.uncertainties["slope"]:
        return None
    if straight is not None and not straight.is_straight:
        return None
    return Remark(
        "A straight line that falls is not an inverse relation:",
        "it is linear with a negative slope.",
    )


def too_many(seen: Fitted) -> Remark | None:
    """Remark on a model with nearly as many parameters as there are readings."""
    fit = seen.fit
    free = len(fit.free)
    if fit.dof > max(1, free - 1):
        return None
    return Remark(
        f"{fit.count} readings for {free} parameters: a model with so many follows anything.",
        "Take more readings, or a model with fewer.",
    )


def curve(seen: Fitted) -> Remark | None:
    """Remark on residuals that keep one sign for long, unless the line itself is remarked on."""
    fit, runs_test = seen.fit, seen.runs_test
    if not runs_test.is_curve or bent(seen) is not None:
        return None
    high = f"R² is {fit.r_squared:.4f}, and yet the" if fit.r_squared > _NEARLY_ALL else "The"
    return Remark(
        f"{high} residuals keep one sign for {runs_test.longest} readings on end.",
        "R² alone does not see a curve: look at the residuals, and try another model.",
    )


def tied(seen: Fitted) -> Remark | None:
    """Remark on parameters that the readings can hardly tell apart."""
    fit = seen.fit
    if fit.model.facts.powers_tie:
        return None  # there it only says that zero is far from the readings
    names = list(fit.params)
    rho = np.abs(fit.correlation)
    np.fill_diagonal(rho, 0.0)
    i, j = np.unravel_index(int(np.argmax(rho)), rho.shape)
    if not rho[i, j] > _TIED:
        return None
    return Remark(
        f"{names[min(i, j)]} and {names[max(i, j)]} can hardly be told apart: one makes up for the "
        "other.",
        "Hold one of them, or take readings over a wider stretch.",
    )


def chi_squared(seen: Fitted) -> Remark | None:
    """Remark on readings that scatter otherwise than their uncertainties say."""
    fit = seen.fit
    chi = fit.reduced_chi_squared
    if math.isnan(chi) or fit.dof < 3:
        return None
    spread = math.sqrt(2 / fit.dof)
    if chi > 1 + 4 * spread:
        return Remark(
            f"The readings scatter more than their uncertainties say (χ² a degree of freedom "
            f"{chi:.1f}).",
            "Either the model is wrong, or the uncertainties are too small.",
        )
    if chi < max(0.0, 1 - 4 * spread) or chi < 0.05:
        return Remark(
            f"The readings scatter less than their uncertainties say (χ² a degree of freedom "
            f"{chi:.2g}).",
            "The uncertainties may be too large.",
        )
    return None


def left_out(seen: Fitted) -> Remark | None:
    """Remark on readings at which the model has no value."""
    fit = seen.fit
    if not fit.excluded:
        return None
    readings = "reading lies" if fit.excluded == 1 else "readings lie"
    return Remark(
        f"{fit.excluded} {readings} where {fit.model.label} has no value, and did not count.",
        "Mark off a stretch without them, if that is not meant.",
    )
