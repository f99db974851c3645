"""How much of what two numbers owe to single readings is the same: they share these readings."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Influence:
    """By how much a number changes with each reading: the readings' places, ascending, and the
    change of the number with each of them in units of its scatter; both of shape (n,)."""

    places: Floats
    changes: Floats


def correlation(first: Influence, second: Influence) -> float:
    """Give the correlation of two numbers that comes from readings which both are made of.

    r = Σ a_i b_i / (|a| |b|) over the readings that both have
    Source: JCGM 102:2011 (GUM, supplement 2), 6.2.1.3: C U Cᵀ for independent readings.
    """
    size = float(np.linalg.norm(first.changes) * np.linalg.norm(second.changes))
    if not (size > 0 and math.isfinite(size)):
        return 0.0
    _, here, there = np.intersect1d(first.places, second.places, return_indices=True)
    product = float(first.changes[here] @ second.changes[there])
    return max(-1.0, min(1.0, product / size))


def independent_parts(covariance: Floats) -> Floats:
    """Take a covariance apart into independent sources.

    covariance: shape (p, p). Gives L, shape (p, k), with L Lᵀ = covariance: number i changes by
    L[i, k] with source k. What rounding made negative is left out.
    """
    values, vectors = np.linalg.eigh(covariance)
    kept = values > 1e-15 * max(float(values.max(initial=0.0)), 1e-300)
    return np.asarray(vectors[:, kept] * np.sqrt(values[kept]))
