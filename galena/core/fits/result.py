"""What a fit found."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.fits.models import LinearModel
from galena.core.formula.model import ModelFormula


@dataclass(frozen=True)
class Fit:
    """Parameters with standard uncertainties, and how far the readings are from the model.

    `params` and `errors` map a parameter's name to its value and standard uncertainty (k = 1);
    `covariance` has the same order. `rss` is the residual sum of squares, `residual_sd` the
    residual standard deviation with `dof` degrees of freedom; `aicc` is Akaike's information
    criterion corrected for few readings (Burnham and Anderson, Model Selection, 2002, 2.4).
    `weighted` says that the readings' uncertainties were used; then `rss` is in units of them.
    """

    model: LinearModel | ModelFormula
    params: dict[str, float]
    errors: dict[str, float]
    covariance: NDArray[np.float64]
    rss: float
    residual_sd: float
    r_squared: float
    dof: int
    aicc: float
    weighted: bool
    residuals: NDArray[np.float64] = field(repr=False)

    def predict(self, x: ArrayLike) -> NDArray[np.float64]:
        """Give the model's y at x, shape (n,)."""
        places = np.atleast_1d(np.asarray(x, dtype=np.float64))
        return self.model.values(places, self.params)
