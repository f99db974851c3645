"""What a fit found."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.distributions import normal_quantile, student_quantile
from galena.core.fits.models import Model
from galena.core.fits.polynomial import Centred


@dataclass(frozen=True)
class Fit:
    """Parameters with standard uncertainties, and how far the readings are from the model.

    `params` and `uncertainties` map a parameter's name to its value and standard uncertainty
    (k = 1); `covariance` has the same order. `rss` is the residual sum of squares, `residual_sd`
    the residual standard deviation with `dof` degrees of freedom; `aicc` is Akaike's information
    criterion corrected for few readings (Burnham and Anderson, Model Selection, 2002, 2.4).
    `weighted` says that the readings' uncertainties were used; then `rss` is in units of them.
    `excluded` counts the readings at which the model has no value; they are left out.
    `reach` is the stretch of x that the readings have, `held` names the parameters held fixed.
    `about_mean` says that R² compares with the mean of y, otherwise with zero: the former where
    the model has a constant among its free parameters. `scatter_dof` are the degrees of freedom of
    the scatter where runs that are fitted together tell it; `counts_as` is how many readings these
    are worth where they follow each other and the uncertainties were widened. `centred` is a
    polynomial as it was fitted, in a variable that has its digits also far from x = 0.
    """

    model: Model
    params: dict[str, float]
    uncertainties: dict[str, float]
    covariance: NDArray[np.float64]
    rss: float
    residual_sd: float
    r_squared: float
    dof: int
    aicc: float
    weighted: bool
    residuals: NDArray[np.float64] = field(repr=False)
    excluded: int = 0
    reach: tuple[float, float] = (math.nan, math.nan)
    held: tuple[str, ...] = ()
    about_mean: bool = True
    scatter_dof: int | None = None
    counts_as: float | None = None
    centred: Centred | None = field(default=None, repr=False)

    def predict(self, x: ArrayLike) -> NDArray[np.float64]:
        """Give the model's y at x, shape (n,)."""
        places = _places(x)
        if self.centred is not None:
            return self.centred.values(places)
        return self.model.values(places, self.params)

    def residuals_at(self, x: ArrayLike, y: ArrayLike) -> NDArray[np.float64]:
        """Give what the fit leaves over of readings y at places x, shape (n,), NaN where the model
        has no value."""
        places = np.asarray(x, dtype=np.float64)
        left = np.asarray(np.asarray(y, dtype=np.float64) - self.predict(places))
        return np.where(self.model.outside(places), np.nan, left)

    def band(self, x: ArrayLike) -> NDArray[np.float64]:
        """Give the standard uncertainty of the model's y at x, shape (n,).

        u² = J C Jᵀ with the slopes J of y in the parameters and their covariance C.
        Source: JCGM 100:2008 (GUM), 5.2.2.
        """
        if self.centred is not None:
            return np.asarray(np.sqrt(np.maximum(self.centred.variance(_places(x)), 0.0)))
        jacobian = self.model.jacobian(_places(x), self.params)
        with np.errstate(all="ignore"):
            variance = np.einsum("ij,jk,ik->i", jacobian, self.covariance, jacobian)
            return np.asarray(np.sqrt(np.maximum(variance, 0.0)))

    def derivative(self, x: ArrayLike) -> NDArray[np.float64]:
        """Give the model's rate of change at x, shape (n,)."""
        if self.centred is not None:
            return self.centred.derivative(_places(x))
        return self.model.derivative(_places(x), self.params)

    @property
    def count(self) -> int:
        """How many readings it is fitted to."""
        return self.dof + len(self.free)

    @property
    def free(self) -> list[str]:
        """The parameters that were found, in order."""
        return [name for name in self.params if name not in self.held]

    @property
    def reduced_chi_squared(self) -> float:
        """The residual sum of squares a degree of freedom; about 1 where weights and model fit."""
        return self.rss / self.dof if self.weighted and self.dof else math.nan

    @property
    def correlation(self) -> NDArray[np.float64]:
        """The correlations of the parameters, shape (p, p); zero with those held."""
        u = np.sqrt(np.diag(self.covariance))
        with np.errstate(all="ignore"):
            return np.asarray(np.nan_to_num(self.covariance / np.outer(u, u)))

    def interval(self, name: str, level: float = 0.95) -> tuple[float, float]:
        """Give the confidence interval of a parameter.

        By Student's t with the degrees of freedom of the scatter; where the uncertainties of the
        readings are known and not estimated from it, by the normal distribution.
        Source: JCGM 100:2008 (GUM), G.3 and G.1.3.
        """
        share = (1 + level) / 2
        dof: float = self.dof if self.scatter_dof is None else self.scatter_dof
        if self.counts_as is not None:
            dof = max(1.0, min(dof, self.counts_as - len(self.free)))
        if self.weighted:
            half = normal_quantile(share) * self.uncertainties[name]
        elif dof < 1:
            return -math.inf, math.inf
        else:
            half = student_quantile(share, dof) * self.uncertainties[name]
        return self.params[name] - half, self.params[name] + half


def _places(x: ArrayLike) -> NDArray[np.float64]:
    return np.atleast_1d(np.asarray(x, dtype=np.float64))
