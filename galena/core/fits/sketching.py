"""A model laid over readings at a glance, before it is fitted for good.

The best start and a few steps of least squares from it, on some of the readings: where the
curve would lie, in a time that a hand does not notice. No uncertainties are told of it.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError, TooFewReadings
from galena.core.fits.curved_models import CurvedModel
from galena.core.fits.fitting import chosen_model, finite
from galena.core.fits.models import LinearModel, Model
from galena.core.fits.starts import some_of, starts
from galena.core.formula.model import ModelFormula
from galena.core.loading import later

optimize = later("scipy.optimize")

Floats = NDArray[np.float64]
MOST = 1000  # readings
_STEPS = 12
_TRIED = 24  # starts of a typed model, of which the best goes on


@dataclass(frozen=True)
class Sketch:
    """A model with parameters that lay it over readings."""

    model: Model
    params: Mapping[str, float]

    def predict(self, x: Floats) -> Floats:
        """Give y at x, shape (n,)."""
        with np.errstate(all="ignore"):
            return self.model.values(x, self.params)


def sketch(model: str, x: Floats, y: Floats) -> Sketch:
    """Lay a model over readings.

    model: a key of MODELS, or a formula of x; x, y: shape (n,), of which at most MOST count
    where the model is not linear in its parameters.
    Raises FormulaError, FitError, TooFewReadings.
    """
    chosen = chosen_model(model)
    x, y, _ = finite(x, y, None)
    kept = ~chosen.outside(x)
    x, y = x[kept], y[kept]
    if x.size < len(chosen.parameters):
        raise TooFewReadings(f"A fit ({chosen.label})", len(chosen.parameters), int(x.size))
    if isinstance(chosen, LinearModel):
        columns = chosen.jacobian(x)
        size = np.linalg.norm(columns, axis=0)
        size[size == 0] = 1.0
        factors = np.linalg.lstsq(columns / size, y, rcond=None)[0] / size
        return Sketch(chosen, dict(zip(chosen.parameters, map(float, factors), strict=True)))
    # The spectrum of a wave needs all readings: some of them would show another wave.
    some = some_of(x.size, MOST, mixed=True)
    begin = (x, y) if "T" in chosen.parameters else (x[some], y[some])
    tried = starts(chosen, *begin, {})[:_TRIED]
    return Sketch(chosen, _stepped(chosen, x[some], y[some], tried))


def _stepped(
    model: CurvedModel | ModelFormula, x: Floats, y: Floats, begin: list[dict[str, float]]
) -> dict[str, float]:
    """Go a few steps of least squares from the best start. Raises FitError where there is none."""
    names = model.parameters

    def off(row: Floats) -> Floats:
        with np.errstate(all="ignore"):
            left = model.values(x, dict(zip(names, row, strict=True))) - y
        return np.nan_to_num(left, nan=1e60, posinf=1e60, neginf=-1e60)

    def slopes(row: Floats) -> Floats:
        with np.errstate(all="ignore"):
            return np.nan_to_num(model.jacobian(x, dict(zip(names, row, strict=True))))

    tried = [np.array([one[name] for name in names]) for one in begin]
    sizes = [float(np.sum(off(row) ** 2)) for row in tried]
    if not tried or not min(sizes) < 1e150:
        raise FitError(f"No values were seen with which {model.label} lies over these readings.")
    best = tried[int(np.argmin(sizes))]
    solved = optimize.least_squares(off, best, jac=slopes, x_scale="jac", max_nfev=_STEPS)
    return dict(zip(names, map(float, solved.x), strict=True))
