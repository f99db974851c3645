"""How much single readings scatter, whatever they follow, and what that leaves of their digits."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray


def is_moving(readings: NDArray[np.float64]) -> bool:
    """Tell whether readings run, so that their mean stands for none of them.

    So it is where they are spread four times as far as neighbours differ.
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 8:
        return False
    return float(finite.std(ddof=1)) > 4 * scatter(finite)


def scatter(readings: NDArray[np.float64]) -> float:
    """Standard deviation of single readings about what they follow, so that a drift is no noise.

        s² = Σ (x_i+1 - x_i)² / (2 (n - 1))

    Not a number where there are fewer than three finite readings.
    Source: von Neumann et al., The Annals of Mathematical Statistics 12 (1941) 153.
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 3:
        return math.nan
    steps = np.diff(finite)
    return math.sqrt(float(steps @ steps) / (2 * steps.size))


def quiet_scatter(readings: NDArray[np.float64]) -> float:
    """Standard deviation of single readings, deaf to an event among them.

        s = 1.4826 median|d - median(d)| / √2,  d the differences of neighbours

    Not a number where there are fewer than three finite readings.
    Source: Rousseeuw and Croux, Journal of the American Statistical Association 88 (1993) 1273
    (the median absolute deviation, made consistent for normal noise).
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 3:
        return math.nan
    steps = np.diff(finite)
    return 1.4826 * float(np.median(np.abs(steps - np.median(steps)))) / math.sqrt(2)


def honest_decimals(noise: float, resolution: float) -> int:
    """Suggest the decimals of a single reading: its last digit is the first that the noise moves.

    noise: standard deviation of single readings; resolution: the least step of the device; both
    in the unit shown. No more decimals than tell steps apart, and at most nine.
    """
    floor = max(noise if math.isfinite(noise) else 0.0, resolution)
    if not floor > 0:
        return 0
    return min(9, max(0, -math.floor(math.log10(floor) + 1e-9)))
