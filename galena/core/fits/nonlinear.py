"""Least squares for models that are not linear in their parameters."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from galena.core.errors import FitError
from galena.core.fits import linear
from galena.core.fits.linear import Solution
from galena.core.formula.model import ModelFormula

Floats = NDArray[np.float64]
MOST_STEPS, FIRST_STEPS = 4000, 60
_SIZES = (1.0, 0.1, 10.0, 0.01)  # where to look for a start: each parameter of such a size
_STARTS, _GONE_ON = 40, 3
_ENOUGH = 1e-6  # of the residuals may still lie along the model's surface where it has converged
_EXACT = 1e-9  # a step this small beside the parameters is only rounding
_POLISHED = 25


def solve(
    model: ModelFormula,
    x: Floats,
    y: Floats,
    weights: Floats,
    held: Mapping[str, float],
    start: Mapping[str, float] | None,
) -> Solution:
    """Minimise Σ (weights · (model - y))² over the parameters that are not held.

    By Levenberg and Marquardt's method with the analytic Jacobian and parameters scaled by it,
    then by Gauss-Newton steps as long as they help; from several starts where none is given, the
    best being taken. The parameters come in the model's order, without those held.
    Raises FitError where nothing converges or parameters cannot be told apart.
    Source: Moré, The Levenberg-Marquardt algorithm, in Lecture Notes in Mathematics 630 (1978);
    convergence by the relative offset of Bates and Watts, Technometrics 23 (1981) 179.
    """
    free = [name for name in model.parameters if name not in held]
    place = [model.parameters.index(name) for name in free]

    def slopes(p: Floats) -> tuple[Floats, Floats]:
        known = {**held, **dict(zip(free, p.tolist(), strict=True))}
        values, found = model.slopes(x, known)
        return weights * (values - y), found[:, place] * weights[:, None]

    starts = _starts(free, start, x)
    if len(starts) > 1:  # a short way from each tells which are worth going on from
        tried = [found for one in starts if (found := _descended(slopes, one, FIRST_STEPS))]
        starts = [p for p, _ in sorted(tried, key=lambda found: found[1])[:_GONE_ON]]
    ends = [found for one in starts if (found := _descended(slopes, one, MOST_STEPS))]
    if not ends:
        raise FitError(
            "No start was found from which the model gives numbers for these readings. Type "
            "values for its parameters to begin with."
        )
    best = min(ends, key=lambda found: found[1])
    return _solution(slopes, _polished(slopes, best[0]), free)


def _starts(free: list[str], start: Mapping[str, float] | None, x: Floats) -> list[Floats]:
    """Give where to begin: what was typed, or parameters of several sizes."""
    given = dict(start or {})
    if all(name in given for name in free):
        return [np.array([given[name] for name in free], dtype=np.float64)]
    reach = float(np.max(np.abs(x))) or 1.0
    sizes = (*_SIZES, 1 / reach, reach)
    made = [np.full(len(free), size) for size in sizes]
    choices = itertools.product(sizes, repeat=len(free))
    random = np.random.default_rng(7)  # the same starts each time
    pool = list(itertools.islice(choices, 2000))
    for row in random.permutation(len(pool))[:_STARTS]:
        made.append(np.array(pool[row]) * random.choice([-1.0, 1.0], len(free)))
    for p in made:
        for place, name in enumerate(free):
            p[place] = given.get(name, p[place])
    return made


def _descended(
    slopes: Callable[[Floats], tuple[Floats, Floats]], first: Floats, steps: int
) -> tuple[Floats, float] | None:
    """Go down from a start; gives the parameters and the sum of squares."""
    residuals, jacobian = slopes(first)
    if not (np.isfinite(residuals).all() and np.isfinite(jacobian).all()):
        return None

    def safe(p: Floats) -> Floats:
        found = slopes(p)[0]
        return np.where(np.isfinite(found), found, 1e150)

    def safe_jacobian(p: Floats) -> Floats:
        found = slopes(p)[1]
        return np.where(np.isfinite(found), found, 0.0)

    try:
        with np.errstate(all="ignore"):
            found = least_squares(
                safe, first, jac=safe_jacobian, method="lm", x_scale="jac",
                xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=steps,
            )  # fmt: skip
    except (ValueError, np.linalg.LinAlgError):
        return None
    rss = float(found.fun @ found.fun)
    return (np.asarray(found.x), rss) if np.isfinite(rss) else None


def _polished(slopes: Callable[[Floats], tuple[Floats, Floats]], p: Floats) -> Floats:
    """Take Gauss-Newton steps as long as they lower the sum of squares."""
    residuals, jacobian = slopes(p)
    for _ in range(_POLISHED):
        try:
            step = linear.solve(jacobian, -residuals).parameters
        except FitError:
            return p
        nearer, its_jacobian = slopes(p + step)
        if not nearer @ nearer < residuals @ residuals:
            return p
        p, residuals, jacobian = p + step, nearer, its_jacobian
    return p


def _solution(
    slopes: Callable[[Floats], tuple[Floats, Floats]], p: Floats, free: list[str]
) -> Solution:
    residuals, jacobian = slopes(p)
    try:
        step = linear.solve(jacobian, -residuals)
    except FitError as error:
        raise FitError(
            f"The parameters {', '.join(free)} cannot be told apart by these readings. Hold one of "
            "them fixed, or take a model with fewer."
        ) from error
    along = jacobian @ step.parameters
    spare = max(1, residuals.size - len(free))
    scatter = np.sqrt(residuals @ residuals / spare)
    moves = np.abs(step.parameters) > _EXACT * (np.abs(p) + 1e-300)
    if np.sqrt(along @ along / len(free)) > _ENOUGH * scatter and moves.any():
        raise FitError(
            "The fit did not come to rest: the sum of squares still falls. Type other values to "
            "begin with, or take a simpler model."
        )
    return Solution(p, step.unscaled_covariance)
