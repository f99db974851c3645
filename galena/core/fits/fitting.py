"""The one door to fitting: choose the readings, solve, and state the result."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError, TooFewReadings
from galena.core.fits import linear, nonlinear, polynomial
from galena.core.fits.curved_models import CURVED, Columns, CurvedModel
from galena.core.fits.linear import Solution
from galena.core.fits.models import LINEAR, LinearModel, Model, columns_of
from galena.core.fits.nonlinear import Problem
from galena.core.fits.polynomial import Centred
from galena.core.fits.result import Fit
from galena.core.fits.starts import starts
from galena.core.fits.waves import refuse_no_wave
from galena.core.formula.model import ModelFormula, compile_model

Floats = NDArray[np.float64]
AnyModel = LinearModel | CurvedModel | ModelFormula
_TELL_A_CONSTANT = 100  # readings that mostly tell that a model has no constant
_IN_SPAN = 1e-9
_FAR = 10.0  # reaches from zero: there the powers of x themselves begin to lose digits
_REMEMBERED = 3  # parameters in a row: a step that was tried, the one before, and the best
MODELS: Mapping[str, LinearModel | CurvedModel] = {one.key: one for one in (*LINEAR, *CURVED)}


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
    its parameters. x, y: shape (n,); pairs that are not finite, or at which the model has no
    value, are left out. x of shape (n, k) goes with a formula of x1 … xk.
    u_y: standard uncertainties of y, shape (n,) or a number; given, the fit is weighted by
    1/u_y² and the parameters' uncertainties follow from u_y alone, otherwise from the scatter.
    start: values to begin with; without them several are tried. Models that are linear in
    their parameters need none.
    fixed: parameters held at a value; their uncertainty is zero.

    Raises FormulaError for a formula that cannot be read; FitError for an unknown parameter,
    a fit that does not converge, shapes that differ, uncertainties that
    are not positive and x that are all equal; TooFewReadings where no scatter could be seen.
    Source: JCGM 100:2008 (GUM), H.3; Draper and Smith, Applied Regression Analysis, 3rd ed., 5.
    """
    places, values, u = _finite(x, y, u_y)
    chosen = chosen_model(model, 1 if places.ndim == 1 else places.shape[1])
    held = dict(fixed or {})
    unknown = [name for name in (*held, *(start or {})) if name not in chosen.parameters]
    if unknown:
        raise FitError(
            f"{chosen.label} has no parameter “{unknown[0]}”. "
            f"It has {', '.join(chosen.parameters)}."
        )
    places, values, u, excluded = _within(chosen, places, values, u)
    free = [name for name in chosen.parameters if name not in held]
    needed = len(free) + (u is None)
    if values.size < needed:
        raise TooFewReadings(f"A fit ({chosen.label})", needed, int(values.size))
    weights = np.ones_like(values) if u is None else 1 / u
    solved = solution_of(chosen, places, values, weights, held, start or {})
    found = state(chosen, places, values, weights, solved, tuple(held), u is not None, excluded)
    refuse_no_wave(found, values, searched=not start)
    return found


def solution_of(
    model: AnyModel, x: Floats, y: Floats, weights: Floats, held: Mapping[str, float],
    start: Mapping[str, float],
) -> Solved:  # fmt: skip
    """Find the parameters that fit readings best. Raises FitError."""
    names = list(model.parameters)
    free = [name for name in names if name not in held]
    if not free:
        return Solved({name: held[name] for name in names}, np.zeros((len(names), len(names))))
    if isinstance(model, LinearModel):
        return _solve(model, x, y, weights, held, free)
    _refuse_no_numbers(model, x, held)
    return _solve_curved(model, x, y, weights, held, {**start, **held})


