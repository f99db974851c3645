"""One parameter of a model worked out from every single reading, the others being held."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError
from galena.core.fits.models import LinearModel, Model

Floats = NDArray[np.float64]
_BLUNT = 0.1  # of the usual slope: there a reading says little of the parameter
_REACHED_BY_SCATTER = 3.0  # standard deviations that the branch must have room for
_FIRST, _SHORTEST = 0.125, 2.0**-14  # of the way to a reading, in one step
_STEPS = 400
_AGREE = 3.0  # the slope over a step lies between so much and so little of that at its begin
_NEAR = 1e-12  # of the readings: a solution


@dataclass(frozen=True)
class EachReading:
    """values: the parameter from each reading, NaN where it does not count; shape (n,).

    blunt tells the readings at which the model hardly depends on the parameter, or so little
    that their scatter reaches beyond its turning place; unsolved those for which no value on
    the branch of the fit gives the reading.
    """

    values: Floats
    blunt: NDArray[np.bool_]
    unsolved: NDArray[np.bool_]

    @property
    def counted(self) -> Floats:
        """The values that count."""
        return self.values[np.isfinite(self.values)]


def solve_each(
    model: Model, x: ArrayLike, y: ArrayLike, parameter: str, params: Mapping[str, float]
) -> EachReading:
    """Solve a model for one parameter at each reading, on the branch on which the fit lies.

    params: all parameters; those but the one asked for are held, it is where the way begins.
    From there the model's value is led to the reading in steps along which its slope in the
    parameter keeps its sign: beyond a place where it turns (the top of a sine) other solutions
    lie, which belong to another branch. A reading counts only where y depends on the parameter
    at least a tenth as steeply as it does in the root mean square, and where the branch has room
    for three standard deviations of the residuals to both sides: that does not depend on the
    reading's own error, so what is left out biases nothing.
    Raises FitError for a parameter that the model has not.
    Source: Newton's method with continuation in y: Allgower and Georg, Introduction to
    Numerical Continuation Methods (2003), 2.
    """
    if parameter not in model.parameters:
        raise FitError(f"{model.label} has no parameter “{parameter}”.")
    along, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    branch = _Branch(model, along, parameter, params)
    with np.errstate(all="ignore"):
        steep = np.abs(branch.slope(branch.begin))
        off = values - branch.value(branch.begin)
    finite = steep[np.isfinite(steep)]
    usual = float(np.sqrt(np.mean(finite**2))) if finite.size else 0.0
    blunt = ~(steep >= _BLUNT * usual) | (usual == 0)
    given = np.isfinite(off) & ~blunt
    if not isinstance(model, LinearModel) and given.any():
        scatter = float(np.sqrt(np.mean(off[given] ** 2)))
        for way in (-1.0, 1.0):
            reached = branch.to(np.where(given, way * _REACHED_BY_SCATTER * scatter, np.nan))
            blunt |= given & ~np.isfinite(reached)
    solved = branch.to(np.where(blunt, np.nan, off))
    unsolved = np.isfinite(values) & ~blunt & ~np.isfinite(solved)
    return EachReading(solved, blunt, unsolved)


class _Branch:
    """The values of a parameter that can be reached from that of the fit without turning back."""

    def __init__(
        self, model: Model, x: Floats, parameter: str, params: Mapping[str, float]
    ) -> None:
        self.model, self.x, self.parameter, self.params = model, x, parameter, dict(params)
        self.place = model.parameters.index(parameter)
        self.begin = np.full(x.shape, float(params[parameter]))

    def value(self, p: Floats, rows: NDArray[np.intp] | slice = slice(None)) -> Floats:
        params = {**self.params, self.parameter: p}  # each model works element by element
        return self.model.values(self.x[rows], params)  # type: ignore[arg-type]

    def slope(self, p: Floats, rows: NDArray[np.intp] | slice = slice(None)) -> Floats:
        params = {**self.params, self.parameter: p}
        jacobian = self.model.jacobian(self.x[rows], params)  # type: ignore[arg-type]
        return np.asarray(jacobian[:, self.place])

    def to(self, change: Floats) -> Floats:
        """Give the parameter at which the value has changed so much; NaN where none does.

        change: shape (n,), NaN where it is not asked.
        """
        reached = np.full(self.x.shape, np.nan)
        rows = np.flatnonzero(np.isfinite(change))
        p = self.begin[rows]
        with np.errstate(all="ignore"):
            first, slope = self.value(p, rows), self.slope(p, rows)
            sign, done, step = np.sign(slope), np.zeros(rows.size), np.full(rows.size, _FIRST)
            for _ in range(_STEPS):
                if not rows.size:
                    break
                share = np.minimum(done + step, 1.0)
                aim = first + share * change[rows]
                tried = p + (aim - self.value(p, rows)) / slope
                tried = tried + (aim - self.value(tried, rows)) / self.slope(tried, rows)
                kept, new_slope = self._keeps(p, tried, slope, sign, rows)
                kept &= np.abs(self.value(tried, rows) - aim) <= np.abs(step * change[rows]) + (
                    _NEAR * np.abs(aim))  # fmt: skip
                p, slope = np.where(kept, tried, p), np.where(kept, new_slope, slope)
                done = np.where(kept, share, done)
                step = np.where(kept, 2 * step, step / 4)
                arrived = done >= 1.0
                reached[rows[arrived]] = self._polished(
                    p[arrived], change, rows[arrived], first[arrived]
                )
                left = ~arrived & (step > _SHORTEST)
                rows, p, slope, sign = rows[left], p[left], slope[left], sign[left]
                first, done, step = first[left], done[left], step[left]
        return reached

    def _keeps(
        self, p: Floats, tried: Floats, slope: Floats, sign: Floats, rows: NDArray[np.intp]
    ) -> tuple[NDArray[np.bool_], Floats]:
        """Tell whether a step stays on the branch: its slopes agree at begin, half-way and end."""
        middle, end = self.slope((p + tried) / 2, rows), self.slope(tried, rows)
        kept = np.isfinite(tried) & np.isfinite(end)
        for other in (middle, end):
            ratio = other / slope
            kept &= (sign * other > 0) & (ratio < _AGREE) & (ratio > 1 / _AGREE)
        return kept, end

    def _polished(self, p: Floats, change: Floats, rows: NDArray[np.intp], first: Floats) -> Floats:
        """Take Newton steps to the end; NaN where they do not come to rest there."""
        aim = first + change[rows]
        for _ in range(6):
            p = p + (aim - self.value(p, rows)) / self.slope(p, rows)
        near = np.abs(self.value(p, rows) - aim) <= 1e3 * _NEAR * (np.abs(aim) + np.abs(first))
        return np.where(near, p, np.nan)
