"""Values from several runs: whether they agree within their uncertainties, and their mean."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike
from scipy.stats import norm

from galena.core.statistics import describe

UNLIKELY = 0.05


@dataclass(frozen=True)
class Agreement:
    """odd: the place of the value that lies farthest from the weighted mean of all; apart: how
    far, in the uncertainty of that distance; agree: whether among so many values one lies as far
    off by chance alone more often than once in twenty."""

    odd: int
    apart: float
    agree: bool


def agreement(values: ArrayLike, uncertainties: ArrayLike) -> Agreement:
    """Judge whether independent values agree.

    values, uncertainties: shape (n,) with n ≥ 2, uncertainties above zero.

        d_i = (v_i - m)/√(u_i² - u_m²),  m = Σ w_i v_i / Σ w_i,  w_i = 1/u_i²,  u_m² = 1/Σ w_i

    Source: the weighted mean of GUM (JCGM 100:2008), 5.1.2; Šidák, Journal of the American
    Statistical Association 62 (1967) 626, for the largest of several.
    """
    v, u = np.asarray(values, dtype=np.float64), np.asarray(uncertainties, dtype=np.float64)
    weights = 1 / u**2
    mean = float(weights @ v / weights.sum())
    spread = np.sqrt(np.maximum(u**2 - 1 / weights.sum(), 1e-12 * u**2))
    apart = np.abs(v - mean) / spread
    odd = int(np.argmax(apart))
    by_chance = 1 - (1 - 2 * float(norm.sf(apart[odd]))) ** (v.size if v.size > 2 else 1)
    return Agreement(odd, float(apart[odd]), by_chance > UNLIKELY)


def mean_of_repeats(values: ArrayLike, uncertainties: ArrayLike) -> tuple[float, float]:
    """Give the mean of repeats and its standard uncertainty.

    values, uncertainties: shape (n,), n ≥ 1; what is no number is left out, zero stands for an
    uncertainty that is not known. Raises TooFewReadings where nothing is left.

        u = max(s/√n, √(Σ u_i²)/n)

    It is no surer than what is known of each makes it: two that agree by chance are no better
    than two. Source: JCGM 100:2008 (GUM), 4.2.3 and 5.1.2.
    """
    v, u = np.asarray(values, dtype=np.float64), np.asarray(uncertainties, dtype=np.float64)
    good = np.isfinite(v)
    described = describe(v[good])
    of_each = float(np.linalg.norm(np.nan_to_num(u[good]))) / described.count
    scatter = described.standard_error if described.count > 1 else 0.0
    return described.mean, max(scatter, of_each) if math.isfinite(scatter) else of_each
