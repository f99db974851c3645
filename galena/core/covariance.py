"""What several numbers have in common: their covariance, from their sources and their readings."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Correlation = Callable[[int, int], float]


@dataclass(frozen=True)
class OfOrigin:
    """A number's own standard uncertainty, where it comes from, and its parts by the sources that
    only numbers of the same origin have."""

    origin: str
    u: float
    parts: Mapping[str, float]


def own_covariance(numbers: Sequence[OfOrigin], correlation: Correlation) -> NDArray[np.float64]:
    """Give the covariance of what each number has of its own, shape (n, n).

    Two numbers of one origin, as a fit, share its sources: cov = Σ_s a_s b_s. Two of different
    origins are correlated as far as they are made of the same readings: cov = r u_a u_b.
    correlation: r of the numbers at two places.
    Source: JCGM 102:2011 (GUM, supplement 2), 6.2.1.3.
    """
    covariance = np.zeros((len(numbers), len(numbers)))
    own = [number.u if math.isfinite(number.u) else 0.0 for number in numbers]
    for i, first in enumerate(numbers):
        covariance[i, i] = own[i] ** 2
        for j, second in enumerate(numbers[:i]):
            if first.origin == second.origin:
                both = set(first.parts) & set(second.parts)
                covariance[i, j] = sum(first.parts[one] * second.parts[one] for one in both)
            else:
                covariance[i, j] = correlation(i, j) * own[i] * own[j]
            covariance[j, i] = covariance[i, j]
    return covariance
