"""Stating a fit: from parameters and their unscaled covariance to all that is said of it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from galena.core.fits.models import LinearModel, Model
from galena.core.fits.polynomial import Centred
from galena.core.fits.result import Fit

Floats = NDArray[np.float64]
_TELL_A_CONSTANT = 100  # readings that mostly tell that a model has no constant
_IN_SPAN = 1e-9


class Solved(NamedTuple):
    """All parameters of a model, their unscaled covariance in its order, and of a polynomial
    the same in the centred variable."""

    params: dict[str, float]
    unscaled: Floats
    centred: Centred | None = None


def state(
    model: Model, x: Floats, y: Floats, weights: Floats, solved: Solved,
    held: tuple[str, ...], weighted: bool, excluded: int = 0,
) -> Fit:  # fmt: skip
    """State a fit from its parameters and their unscaled covariance."""
    params, unscaled, centred = solved
    residuals = y - (model.values(x, params) if centred is None else centred.values(x))
    plain = not weighted and bool((weights == 1.0).all())
    weighted_residuals = residuals if plain else weights * residuals
    rss = float(weighted_residuals @ weighted_residuals)
    free = len(params) - len(held)
    count, dof = y.size, y.size - free
    variance = rss / dof if dof > 0 else math.nan
    scale = 1.0 if weighted else variance
    covariance = unscaled * scale
    about_mean = has_constant(model, x, params, held)
    centre = np.average(y, weights=None if plain else weights**2) if about_mean else 0.0
    off = y - centre if plain else weights * (y - centre)
    total = float(off @ off)
    along = x if x.ndim == 1 else x[:, 0]
    return Fit(
        model=model,
        params=params,
        uncertainties=dict(zip(params, np.sqrt(np.diag(covariance)).tolist(), strict=True)),
        covariance=covariance,
        rss=rss,
        residual_sd=math.sqrt(variance),
        r_squared=1 - rss / total if total > 0 else math.nan,
        dof=dof,
        aicc=_aicc(rss, count, free, weighted),
        weighted=weighted,
        residuals=residuals,
        excluded=excluded,
        reach=(float(along.min()), float(along.max())),
        held=held,
        about_mean=about_mean,
        centred=None if centred is None else centred.scaled(scale),
    )


def has_constant(
    model: Model, x: Floats, params: Mapping[str, float], held: Sequence[str] = ()
) -> bool:
    """Tell whether a model has a constant: ones lie in the span of its free slopes.

    Then adding the same to all readings changes parameters and not the residuals, and R² is
    counted about the mean; otherwise about zero, however the model is written.
    Source: Draper and Smith, Applied Regression Analysis, 3rd ed. (1998), 21.
    """
    free = [place for place, name in enumerate(model.parameters) if name not in held]
    if isinstance(model, LinearModel):
        return any(model.basis[model.parameters[place]] == 0 for place in free)
    if not free:
        return False
    for most in (_TELL_A_CONSTANT, x.shape[0]):
        jacobian = model.jacobian(x[:: max(1, x.shape[0] // most)], params)[:, free]
        if (jacobian == jacobian[0]).all(axis=0).any():
            return bool(np.isfinite(jacobian[0]).all())
        jacobian = jacobian[np.isfinite(jacobian).all(axis=1)]
        size = np.linalg.norm(jacobian, axis=0)
        if not jacobian.size or not (size > 0).all():
            return False
        ones = np.ones(jacobian.shape[0])
        share = np.linalg.lstsq(jacobian / size, ones, rcond=None)[0]
        if np.linalg.norm(ones - (jacobian / size) @ share) > _IN_SPAN * math.sqrt(ones.size):
            return False
    return True


def _aicc(rss: float, count: int, free: int, weighted: bool) -> float:
    """Akaike's information criterion for few readings.

    Where the readings' uncertainties are known it is from χ² itself; otherwise the residual
    variance is estimated too.
    """
    k = free if weighted else free + 1
    spare = count - k - 1
    if spare <= 0:
        return math.nan
    scatter = count * (math.log(rss) - math.log(count)) if rss > 0 else -math.inf
    likelihood = rss if weighted else scatter
    return likelihood + 2 * k + 2 * k * (k + 1) / spare