def _refuse_no_numbers(model: AnyModel, x: Floats, held: Mapping[str, float]) -> None:
    """Refuse a held value at which the model has no numbers whatever the others are, as τ = 0."""
    some = x[: min(50, x.shape[0])]
    for name, value in held.items():
        ones = {**dict.fromkeys(model.parameters, 1.0), name: value}
        with np.errstate(all="ignore"):
            if not value and not np.isfinite(model.values(some, ones)).any():
                raise FitError(
                    f"With {name} = {value:g} the model gives no numbers: it divides by {name}. "
                    "Hold it at another value."
                )


@lru_cache(maxsize=256)
def chosen_model(model: str, places: int = 1) -> LinearModel | CurvedModel | ModelFormula:
    """Give a model by its key, or of a formula. Raises FitError, FormulaError."""
    if model in MODELS:
        return MODELS[model]
    if model.isidentifier() and model != "x":
        raise FitError(f"There is no model “{model}”. Choose one of {', '.join(MODELS)}.")
    return compile_model(model, "x" if places == 1 else tuple(f"x{n + 1}" for n in range(places)))


class Solved(NamedTuple):
    """All parameters of a model, their unscaled covariance in its order, and of a polynomial
    the same in the centred variable."""

    params: dict[str, float]
    unscaled: Floats
    centred: Centred | None = None


@dataclass
class _AtParameters:
    """What was worked out at certain parameters, and what works out the slopes there."""

    residuals: Floats
    slopes: Callable[[], Columns]
    jacobian: Floats | None = None


def problem_of(
    model: Model, x: Floats, y: Floats, weights: Floats, held: Mapping[str, float]
) -> Problem:
    """Say what is to be made small to fit a model whose other parameters are held."""
    free = tuple(name for name in model.parameters if name not in held)
    place = [model.parameters.index(name) for name in free]
    plain = bool(np.all(weights == 1.0))

    def known(p: Floats) -> dict[str, float]:
        return {**held, **dict(zip(free, p.tolist(), strict=True))}

    last: dict[bytes, _AtParameters] = {}

    def at(p: Floats) -> _AtParameters:
        """Work out residuals and slopes at the same parameters in one go."""
        key = p.tobytes()
        if key not in last:
            while len(last) >= _REMEMBERED:
                last.pop(next(iter(last)))
            params = known(p)
            if isinstance(model, CurvedModel):
                values, slopes = model.worked(x, params)
            else:
                values, slopes = model.values(x, params), lambda: tuple(model.slopes(x, params).T)
            off = values - y
            last[key] = _AtParameters(off if plain else weights * off, slopes)
        return last[key]

    def residuals(p: Floats) -> Floats:
        return at(p).residuals

    def jacobian(p: Floats) -> Floats:
        known_here = at(p)
        if known_here.jacobian is None:
            columns = known_here.slopes()
            found = columns_of([columns[one] for one in place], x.shape[0])
            known_here.jacobian = found if plain else found * weights[:, None]
        return known_here.jacobian

    size = float(np.linalg.norm(y if plain else weights * y))
    return Problem(free, residuals, jacobian, size)


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
    found = {**held, **dict(zip(free, map(float, solution.parameters), strict=True))}
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = solution.unscaled_covariance
    return Solved({name: found[name] for name in names}, covariance)


