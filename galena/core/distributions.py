"""Tails and quantiles of the usual distributions, by their special functions.

scipy.stats has the same, and takes longer to load than all the rest of Galena. Definitions as in
ISO 3534-1:2006, 2.50 (normal), 2.53 (Student's t), 2.57 (χ²) and 2.55 (F).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.loading import later

special = later("scipy.special")


def normal_below(x: float) -> float:
    """Give the probability that a standard normal variable is at most x."""
    return float(special.ndtr(x))


def normal_above(x: float) -> float:
    """Give the probability that a standard normal variable is more than x."""
    return float(special.ndtr(-x))


def normal_quantile(probability: float) -> float:
    """Give the value that a standard normal variable stays below with a probability."""
    return float(special.ndtri(probability))


def student_above(t: ArrayLike, dof: float) -> NDArray[np.float64]:
    """Give the probability that Student's t is more than t, of the shape that t has."""
    return np.asarray(special.stdtr(dof, np.negative(t)))


def student_quantile(probability: float, dof: float) -> float:
    """Give the value that Student's t stays below with a probability."""
    return float(special.stdtrit(dof, probability))


def chi_square_above(value: float, dof: float) -> float:
    """Give the probability that χ² is more than a value."""
    return float(special.chdtrc(dof, value))


def f_above(ratio: float, dof_above: float, dof_below: float) -> float:
    """Give the probability that a ratio of variances is more than a value."""
    return float(special.fdtrc(dof_above, dof_below, ratio))
