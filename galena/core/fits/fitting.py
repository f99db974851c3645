"""The one door to fitting: choose the readings, solve, and state the result."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError, TooFewReadings
from galena.core.fits import linear, nonlinear
from galena.core.fits.models import MODELS, LinearModel
from galena.core.fits.result import Fit
from galena.core.formula.model import ModelFormula, compile_model

Floats = NDArray[np.float64]


def fit(
    model: str,
    x: ArrayLike,
    y: ArrayLike,
    *,
    u_y: ArrayLike | None = None,
    start: Mapping[str, float] | None = None,
    fixed: Mapping[str, float] | None = None,
) -> Fit:
    """Fit a model to readings by least squares.

    model: a key of MODELS, or a formula of x such as "a*(1-exp(-b*x))", whose other symbols are
    its parameters. x, y: shape (n,); pairs that are not finite are left out.
    u_y: standard uncertainties of y, shape (n,) or a number; given, the fit is weighted by
    1/u_y² and the parameters' uncertainties follow from u_y alone, otherwise from the scatter.
    start: values to begin with, for a formula; without them several are tried. Models that are
    linear in their parameters need none.
    fixed: parameters held at a value; their uncertainty is zero.

    Raises FormulaError for a formula that cannot be read; FitError for an unknown parameter,
    a fit that does not converge, shapes that differ, uncertainties that
    are not positive and x that are all equal; TooFewReadings where no scatter could be seen.
    Source: JCGM 100:2008 (GUM), H.3; Draper and Smith, Applied Regression Analysis, 3rd ed., 5.
    """
    chosen = _chosen(model)
    held = dict(fixed or {})
    label = chosen.label if isinstance(chosen, LinearModel) else chosen.text
    unknown = [name for name in (*held, *(start or {})) if name not in chosen.parameters]
    if unknown:
        raise FitError(
            f"{label} has no parameter “{unknown[0]}”. It has {', '.join(chosen.parameters)}."
        )
    places, values, u = _finite(x, y, u_y)
    free = [name for name in chosen.parameters if name not in held]
    needed = len(free) + (u is None)
    if values.size < needed:
        raise TooFewReadings(f"A fit ({label})", needed, int(values.size))
    weights = np.ones_like(values) if u is None else 1 / u
    if isinstance(chosen, LinearModel):
        params, unscaled = _solve(chosen, places, values, weights, held, free)
    else:
        params, unscaled = _solve_formula(chosen, places, values, weights, held, start)
    return _state(chosen, places, values, weights, params, unscaled, len(free), u is not None)


def _chosen(model: str) -> LinearModel | ModelFormula:
    if model in MODELS:
        return MODELS[model]
    if model.isidentifier():
        raise FitError(f"There is no model “{model}”. Choose one of {', '.join(MODELS)}.")
    return compile_model(model)


def _solve_formula(
    model: ModelFormula,
    x: Floats,
    y: Floats,
    weights: Floats,
    held: dict[str, float],
    start: Mapping[str, float] | None,
) -> tuple[dict[str, float], Floats]:
    """Give all parameters and the unscaled covariance in the order of the model."""
    names = list(model.parameters)
    free = [name for name in names if name not in held]
    covariance = np.zeros((len(names), len(names)))
    if not free:
        return {name: held[name] for name in names}, covariance
    solution = nonlinear.solve(model, x, y, weights, held, start)
    found = held | dict(zip(free, map(float, solution.parameters), strict=True))
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = solution.unscaled_covariance
    return {name: found[name] for name in names}, covariance


def _finite(
    x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None
) -> tuple[Floats, Floats, Floats | None]:
    places = np.asarray(x, dtype=np.float64)
    values = np.asarray(y, dtype=np.float64)
    if places.ndim != 1 or places.shape != values.shape:
        raise FitError(
            f"x and y must be two rows of the same length, not {places.shape} and {values.shape}."
        )
    good = np.isfinite(places) & np.isfinite(values)
    if u_y is None:
        return places[good], values[good], None
    u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
    if not np.all(u[good] > 0):
        raise FitError("Each uncertainty must be above zero to weight a reading by it.")
    return places[good], values[good], u[good]


def _solve(
    model: LinearModel,
    x: Floats,
    y: Floats,
    weights: Floats,
    held: dict[str, float],
    free: list[str],
) -> tuple[dict[str, float], Floats]:
    """Give all parameters and the unscaled covariance in the order of the model."""
    names = list(model.parameters)
    covariance = np.zeros((len(names), len(names)))
    if not free:
        return {name: held[name] for name in names}, covariance
    powers = [model.parameters[name] for name in free]
    if sorted(powers) == list(range(len(powers))) and len(powers) > 1:
        solution = linear.solve_polynomial(x, y, weights, len(powers) - 1)
        pick = np.array(powers)
        found, part = solution.parameters[pick], solution.unscaled_covariance[np.ix_(pick, pick)]
    else:
        known = sum((held[name] * x ** model.parameters[name] for name in held), np.zeros_like(x))
        columns = np.stack([x**power for power in powers], axis=1)
        solution = linear.solve(columns * weights[:, None], (y - known) * weights)
        found, part = solution.parameters, solution.unscaled_covariance
    params = held | dict(zip(free, map(float, found), strict=True))
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = part
    return {name: params[name] for name in names}, covariance


def _state(
    model: LinearModel | ModelFormula, x: Floats, y: Floats, weights: Floats,
    params: dict[str, float], unscaled: Floats, free: int, weighted: bool,
) -> Fit:  # fmt: skip
    residuals = y - model.values(x, params)
    rss = float(np.sum((weights * residuals) ** 2))
    count, dof = y.size, y.size - free
    variance = rss / dof if dof else math.nan
    covariance = unscaled if weighted else unscaled * variance
    about_mean = not isinstance(model, LinearModel) or model.has_constant
    centre = np.average(y, weights=weights**2) if about_mean else 0.0
    total = float(np.sum((weights * (y - centre)) ** 2))
    k = free + 1  # the residual variance is estimated too
    spare = count - k - 1
    likelihood = count * math.log(rss / count) if rss > 0 else -math.inf
    return Fit(
        model=model,
        params=params,
        errors=dict(zip(params, np.sqrt(np.diag(covariance)).tolist(), strict=True)),
        covariance=covariance,
        rss=rss,
        residual_sd=math.sqrt(variance) if dof else math.nan,
        r_squared=1 - rss / total if total > 0 else math.nan,
        dof=dof,
        aicc=likelihood + 2 * k + 2 * k * (k + 1) / spare if spare > 0 else math.nan,
        weighted=weighted,
        residuals=residuals,
    )
