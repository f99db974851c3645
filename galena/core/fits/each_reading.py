"""One parameter of a model worked out from every single reading, the others being held."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError
from galena.core.fits.models import Model

Floats = NDArray[np.float64]
_BLUNT = 0.1  # of the usual slope: there a reading says little of the parameter
_STEPS = 30


@dataclass(frozen=True)
class EachReading:
    """values: the parameter from each reading, NaN where it could not be told; shape (n,).

    blunt tells the readings near a place where the model hardly depends on the parameter.
    """

    values: Floats
    blunt: NDArray[np.bool_]

    @property
    def counted(self) -> Floats:
        """The values that count."""
        return self.values[~self.blunt & np.isfinite(self.values)]


def solve_each(
    model: Model, x: ArrayLike, y: ArrayLike, parameter: str, params: Mapping[str, float]
) -> EachReading:
    """Solve a model for one parameter at each reading.

    params: all parameters; those but the one asked for are held, it is where the search begins.
    A reading counts only where y depends on the parameter at least a tenth as steeply as it
    usually does: elsewhere a small error of y would be a large one of the parameter.
    Raises FitError for a parameter that the model has not.
    Source: Newton's method, for each reading by itself.
    """
    if parameter not in model.parameters:
        raise FitError(f"{model.label} has no parameter “{parameter}”.")
    place = model.parameters.index(parameter)
    along, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    p = np.full(values.shape, float(params[parameter]))
    steep = np.abs(_slope(model, along, params, place))
    with np.errstate(all="ignore"):
        for _ in range(_STEPS):
            step = _newton(model, along, values, parameter, place, params, p)
            p = p + step
            if np.all(~np.isfinite(step) | (np.abs(step) <= 1e-14 * np.abs(p))):
                break
    finite = steep[np.isfinite(steep) & (steep > 0)]
    usual = float(np.median(finite)) if finite.size else 0.0
    return EachReading(p, ~(steep >= _BLUNT * usual) | (usual == 0))


def _slope(model: Model, x: Floats, params: Mapping[str, float], place: int) -> Floats:
    return model.slopes(x, params)[:, place]


def _newton(
    model: Model, x: Floats, y: Floats, parameter: str, place: int,
    params: Mapping[str, float], p: Floats,
) -> Floats:  # fmt: skip
    """Give each reading's next step; p differs from reading to reading."""
    known = {**params, parameter: p}  # each model works out its formula element by element
    now = model.values(x, known)  # type: ignore[arg-type]
    slope = model.slopes(x, known)[:, place]  # type: ignore[arg-type]
    return np.where(slope != 0, (y - now) / slope, np.nan)
