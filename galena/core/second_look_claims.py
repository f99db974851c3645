"""Quiet remarks on fits and on what is claimed from them, each with its reason and advice."""

from __future__ import annotations

import math

import numpy as np

from galena.core.fits.models import LinearModel
from galena.core.fits.result import Fit
from galena.core.residual_signs import Signs
from galena.core.second_look import Remark

FAR = 2.0  # standard uncertainties: what lies further off does not agree
_TIED = 0.999
_BEYOND = 0.1  # of the readings' reach
_NEARLY_ALL = 0.95
_OFFSETS = {"line": "intercept", "inverse_constant": "c", "inverse_square_constant": "c"}


def of_fit(fit: Fit, signs: Signs) -> list[Remark]:
    """Remark on a fit. signs: those of its residuals in order of x."""
    asked = (_offset(fit), _falling(fit, signs), _too_many(fit), _curve(fit, signs), _tied(fit),
             _chi_squared(fit), _left_out(fit))  # fmt: skip
    return [one for one in asked if one is not None]


def beyond(fit: Fit, x: float) -> Remark | None:
    """Remark on a place far from the readings that a fit was made of."""
    lo, hi = fit.reach
    room = _BEYOND * (hi - lo)
    if lo - room <= x <= hi + room:
        return None
    return Remark(
        "This lies beyond the readings of the fit.",
        "Nothing there was measured: say that it is extrapolated, or measure there.",
    )


def is_proportional(fit: Fit) -> bool | None:
    """Tell whether a line may be called directly proportional; None where it is no line."""
    if fit.model.key != "line" or "intercept" in fit.held:
        return None
    return abs(fit.params["intercept"]) <= FAR * fit.uncertainties["intercept"]


def _offset(fit: Fit) -> Remark | None:
    name = _OFFSETS.get(fit.model.key)
    if name is None or name in fit.held or not fit.uncertainties[name] > 0:
        return None
    off = abs(fit.params[name]) / fit.uncertainties[name]
    if fit.model.key != "line":
        if off <= FAR:
            return None
        return Remark(
            f"{name} is {_many(off)} of its uncertainties from zero.",
            "Without something else it would be zero: what else is there?",
        )
    if off <= FAR:
        return Remark(
            f"The intercept agrees with zero ({off:.1f} of its uncertainties).",
            "“Directly proportional” may be said.",
        )
    lo, hi = fit.reach
    if lo > 0.5 * (hi - lo) or hi < -0.5 * (hi - lo):
        return None  # zero is far away: nobody would claim a proportion from here
    return Remark(
        f"The intercept is {_many(off)} of its uncertainties from zero: linear, but not directly "
        "proportional.",
        "Should it be zero? Then something adds to every reading.",
    )


def _many(off: float) -> str:
    return f"{off:.0f}" if off < 1000 else "more than 1000"


def _falling(fit: Fit, signs: Signs) -> Remark | None:
    if fit.model.key != "line" or not fit.params["slope"] < -FAR * fit.uncertainties["slope"]:
        return None
    if signs.is_curve:
        return None
    return Remark(
        "A straight line that falls is not an inverse relation:",
        "it is linear with a negative slope.",
    )


def _too_many(fit: Fit) -> Remark | None:
    free = len(fit.free)
    if fit.dof > max(1, free - 1):
        return None
    return Remark(
        f"{fit.count} readings for {free} parameters: a model with so many follows anything.",
        "Take more readings, or a model with fewer.",
    )


def _curve(fit: Fit, signs: Signs) -> Remark | None:
    if not signs.is_curve:
        return None
    high = f"R² is {fit.r_squared:.4f}, and yet the" if fit.r_squared > _NEARLY_ALL else "The"
    return Remark(
        f"{high} residuals keep one sign for {signs.longest} readings on end.",
        "R² alone does not see a curve: look at the residuals, and try another model.",
    )


def _tied(fit: Fit) -> Remark | None:
    if isinstance(fit.model, LinearModel) and fit.model.key in ("line", "quadratic", "cubic"):
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


def _chi_squared(fit: Fit) -> Remark | None:
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


def _left_out(fit: Fit) -> Remark | None:
    if not fit.excluded:
        return None
    readings = "reading lies" if fit.excluded == 1 else "readings lie"
    return Remark(
        f"{fit.excluded} {readings} where {fit.model.label} has no value, and did not count.",
        "Mark off a stretch without them, if that is not meant.",
    )
