"""One model fitted to several sets of readings at once, some parameters being the same in all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.budget import spend
from galena.core.errors import FitError, TooFewReadings
from galena.core.fits import nonlinear
from galena.core.fits.fitting import chosen_model, finite, fit
from galena.core.fits.nonlinear import Problem
from galena.core.fits.result import Fit
from galena.core.fits.solving import AnyModel, solution_of
from galena.core.fits.stating import Solved, state

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Set:
    """Readings of one run: x, y and, for a weighted fit, standard uncertainties; shape (n,)."""

    x: ArrayLike
    y: ArrayLike
    u_y: ArrayLike | None = None


def fit_together(
    model: str,
    sets: Sequence[Set],
    shared: Sequence[str],
    *,
    start: Mapping[str, float] | None = None,
    fixed: Mapping[str, float] | None = None,
) -> list[Fit]:
    """Fit a model to several sets, with the parameters named in `shared` the same in all.

    Gives a Fit for each set; a shared parameter has the same value and uncertainty in all of
    them. Without weights the scatter is taken as the same in all sets. Raises what `fit` does.
    Source: Seber and Wild, Nonlinear Regression (1989), 2.1 (one sum of squares over all sets).
    """
    chosen = chosen_model(model)
    held = dict(fixed or {})
    wrong = [name for name in shared if name not in chosen.parameters or name in held]
    if wrong:
        raise FitError(f"{wrong[0]} cannot be shared: it is held, or {chosen.label} has it not.")
    if len(sets) < 2 or not shared:
        return [fit(model, one.x, one.y, u_y=one.u_y, start=start, fixed=fixed) for one in sets]
    own = [name for name in chosen.parameters if name not in held and name not in shared]
    names = (*shared, *(f"{name} {n}" for n in range(len(sets)) for name in own))
    parts = [_Part(chosen, one) for one in sets]
    weighted, count = all(one.u_y is not None for one in sets), sum(part.y.size for part in parts)
    if count < len(names) + (not weighted):
        raise TooFewReadings("A fit of all runs together", len(names) + 1, count)
    joint = _Joint(parts, held, [*shared, *own],
                   [_places(n, len(shared), own) for n in range(len(sets))])  # fmt: skip
    first = _first(_beginnings(chosen, parts, held, start or {}), shared, own)
    problem = Problem(names, joint.residuals, joint.jacobian, joint.size)
    solution = nonlinear.solve(problem, [first])
    off = joint.residuals(solution.parameters)
    spare = max(1, count - len(names))
    variance = 1.0 if weighted else float(off @ off) / spare
    return [
        _stated(part, joint.params(solution.parameters, n), solution.unscaled_covariance, variance,
                joint.places[n], joint.free, tuple(held), weighted, spare)
        for n, part in enumerate(parts)
    ]  # fmt: skip


def _first(begin: list[dict[str, float]], shared: Sequence[str], own: list[str]) -> Floats:
    """Give parameters to begin with: the mean of those that are shared, then each set's own."""
    mean = [float(np.mean([params[name] for params in begin])) for name in shared]
    return np.array([*mean, *(params[name] for params in begin for name in own)])


@dataclass(frozen=True)
class _Joint:
    """All sets as one problem. free: the names that are sought in each; places: where the
    parameters of each set stand among those of all."""

    parts: list[_Part]
    held: Mapping[str, float]
    free: list[str]
    places: list[NDArray[np.intp]]

    def params(self, p: Floats, n: int) -> dict[str, float]:
        return {**self.held, **dict(zip(self.free, p[self.places[n]].tolist(), strict=True))}

    def residuals(self, p: Floats) -> Floats:
        spend()
        each = (part.residuals(self.params(p, n)) for n, part in enumerate(self.parts))
        return np.concatenate(list(each))

    def jacobian(self, p: Floats) -> Floats:
        count = sum(part.y.size for part in self.parts)
        table, row = np.zeros((count, p.size), order="F"), 0
        for n, part in enumerate(self.parts):
            rows = slice(row, row + part.y.size)
            table[rows, self.places[n]] = part.jacobian(self.params(p, n), self.free)
            row = rows.stop
        return table

    @property
    def size(self) -> float:
        """The root of the sum of the squares of all values, each by its weight."""
        return float(np.sqrt(sum(np.sum((part.weights * part.y) ** 2) for part in self.parts)))


def _beginnings(
    model: AnyModel, parts: Sequence[_Part], held: Mapping[str, float], start: Mapping[str, float]
) -> list[dict[str, float]]:
    """Give parameters to begin with for each set: of its own, or of all where it has too few."""
    free = [name for name in model.parameters if name not in held]

    def of(x: Floats, y: Floats, weights: Floats) -> dict[str, float]:
        return solution_of(model, x, y, weights, held, start).params

    begin: list[dict[str, float] | None] = []
    for part in parts:
        try:
            enough = part.y.size >= len(free)
            begin.append(of(part.x, part.y, part.weights) if enough else None)
        except FitError:
            begin.append(None)
    if all(one is not None for one in begin):
        return [one for one in begin if one is not None]
    joined = [
        np.concatenate([getattr(part, name) for part in parts]) for name in ("x", "y", "weights")
    ]
    of_all = of(*joined)
    return [one or of_all for one in begin]


class _Part:
    """The readings of a set at which the model has a value."""

    def __init__(self, model: AnyModel, given: Set) -> None:
        x, y, u = finite(given.x, given.y, given.u_y)
        self.model = model
        good = ~model.outside(x)
        self.x, self.y = x[good], y[good]
        if not self.y.size:
            raise TooFewReadings("A fit of all runs together", 1, 0)
        self.weights = np.ones_like(self.y) if u is None else 1 / u[good]

    def residuals(self, params: dict[str, float]) -> Floats:
        return self.weights * (self.model.values(self.x, params) - self.y)

    def jacobian(self, params: dict[str, float], free: list[str]) -> Floats:
        jacobian = self.model.jacobian(self.x, params)
        columns = [self.model.parameters.index(name) for name in free]
        return jacobian[:, columns] * self.weights[:, None]


def _places(number: int, shared: int, own: list[str]) -> NDArray[np.intp]:
    begin = shared + number * len(own)
    return np.concatenate((np.arange(shared), np.arange(begin, begin + len(own))))


def _stated(
    part: _Part, params: dict[str, float], unscaled: Floats, variance: float,
    places: NDArray[np.intp], free: list[str], held: tuple[str, ...], weighted: bool,
    spare: int,
) -> Fit:  # fmt: skip
    names = list(part.model.parameters)
    at = [names.index(name) for name in free]
    covariance = np.zeros((len(names), len(names)))
    covariance[np.ix_(at, at)] = unscaled[np.ix_(places, places)] * variance
    ordered = {name: params[name] for name in names}
    # The covariance is that of all sets together; it must not be scaled by one set's scatter.
    solved = Solved(ordered, covariance)
    stated = state(part.model, part.x, part.y, part.weights, solved, held, True)
    if weighted:
        return stated
    alone = state(part.model, part.x, part.y, np.ones_like(part.y), solved, held, False)
    u = dict(zip(names, np.sqrt(np.diag(covariance)).tolist(), strict=True))
    return replace(alone, covariance=covariance, uncertainties=u, scatter_dof=spare)
