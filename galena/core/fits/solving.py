"""Finding the parameters of a model: which method serves which kind of model."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np
from numpy.typing import NDArray

from galena.core.budget import spend
from galena.core.errors import FitError
from galena.core.fits import linear, nonlinear, polynomial
from galena.core.fits.curved_models import Columns, CurvedModel
from galena.core.fits.linear import Solution
from galena.core.fits.models import LinearModel, Model, columns_of
from galena.core.fits.nonlinear import Problem
from galena.core.fits.starts import starts
from galena.core.fits.stating import Solved
from galena.core.formula.model import ModelFormula

Floats = NDArray[np.float64]
AnyModel = LinearModel | CurvedModel | ModelFormula
_FAR = 10.0  # reaches from zero: there the powers of x themselves begin to lose digits
_REMEMBERED = 3  # parameters in a row: a step that was tried, the one before, and the best


def solution_of(
    model: AnyModel, x: Floats, y: Floats, weights: Floats, held: Mapping[str, float],
    start: Mapping[str, float],
) -> Solved:  # fmt: skip
    """Find the parameters that fit readings best. Raises FitError."""
    names = list(model.parameters)
    free = [name for name in names if name not in held]
    if not isinstance(model, LinearModel):
        _refuse_division_by_zero(model, x, {**start, **held})
    if not free:
        return Solved({name: held[name] for name in names}, np.zeros((len(names), len(names))))
    if isinstance(model, LinearModel):
        return _solve(model, x, y, weights, held, free)
    return _solve_curved(model, x, y, weights, held, {**start, **held})


def _refuse_division_by_zero(model: AnyModel, x: Floats, given: Mapping[str, float]) -> None:
    """Refuse a parameter at zero that the model divides by, as a decay time of none."""
    some = x[: min(20, x.shape[0])]
    for name, value in given.items():
        if value:
            continue
        with np.errstate(all="ignore"):
            jacobian = model.jacobian(some, {**dict.fromkeys(model.parameters, 1.0), name: value})
        if some.size and not np.isfinite(jacobian[:, model.parameters.index(name)]).any():
            raise FitError(
                f"With {name} = 0 the model gives no numbers: it divides by {name}. Take another "
                "value."
            )


def _solve(
    model: LinearModel,
    x: Floats,
    y: Floats,
    weights: Floats,
    held: Mapping[str, float],
    free: list[str],
) -> Solved:
    """Give all parameters and the unscaled covariance in the order of the model."""
    names = list(model.parameters)
    covariance = np.zeros((len(names), len(names)))
    degree, centred = model.degree, None
    if degree and not held:
        centred = polynomial.fitted(x, y, weights, degree)
        solution = centred.in_powers_of_x()
        pick = np.array([int(model.basis[name]) for name in free])
        fitted, part = solution.parameters[pick], solution.unscaled_covariance[np.ix_(pick, pick)]
    else:
        columns = model.jacobian(x)
        of = {name: columns[:, place] for place, name in enumerate(names)}
        of_held = sum((held[name] * of[name] for name in held), np.zeros_like(x))
        some = np.stack([of[name] for name in free], axis=1)
        solution = linear.solve(some * weights[:, None], (y - of_held) * weights)
        fitted, part = solution.parameters, solution.unscaled_covariance
    params = {**held, **dict(zip(free, map(float, fitted), strict=True))}
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = part
    return Solved({name: params[name] for name in names}, covariance, centred)


def _solve_curved(
    model: CurvedModel | ModelFormula,
    x: Floats,
    y: Floats,
    weights: Floats,
    held: Mapping[str, float],
    begin: Mapping[str, float],
) -> Solved:
    """Give all parameters and the unscaled covariance in the order of the model."""
    names = list(model.parameters)
    free = [name for name in names if name not in held]
    covariance = np.zeros((len(names), len(names)))
    problem = problem_of(model, x, y, weights, held)
    solution = None
    if isinstance(model, ModelFormula):
        if not held and (typed := _of_typed_polynomial(model, x, y, weights)) is not None:
            return typed
        solution = _of_linear_formula(problem)
    if solution is None:
        order = partial(np.array, dtype=np.float64)
        first = [order([one[name] for name in free]) for one in starts(model, x, y, begin)]
        solution = nonlinear.solve(problem, first)
    params = {**held, **dict(zip(free, map(float, solution.parameters), strict=True))}
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = solution.unscaled_covariance
    return Solved({name: params[name] for name in names}, covariance)


def _of_typed_polynomial(
    model: ModelFormula, x: Floats, y: Floats, weights: Floats
) -> Solved | None:
    """Solve a formula that is a polynomial far from zero in the centred variable, else None."""
    if x.ndim > 1 or not abs(float(x.mean())) > _FAR * float(np.ptp(x)):
        return None
    of_power = list(polynomial.powers_of(model, x).values())
    degree = len(of_power) - 1
    if degree < 1:
        return None
    offset = model.values(x, dict.fromkeys(model.parameters, 0.0))
    centred = polynomial.fitted(x, y - offset, weights, degree)
    solution = centred.in_powers_of_x()
    params = dict(zip(model.parameters, solution.parameters[of_power].tolist(), strict=True))
    covariance = solution.unscaled_covariance[np.ix_(of_power, of_power)]
    return Solved(params, covariance, None if offset.any() else centred)


def _of_linear_formula(problem: Problem) -> Solution | None:
    """Solve a formula that is linear in all its free parameters; None where it is not.

    It is where its slopes do not depend on them. One step of refinement on the residuals gives
    back what rounding took (Björck, Numerical Methods for Least Squares Problems, 1996, 2.9).
    """
    none = np.zeros(len(problem.names))
    other = np.random.default_rng(5).normal(1.0, 0.5, len(problem.names))
    with np.errstate(all="ignore"):
        jacobian, elsewhere = problem.jacobian(none), problem.jacobian(other)
        off = problem.residuals(none)
    if not (np.isfinite(jacobian).all() and np.isfinite(off).all()):
        return None
    if not np.allclose(jacobian, elsewhere, rtol=1e-12, atol=0.0):
        return None
    try:
        solution = linear.solve(jacobian, -off)
        parameters = solution.parameters
        if not np.allclose(jacobian, problem.jacobian(parameters), rtol=1e-12, atol=0.0):
            return None  # it bends elsewhere, as min and max do
        for _ in range(2):
            step = linear.solve(jacobian, -problem.residuals(parameters)).parameters
            parameters = parameters + step
    except FitError as error:
        raise FitError(
            f"The parameters {', '.join(problem.names)} cannot be told apart by these readings. "
            "Hold one of them fixed, or take a model with fewer."
        ) from error
    return Solution(parameters, solution.unscaled_covariance)


@dataclass
class _AtParameters:
    """What was worked out at certain parameters, and what works out the slopes there."""

    residuals: Floats
    columns: Callable[[], Columns]
    jacobian: Floats | None = None


def problem_of(
    model: Model, x: Floats, y: Floats, weights: Floats, held: Mapping[str, float]
) -> Problem:
    """Say what is to be made small to fit a model whose other parameters are held."""
    free = tuple(name for name in model.parameters if name not in held)
    place = [model.parameters.index(name) for name in free]
    plain = bool(np.all(weights == 1.0))
    last: dict[bytes, _AtParameters] = {}

    def at(p: Floats) -> _AtParameters:
        """Work out residuals and slopes at the same parameters in one go."""
        key = p.tobytes()
        if key not in last:
            spend()
            while len(last) >= _REMEMBERED:
                last.pop(next(iter(last)))
            params = {**held, **dict(zip(free, p.tolist(), strict=True))}
            values, jacobian = _worked(model, x, params)
            off = values - y
            last[key] = _AtParameters(off if plain else weights * off, jacobian)
        return last[key]

    def residuals(p: Floats) -> Floats:
        return at(p).residuals

    def jacobian(p: Floats) -> Floats:
        here = at(p)
        if here.jacobian is None:
            columns = here.columns()
            table = columns_of([columns[one] for one in place], x.shape[0])
            here.jacobian = table if plain else table * weights[:, None]
        return here.jacobian

    size = float(np.linalg.norm(y if plain else weights * y))
    return Problem(free, residuals, jacobian, size)


def _worked(
    model: Model, x: Floats, params: dict[str, float]
) -> tuple[Floats, Callable[[], Columns]]:
    """Give a model's values, and what gives its slopes by its parameters."""
    if isinstance(model, CurvedModel):
        return model.worked(x, params)
    return model.values(x, params), lambda: tuple(model.jacobian(x, params).T)
