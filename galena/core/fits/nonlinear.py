"""Least squares for models that are not linear in their parameters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import leastsq

from galena.core.errors import FitError
from galena.core.fits import linear
from galena.core.fits.linear import Solution

Floats = NDArray[np.float64]
MOST_STEPS, SEARCH_STEPS, FIRST_STEPS = 4000, 300, 30
MOST_STARTS = 24  # from so many at most a way down is tried
_GONE_ON = 3
_ENOUGH = 1e-6  # of the residuals may still lie along the model's surface where it has converged
_EXACT = 1e-9  # a step this small beside the parameters is only rounding
_NEAR, _CLOSEST = 1e-5, 1e-15  # how far a descent goes: what is left is polished away
_POLISHED, _SETTLED = 25, 1e-8  # after a step that moves so little the next is rounding


@dataclass(frozen=True)
class Problem:
    """What is to be made small: weighted residuals, shape (n,), of parameters, shape (p,).

    `jacobian` gives their slopes, shape (n, p); `names` the parameters in order.
    """

    names: tuple[str, ...]
    residuals: Callable[[Floats], Floats]
    jacobian: Callable[[Floats], Floats]


class _End(NamedTuple):
    """Where a descent led: parameters, residuals and the sum of their squares."""

    p: Floats
    residuals: Floats
    rss: float


def solve(problem: Problem, starts: Sequence[Floats]) -> Solution:
    """Minimise Σ residuals² from the best of some starts.

    By Levenberg and Marquardt's method with the analytic Jacobian and parameters scaled by it,
    then by Gauss-Newton steps as long as they help.
    Raises FitError where nothing converges or parameters cannot be told apart.
    Source: Moré, The Levenberg-Marquardt algorithm, in Lecture Notes in Mathematics 630 (1978);
    convergence by the relative offset of Bates and Watts, Technometrics 23 (1981) 179.
    """
    if len(starts) > 1:  # a short way from each tells which are worth going on from
        starts = _likely(problem, starts)
        tried = [found for one in starts if (found := _descended(problem, one, FIRST_STEPS))]
        starts = [one.p for one in sorted(tried, key=lambda found: found.rss)[:_GONE_ON]]
    steps = MOST_STEPS if len(starts) == 1 else SEARCH_STEPS  # the best of several goes on below
    ends = [found for one in starts if (found := _descended(problem, one, steps))]
    if not ends:
        raise FitError(
            "No start was found from which the model gives numbers for these readings. Type "
            "values for its parameters to begin with."
        )
    best = min(ends, key=lambda found: found.rss)
    with np.errstate(all="ignore"):
        try:
            return _polished(problem, best)
        except FitError:
            return _polished(problem, _descended(problem, best.p, MOST_STEPS, _CLOSEST) or best)


def _likely(problem: Problem, starts: Sequence[Floats]) -> list[Floats]:
    """Give the starts that already lie nearest to the readings."""
    if len(starts) <= MOST_STARTS:
        return list(starts)
    with np.errstate(all="ignore"):
        sums = np.array([float(np.sum(problem.residuals(one) ** 2)) for one in starts])
    order = np.argsort(np.where(np.isfinite(sums), sums, np.inf), kind="stable")
    return [starts[place] for place in order[:MOST_STARTS]]


def _descended(problem: Problem, first: Floats, steps: int, near: float = _NEAR) -> _End | None:
    """Go down from a start; None where that leads to no numbers."""
    with np.errstate(all="ignore"):

        def safe(p: Floats) -> Floats:
            found = problem.residuals(p)
            return found if np.isfinite(found).all() else np.full(found.shape, 1e150)

        def safe_jacobian(p: Floats) -> Floats:
            found = problem.jacobian(p).T
            return found if np.isfinite(found).all() else np.nan_to_num(found, nan=0.0)

        try:
            p, _, told, *_ = leastsq(
                safe, first, Dfun=safe_jacobian, full_output=True, ftol=near, xtol=near,
                gtol=0.0, maxfev=steps, col_deriv=True,
            )  # fmt: skip
        except (ValueError, TypeError, np.linalg.LinAlgError):
            return None
        p = np.atleast_1d(np.asarray(p, dtype=np.float64))
        rss = float(told["fvec"] @ told["fvec"])
    return _End(p, told["fvec"], rss) if rss < 1e290 else None


def _polished(problem: Problem, end: _End) -> Solution:
    """Take Gauss-Newton steps as long as they lower the sum of squares, and see it is at rest."""
    p, residuals = end.p, end.residuals
    for _ in range(_POLISHED):
        step = _step(problem, p, residuals)
        nearer = problem.residuals(p + step.parameters)
        if not nearer @ nearer < residuals @ residuals:
            break
        moved = nearer - residuals
        settled = moved @ moved <= _SETTLED**2 * (residuals @ residuals)
        p, residuals = p + step.parameters, nearer
        if settled:
            return Solution(p, step.unscaled_covariance)
    return _at_rest(problem, p, residuals)


def _step(problem: Problem, p: Floats, residuals: Floats) -> Solution:
    try:
        return linear.solve(problem.jacobian(p), -residuals)
    except (FitError, ValueError, np.linalg.LinAlgError) as error:
        raise FitError(
            f"The parameters {', '.join(problem.names)} cannot be told apart by these readings. "
            "Hold one of them fixed, or take a model with fewer."
        ) from error


def _at_rest(problem: Problem, p: Floats, residuals: Floats) -> Solution:
    """Give the solution, if what is left over lies across the model's surface."""
    jacobian = problem.jacobian(p)
    step = _step(problem, p, residuals)
    along = jacobian @ step.parameters
    spare = max(1, residuals.size - p.size)
    scatter = np.sqrt(residuals @ residuals / spare)
    moves = np.abs(step.parameters) > _EXACT * (np.abs(p) + 1e-300)
    if np.sqrt(along @ along / p.size) > _ENOUGH * scatter and moves.any():
        raise FitError(
            "The fit did not come to rest: the sum of squares still falls. Type other values to "
            "begin with, or take a simpler model."
        )
    return Solution(p, step.unscaled_covariance)
