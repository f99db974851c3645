"""Least squares for models that are not linear in their parameters."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError
from galena.core.fits import linear
from galena.core.fits.linear import Solution
from galena.core.loading import later

optimize = later("scipy.optimize")

Floats = NDArray[np.float64]
MOST_STEPS, SEARCH_STEPS, FIRST_STEPS = 4000, 300, 30
MOST_STARTS = 24  # from so many at most a way down is tried
_GONE_ON = 3
_ENOUGH = 1e-4  # of their uncertainties the parameters may still want to move where they rest
_ROUNDING = 1e-11  # of all readings together: a step that changes them less is only rounding
_LEVEL = 1e-9  # by so much a sum of squares may rise by rounding alone
_WELL = 1e-8  # a smallest eigenvalue above this: normal equations give a good step
_NEAR, _CLOSEST = 1e-5, 1e-15  # how far a descent goes: what is left is polished away
_KEPT, _CLOSE = 0.6, 1e-6  # the share of what steps promise, and where that is only rounding
_HALVINGS, _FELT = 30, 1e-10  # how short a step is tried, and by how much it must help
_POLISHED, _SETTLED = 25, 1e-8  # after a step that moves so little the next is rounding
_RESTLESS = (
    "The fit did not come to rest: the sum of squares still falls. Type other values to begin "
    "with, or take a simpler model."
)


@dataclass(frozen=True)
class Problem:
    """What is to be made small: weighted residuals, shape (n,), of parameters, shape (p,).

    `jacobian` gives their slopes, shape (n, p); `names` the parameters in order; `size` is the
    root of the sum of squares of the weighted readings themselves.
    """

    names: tuple[str, ...]
    residuals: Callable[[Floats], Floats]
    jacobian: Callable[[Floats], Floats]
    size: float = 0.0


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
    if len(starts) == 1 and (straight := _straight_down(problem, starts[0])) is not None:
        return straight
    ends = [end for one in starts if (end := _descended(problem, one, steps))]
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
            lower = _descended(problem, best.p, MOST_STEPS, _CLOSEST) or best
            return _polished(problem, lower, shortened=True)


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
            residuals = problem.residuals(p)
            return residuals if np.isfinite(residuals).all() else np.full(residuals.shape, 1e150)

        def safe_jacobian(p: Floats) -> Floats:
            jacobian = problem.jacobian(p).T
            return jacobian if np.isfinite(jacobian).all() else np.nan_to_num(jacobian, nan=0.0)

        try:
            p, _, details, *_ = optimize.leastsq(
                safe, first, Dfun=safe_jacobian, full_output=True, ftol=near, xtol=near,
                gtol=0.0, maxfev=steps, col_deriv=True,
            )  # fmt: skip
        except (ValueError, TypeError, np.linalg.LinAlgError):
            return None
        p = np.atleast_1d(np.asarray(p, dtype=np.float64))
        rss = float(details["fvec"] @ details["fvec"])
    return _End(p, details["fvec"], rss) if rss < 1e290 else None


def _straight_down(problem: Problem, p: Floats) -> Solution | None:
    """Take Gauss-Newton steps from a good start; None where the model bends too much for them."""
    with np.errstate(all="ignore"):
        residuals = problem.residuals(p)
        rss = float(residuals @ residuals)
        try:
            return _polished(problem, _End(p, residuals, rss), careful=True)
        except FitError:
            return None


def _polished(
    problem: Problem, end: _End, *, careful: bool = False, shortened: bool = False
) -> Solution:
    """Take Gauss-Newton steps as long as they help, and see that the parameters are at rest.

    careful: each step must lower the sum of squares by about as much as the slopes promise,
    |J·step|². shortened: a step that does not help is tried shorter; where none helps, as at the
    kink of a minimum of two, that is rest. Raises FitError where they are not at rest in the end.
    """
    stuck = False
    p, residuals, rss, before = end.p, end.residuals, end.rss, np.inf
    jacobian = problem.jacobian(p)
    for _ in range(_POLISHED):
        step = _short_step(problem, jacobian, residuals)
        along = jacobian @ step
        way = float(along @ along)
        nearer = problem.residuals(p + step)
        sum_nearer = float(nearer @ nearer)
        if careful and way > _CLOSE * rss and not _KEPT < (rss - sum_nearer) / way < 1 / _KEPT:
            break
        # Where the sum of squares is only rounding, steps that grow shorter still come nearer.
        shorter = way < before / 4 and sum_nearer <= rss * (1 + _LEVEL)
        if not (sum_nearer < rss or shorter):
            share = _helpful_share(problem, p, step, rss) if shortened else 0.0
            stuck = shortened and not share
            if not share:
                break
            step, nearer = share * step, problem.residuals(p + share * step)
            way, sum_nearer = share**2 * way, float(nearer @ nearer)
        # The next step would be shorter by the same factor as this one was.
        rate = min(1.0, way / before) if np.isfinite(before) else 1.0
        settled = way * rate <= _SETTLED**2 * rss
        p, residuals, rss, before = p + step, nearer, sum_nearer, way
        if settled:
            break  # its slopes there differ from the last ones by as little
        jacobian = problem.jacobian(p)
    last = _step(problem, jacobian, residuals)
    if not (stuck or _is_at_rest(problem, jacobian @ last.parameters, residuals)):
        raise FitError(_RESTLESS)
    return Solution(p, last.unscaled_covariance)


def _helpful_share(problem: Problem, p: Floats, step: Floats, rss: float) -> float:
    """Give the share of a step that lowers the sum of squares; zero where none does."""
    for halvings in range(1, _HALVINGS):
        share = 0.5**halvings
        residuals = problem.residuals(p + share * step)
        if float(residuals @ residuals) < rss * (1 - _FELT):
            return share
    return 0.0


def _short_step(problem: Problem, jacobian: Floats, residuals: Floats) -> Floats:
    """Give the Gauss-Newton step, by normal equations where their digits suffice for a step.

    Its direction only decides how fast the residuals fall, not where they are least.
    """
    gram = jacobian.T @ jacobian
    size = np.sqrt(np.diag(gram))
    if np.isfinite(size).all() and (size > 0).all():
        values, vectors = np.linalg.eigh(gram / size / size[:, None])
        if values[0] > _WELL * values[-1]:
            gradient = (jacobian.T @ residuals) / size
            return np.asarray(-(vectors @ ((vectors.T @ gradient) / values)) / size)
    return _step(problem, jacobian, residuals).parameters


def _step(problem: Problem, jacobian: Floats, residuals: Floats) -> Solution:
    try:
        return linear.solve(jacobian, -residuals)
    except (FitError, ValueError, np.linalg.LinAlgError) as error:
        raise FitError(
            f"The parameters {', '.join(problem.names)} cannot be told apart by these readings. "
            "Hold one of them fixed, or take a model with fewer."
        ) from error


def _is_at_rest(problem: Problem, along: Floats, residuals: Floats) -> bool:
    """Tell whether the step that is left is nothing beside the uncertainties of the parameters.

    along = J·step: its square over the residual variance is that of the step in units of the
    parameters' uncertainties, stepᵀ C⁻¹ step. Where the residuals themselves are rounding, so
    is the step.
    """
    count = len(problem.names)
    spare = max(1, residuals.size - count)
    scatter = float(np.sqrt(residuals @ residuals / spare))
    left = float(np.sqrt(along @ along / count))
    return left <= _ENOUGH * scatter or left <= _ROUNDING * problem.size
