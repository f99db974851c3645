"""The shapes of the models, as small drawings show them."""

import numpy as np
from numpy.typing import NDArray

from galena.core.fits.models import Model

POINTS = 61


def outline(model: Model, points: int = POINTS) -> NDArray[np.float64]:
    """Give a model's shape in a unit square: x and y from 0 to 1, shape (points, 2).

    Zero lies on the lower edge where the model nowhere falls below it; a model that does not
    change lies half way up.
    """
    example = model.facts.example
    x = np.linspace(example.lo, example.hi, points)
    y = model.values(x, dict.fromkeys(model.parameters, 1.0) | dict(example.params))
    lo, hi = min(0.0, float(np.min(y))), float(np.max(y))
    if float(np.ptp(y)) == 0:
        lo, hi = float(y[0]) - 1, float(y[0]) + 1
    return np.column_stack(((x - example.lo) / (example.hi - example.lo), (y - lo) / (hi - lo)))