def _of_typed_polynomial(
    model: ModelFormula, x: Floats, y: Floats, weights: Floats
) -> Solved | None:
    """Solve a formula that is a polynomial far from zero in the centred variable, else None."""
    if x.ndim > 1 or not abs(float(x.mean())) > _FAR * float(np.ptp(x)):
        return None
    none, other = (dict.fromkeys(model.parameters, value) for value in (0.0, 0.7))
    offset, columns = model.values(x, none), model.slopes(x, none)
    if not (np.isfinite(offset).all() and np.array_equal(columns, model.slopes(x, other))):
        return None
    degree = columns.shape[1] - 1
    of_power = [
        next((k for k in range(degree + 1) if np.allclose(column, x**k, rtol=1e-14, atol=0)), -1)
        for column in columns.T
    ]
    if degree < 1 or sorted(of_power) != list(range(degree + 1)):
        return None
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
        slopes, elsewhere = problem.jacobian(none), problem.jacobian(other)
        off = problem.residuals(none)
    if not (np.isfinite(slopes).all() and np.isfinite(off).all()):
        return None
    if not np.allclose(slopes, elsewhere, rtol=1e-12, atol=0.0):
        return None
    try:
        solution = linear.solve(slopes, -off)
        parameters = solution.parameters
        if not np.allclose(slopes, problem.jacobian(parameters), rtol=1e-12, atol=0.0):
            return None  # it bends elsewhere, as min and max do
        for _ in range(2):
            step = linear.solve(slopes, -problem.residuals(parameters)).parameters
            parameters = parameters + step
    except FitError as error:
        raise FitError(
            f"The parameters {', '.join(problem.names)} cannot be told apart by these readings. "
            "Hold one of them fixed, or take a model with fewer."
        ) from error
    return Solution(parameters, solution.unscaled_covariance)


def _finite(
    x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None
) -> tuple[Floats, Floats, Floats | None]:
    places = np.asarray(x, dtype=np.float64)
    values = np.asarray(y, dtype=np.float64)
    if places.shape[:1] != values.shape or places.ndim not in (1, 2):
        raise FitError(
            f"x and y must be two rows of the same length, not {places.shape} and {values.shape}."
        )
    along = np.isfinite(places) if places.ndim == 1 else np.isfinite(places).all(axis=1)
    good = along & np.isfinite(values)
    if u_y is None:
        return places[good], values[good], None
    u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
    if not np.all(u[good] > 0):
        raise FitError("Each uncertainty must be above zero to weight a reading by it.")
    return places[good], values[good], u[good]


def _within(
    model: Model, x: Floats, y: Floats, u: Floats | None
) -> tuple[Floats, Floats, Floats | None, int]:
    """Leave out the readings at which a model has no value; tells how many."""
    outside = model.outside(x)
    if isinstance(model, LinearModel) and not (~outside).any() and x.size and not x.any():
        raise FitError("All readings have x = 0, so no slope can be found. Choose a wider stretch.")
    count = int(np.count_nonzero(outside))
    if not count:
        return x, y, u, 0
    kept = ~outside
    return x[kept], y[kept], None if u is None else u[kept], count


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
        found, part = solution.parameters[pick], solution.unscaled_covariance[np.ix_(pick, pick)]
    else:
        columns = model.slopes(x)
        of = {name: columns[:, place] for place, name in enumerate(names)}
        known = sum((held[name] * of[name] for name in held), np.zeros_like(x))
        some = np.stack([of[name] for name in free], axis=1)
        solution = linear.solve(some * weights[:, None], (y - known) * weights)
        found, part = solution.parameters, solution.unscaled_covariance
    params = {**held, **dict(zip(free, map(float, found), strict=True))}
    places = [names.index(name) for name in free]
    covariance[np.ix_(places, places)] = part
    return Solved({name: params[name] for name in names}, covariance, centred)


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
    variance = rss / dof if dof else math.nan
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
        residual_sd=math.sqrt(variance) if dof else math.nan,
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
        slopes = model.slopes(x[:: max(1, x.shape[0] // most)], params)[:, free]
        if (slopes == slopes[0]).all(axis=0).any():
            return bool(np.isfinite(slopes[0]).all())
        slopes = slopes[np.isfinite(slopes).all(axis=1)]
        size = np.linalg.norm(slopes, axis=0)
        if not slopes.size or not (size > 0).all():
            return False
        ones = np.ones(slopes.shape[0])
        share = np.linalg.lstsq(slopes / size, ones, rcond=None)[0]
        if np.linalg.norm(ones - (slopes / size) @ share) > _IN_SPAN * math.sqrt(ones.size):
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
    scatter = count * math.log(rss / count) if rss > 0 else -math.inf
    likelihood = rss if weighted else scatter
    return likelihood + 2 * k + 2 * k * (k + 1) / spare
