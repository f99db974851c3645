"""Plain statistics of a set of readings."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from galena.core.errors import TooFewReadings


@dataclass(frozen=True)
class Statistics:
    """What a set of readings says of itself, all but `count` in the unit of the readings.

    `sd` and `standard_error` are not numbers where there is only one reading.
    """

    count: int
    mean: float
    sd: float
    standard_error: float
    median: float
    minimum: float
    maximum: float


def describe(y: ArrayLike) -> Statistics:
    """Describe readings; those that are not finite numbers are left out.

    y: shape (n,). Raises TooFewReadings where no finite reading is left.

    sd = sqrt(Σ (y - mean)² / (n - 1)),  standard_error = sd / sqrt(n)

    The sum of squares is taken about the mean with the correction for its rounding, after a
    shift by the first reading, so that a large common offset costs no digits.
    Source: JCGM 100:2008 (GUM), 4.2; Chan, Golub and LeVeque, The American Statistician 37
    (1983) 242, the corrected two-pass formula.
    """
    values = np.asarray(y, dtype=np.float64).ravel()
    values = values[np.isfinite(values)]
    count = int(values.size)
    if count == 0:
        raise TooFewReadings("A mean", 1, 0)
    shift = values[0]
    from_shift = values - shift
    mean_from_shift = math.fsum(from_shift) / count if count <= 10_000 else from_shift.mean()
    sd = math.nan
    if count > 1:
        residuals = from_shift - mean_from_shift
        correction = residuals.sum() ** 2 / count
        sd = math.sqrt(max(0.0, (np.dot(residuals, residuals) - correction) / (count - 1)))
    return Statistics(
        count=count,
        mean=float(shift + mean_from_shift),
        sd=sd,
        standard_error=sd / math.sqrt(count),
        median=float(np.median(values)),
        minimum=float(values.min()),
        maximum=float(values.max()),
    )
