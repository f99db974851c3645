"""Plain statistics of a set of readings."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from galena.core.autoregression import FEWEST, follow_each_other
from galena.core.errors import TooFewReadings
from galena.core.loading import later

fft = later("scipy.fft")

_WINDOW = 4.0  # correlation times: so far the correlations are summed
_BLOCK, _AT_LEVEL = 20, 4.0  # readings at a time; standard deviations of one from the level
_MOST_OF_ALL = 0.8  # of the readings: no correlation time can be told that is longer


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


def effective_count(y: ArrayLike) -> float:
    """Tell by how many independent readings a mean would be as uncertain: n/τ.

    y: shape (n,), in the order of time; what is no finite number is left out. Where neighbours
    are no more alike than by chance, all readings count. u(mean) = sd/√(effective count).

        τ = (1 + 2 Σ_{k ≤ W} ρ_k) (1 + (2W + 1)/n) / (1 - τ/n),  at least 1

    with the correlations ρ_k of readings k apart, up to the least W that is four times the sum
    so far; the last factor is what the mean takes out of the scatter.
    Source: A. Sokal, Monte Carlo Methods in Statistical Mechanics (1996), 3 (the window);
    U. Wolff, Computer Physics Communications 156 (2004) 143, equation 49 (its bias).
    """
    values = np.asarray(y, dtype=np.float64).ravel()
    values = values[np.isfinite(values)]
    count = int(values.size)
    off = values - values.mean() if count else values
    if not follow_each_other(off):
        return float(count)
    size = fft.next_fast_len(2 * count, real=True)
    spectrum = fft.rfft(off, size)
    products = fft.irfft(spectrum * spectrum.conj(), size)[:count]
    time = 1 + 2 * np.cumsum(products[1:] / products[0])
    lags = np.arange(1, count)
    wide = np.flatnonzero(lags >= _WINDOW * time)
    window = int(wide[0]) if wide.size else count // 2
    tau = max(1.0, float(time[window]) * (1 + (2 * int(lags[window]) + 1) / count))
    tau /= 1 - min(tau / count, _MOST_OF_ALL)
    return max(1.0, count / tau)


def uncertainty_of_sd(sd: float, count: float) -> float:
    """Give the standard uncertainty of a standard deviation of so many independent readings.

    u(s) = s/√(2 (n - 1)), n at least 2. Source: JCGM 100:2008 (GUM), E.4.3.
    """
    return sd / math.sqrt(2 * (max(2.0, count) - 1))


def uncertainty_of_median(sd: float, count: float) -> float:
    """Give the standard uncertainty of the median of so many independent normal readings.

    u = √(π/2) s/√n. Source: M. G. Kendall and A. Stuart, The Advanced Theory of Statistics 1
    (1977), 14.
    """
    return math.sqrt(math.pi / 2) * sd / math.sqrt(count)


def mean_with_uncertainty(y: ArrayLike) -> tuple[float, float]:
    """Give the mean of readings and its standard uncertainty, sd/√(effective count).

    y: shape (n,), in the order of time. The uncertainty of a single reading is not known: 0.
    Raises TooFewReadings.
    """
    described = describe(y)
    u = described.sd / math.sqrt(effective_count(y))
    return described.mean, u if math.isfinite(u) else 0.0


def correlation_time(before: ArrayLike, taken: ArrayLike) -> float:
    """Tell over how many readings an error goes on, from those before some that were taken.

    before, taken: shape (n,), in the order of time. Few readings cannot show it themselves. Of
    those before only the last ones count that lay at the level of those taken: what was read
    at another setting is no error. Where these are too few, those taken tell.
    """
    earlier, now = (np.asarray(y, dtype=np.float64).ravel() for y in (before, taken))
    earlier, now = earlier[np.isfinite(earlier)], now[np.isfinite(now)]
    if now.size < 2:
        return 1.0
    start, alike = earlier.size, now
    while start >= _BLOCK:
        block = earlier[start - _BLOCK : start]
        room = _AT_LEVEL * float(alike.std(ddof=1))
        if abs(float(block.mean() - alike.mean())) > room:
            break
        start, alike = start - _BLOCK, np.concatenate((block, alike))
    tail = earlier[start:]
    telling = tail if tail.size >= FEWEST else now
    return telling.size / effective_count(telling)
