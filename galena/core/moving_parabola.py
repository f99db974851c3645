"""The parabola fitted to a window about each reading, worked out by sums that move along.

For each reading the sums Σ dᵏ, Σ dᵏ y and Σ dᵏ u² over its window, d = x[j] - x[i], tell value,
slope and their variance: a pass over the offsets of the window does all rows at once, and no
row of weights is ever stored.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_BLOCK = 8192  # rows at a time: what lies between stays in the processor's cache
_FLAT = 1e-2  # a pivot this small beside its sum: too few digits would be left


class Inner(NamedTuple):
    """Values of the rows whose window lies about them; `doubtful` tells those among them whose
    steps are so uneven that the sums have too few digits."""

    values: Floats
    doubtful: NDArray[np.bool_]


class _Weights(NamedTuple):
    """weight[j] = c0 + c1 d + c2 d², of each row."""

    c0: Floats
    c1: Floats
    c2: Floats
    doubtful: NDArray[np.bool_]


def inner(y: Floats, x: Floats, window: int, *, of_rate: bool) -> Inner:
    """Give value or slope of the parabola at each reading that has half a window on both sides.

    y, x: shape (n,), window odd, n ≥ window. Gives shape (n - window + 1,).
    Source: A. Savitzky and M. J. E. Golay, Analytical Chemistry 36 (1964) 1627, for uneven
    steps by the normal equations about the reading itself.
    """
    half = window // 2
    inner_rows = Inner(np.empty(y.size - 2 * half), np.empty(y.size - 2 * half, dtype=bool))
    for rows, own in _blocks(y.size, half):
        at, of = x[rows], y[rows]
        sums = np.zeros((4, at.size))
        t0, t1, t2 = np.zeros((3, at.size))
        for beside in _beside(rows, half):
            d = x[beside] - at
            step = y[beside] - of  # so that a large common offset costs no digits
            _add_powers(sums, d)
            t0 += step
            step *= d
            t1 += step
            step *= d
            t2 += step
        weights = _weights(sums, window, of_rate)
        with np.errstate(all="ignore"):  # doubtful rows are worked out otherwise
            values = weights.c0 * t0 + weights.c1 * t1 + weights.c2 * t2
        inner_rows.values[own] = values if of_rate else values + of
        inner_rows.doubtful[own] = weights.doubtful
    return inner_rows


def inner_variance(squares: Floats, x: Floats, window: int, *, of_rate: bool) -> Inner:
    """Give Σ (weight · u)² of each such row; squares: u² of the readings, shape (n,)."""
    half = window // 2
    inner_rows = Inner(np.empty(x.size - 2 * half), np.empty(x.size - 2 * half, dtype=bool))
    for rows, own in _blocks(x.size, half):
        at = x[rows]
        sums = np.zeros((4, at.size))
        of_u = np.zeros((5, at.size))
        of_u[0] = squares[rows]
        for beside in _beside(rows, half):
            d = x[beside] - at
            _add_powers(sums, d)
            part = squares[beside].copy()
            for k in range(5):
                of_u[k] += part
                part *= d
        c0, c1, c2, doubtful = _weights(sums, window, of_rate)
        with np.errstate(all="ignore"):
            variance = c0 * c0 * of_u[0] + 2 * c0 * c1 * of_u[1] + (c1 * c1 + 2 * c0 * c2) * of_u[2]
            variance += 2 * c1 * c2 * of_u[3] + c2 * c2 * of_u[4]
        inner_rows.values[own] = np.maximum(variance, 0.0)
        inner_rows.doubtful[own] = doubtful
    return inner_rows


def _blocks(count: int, half: int) -> Iterator[tuple[slice, slice]]:
    """Give the rows of each block, and where their results belong."""
    for begin in range(half, count - half, _BLOCK):
        end = min(begin + _BLOCK, count - half)
        yield slice(begin, end), slice(begin - half, end - half)


def _beside(rows: slice, half: int) -> Iterator[slice]:
    """Give the rows that lie so many readings before and behind."""
    for off in range(-half, half + 1):
        if off:
            yield slice(rows.start + off, rows.stop + off)


def _add_powers(sums: Floats, d: Floats) -> None:
    power = d.copy()
    sums[0] += power
    for k in range(1, 4):
        power *= d
        sums[k] += power


def _weights(sums: Floats, window: int, of_rate: bool) -> _Weights:
    """Solve the three normal equations for what picks value or slope at d = 0."""
    s1, s2, s3, s4 = sums
    with np.errstate(all="ignore"):
        p2 = s2 - s1 * s1 / window
        mixed = s3 - s1 * s2 / window
        p3 = s4 - s2 * s2 / window - mixed * mixed / p2
        doubtful = ~((p2 > _FLAT * s2) & (p3 > _FLAT * s4))
        along = mixed / p2
        if of_rate:
            c2 = -along / p3
            c1 = 1 / p2 - along * c2
            c0 = -(s1 * c1 + s2 * c2) / window
            return _Weights(c0, c1, c2, doubtful)
        lean = s1 / window
        c2 = (-s2 / window + along * lean) / p3
        c1 = -lean / p2 - along * c2
        c0 = (1 - s1 * c1 - s2 * c2) / window
    return _Weights(c0, c1, c2, doubtful)
