"""Whether residuals run in one sign for too long: the sign of a curve that is still in them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.autoregression import follow_beside_a_curve
from galena.core.distributions import normal_below

Floats = NDArray[np.float64]
UNLIKELY = 0.05
_EXACT_UP_TO = 400


@dataclass(frozen=True)
class RunsTest:
    """How often residuals change their sign, in order of x.

    count: residuals that are not zero; changes: of sign; longest: the longest stretch of one
    sign; probability: that there are as few changes by chance alone (NaN where all have one
    sign or there are fewer than five). follow: whether neighbours are alike even beside a smooth
    curve, as where a quantity was smoothed: then their signs tell nothing of a curve.
    """

    count: int
    changes: int
    longest: int
    probability: float
    follow: bool = False

    @property
    def is_curve(self) -> bool:
        """Tell whether so few changes are unlikely by chance, and due to a curve."""
        return self.probability < UNLIKELY and not self.follow

    @property
    def verdict(self) -> str:
        """The verdict in words."""
        if self.count < 5:
            return "too few residuals to see a pattern"
        times = "change" if self.changes == 1 else "changes"
        if self.is_curve:
            return f"one sign for {self.longest} readings on end: a curve is left in them"
        if self.probability < UNLIKELY:
            return "neighbours are alike, whatever the model: signs tell nothing of a curve"
        return f"no pattern ({self.changes} {times} of sign in {self.count})"


def runs_test(residuals: ArrayLike) -> RunsTest:
    """Test residuals, in order of x, for stretches of one sign.

    Source: Wald and Wolfowitz, The Annals of Mathematical Statistics 11 (1940) 147; the exact
    distribution of the number of runs, and the normal one with continuity for many residuals.
    """
    values = np.asarray(residuals, dtype=np.float64)
    # What is only rounding beside the others has no sign.
    rounding = 1e-12 * float(np.max(np.abs(values), initial=0.0))
    up = values[np.isfinite(values) & (np.abs(values) > rounding)] > 0
    count = int(up.size)
    turns = np.flatnonzero(up[1:] != up[:-1])
    edges = np.concatenate(([-1], turns, [count - 1]))
    longest = int(np.diff(edges).max(initial=0))
    above, below = int(up.sum()), int(count - up.sum())
    probability = math.nan
    if count >= 5 and above and below:
        probability = _as_few(turns.size + 1, above, below)
    follow = probability < UNLIKELY and follow_beside_a_curve(values[np.isfinite(values)])
    return RunsTest(count, int(turns.size), longest, probability, follow)


def _as_few(runs: int, above: int, below: int) -> float:
    """Give the probability of at most so many runs among signs in random order."""
    count = above + below
    if count > _EXACT_UP_TO:
        mean = 1 + 2 * above * below / count
        variance = (mean - 1) * (mean - 2) / (count - 1)
        return normal_below((runs + 0.5 - mean) / math.sqrt(variance)) if variance else 1.0
    ways = 0
    for r in range(2, runs + 1):
        k, odd = divmod(r, 2)
        if odd:
            ways += math.comb(above - 1, k) * math.comb(below - 1, k - 1)
            ways += math.comb(above - 1, k - 1) * math.comb(below - 1, k)
        else:
            ways += 2 * math.comb(above - 1, k - 1) * math.comb(below - 1, k - 1)
    return ways / math.comb(count, above)
