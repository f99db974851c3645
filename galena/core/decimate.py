"""Fewer points for the same picture."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
BLOCK = 64  # readings; with more, more would be looked at singly at the ends of each column


def envelope(x: Floats, y: Floats, lo: float, hi: float, columns: int) -> tuple[Floats, Floats]:
    """Keep what can be seen of readings between lo and hi on so many pixel columns.

    x: ascending, shape (n,); y: shape (n,). Of each column the first and the last reading and
    one with the minimum and one with the maximum of y are kept, in order of x, so that the drawn
    line is the same as that of all readings. One reading beyond each end is kept too, so that
    the line leaves the picture in the right direction. Few readings are returned as they are.
    Readings whose y is not a number are left out of the columns' extremes.

    Returns x', y' with at most 4 * columns + 2 readings.
    """
    first = max(0, int(np.searchsorted(x, lo, side="left")) - 1)
    last = min(x.size, int(np.searchsorted(x, hi, side="right")) + 1)
    x, y = x[first:last], y[first:last]
    if x.size <= 4 * columns or columns < 1 or not hi > lo:
        return x, y
    starts = _column_starts(x, lo, hi, columns)
    ends = np.append(starts[1:], x.size) - 1
    lowest, highest = np.fmin.reduceat(y, starts), np.fmax.reduceat(y, starts)
    sizes = np.diff(np.append(starts, x.size))
    keep = np.zeros(x.size, dtype=bool)
    keep[starts] = keep[ends] = True
    keep[[0, -1]] = True
    for extreme in (lowest, highest):
        hits = np.flatnonzero(y == np.repeat(extreme, sizes))
        _, first_of_column = np.unique(np.searchsorted(starts, hits, "right"), return_index=True)
        keep[hits[first_of_column]] = True
    return x[keep], y[keep]


def _column_starts(x: Floats, lo: float, hi: float, columns: int) -> NDArray[np.intp]:
    """Tell at which reading each column that has any begins; what lies beyond is kept apart."""
    edges = np.linspace(lo, hi, columns + 1)
    starts = np.searchsorted(x, edges[:-1], side="left")
    beyond = np.searchsorted(x, hi, side="right")
    starts = np.unique(np.concatenate(([0], starts, [beyond])))
    return starts[starts < x.size]


def column_edges(lo: float, hi: float, columns: int, *, log: bool = False) -> Floats:
    """Divide lo to hi into columns of equal width, or of equal ratio on a logarithmic axis."""
    if log:
        return np.geomspace(lo, hi, columns + 1)
    return np.linspace(lo, hi, columns + 1)


@dataclass(frozen=True)
class Blocks:
    """The lowest and the highest of each `BLOCK` readings, so that a look at very many is quick.

    Both of shape (n // BLOCK + 1,); the last ones are NaN: what fills no block is in none.
    """

    lows: Floats
    highs: Floats

    @classmethod
    def of(cls, y: Floats) -> Blocks:
        """Go through readings of shape (n,) once."""
        whole = y.size // BLOCK
        lows, highs = np.full(whole + 1, np.nan), np.full(whole + 1, np.nan)
        if whole:
            starts = np.arange(whole) * BLOCK
            np.fmin.reduceat(y[: whole * BLOCK], starts, out=lows[:-1])
            np.fmax.reduceat(y[: whole * BLOCK], starts, out=highs[:-1])
        return cls(lows, highs)

    def between(
        self, y: Floats, starts: NDArray[np.intp], stops: NDArray[np.intp]
    ) -> tuple[Floats, Floats]:
        """Give the lowest and the highest of the readings from each start to each stop, which
        follow each other and are never empty; all of shape (m,)."""
        first, last = -(-starts // BLOCK), stops // BLOCK
        has_whole = last > first
        pairs = np.column_stack((first, np.maximum(first, last))).ravel()
        pairs = np.minimum(pairs, self.lows.size - 1)
        lows = np.where(has_whole, np.fmin.reduceat(self.lows, pairs)[::2], np.nan)
        highs = np.where(has_whole, np.fmax.reduceat(self.highs, pairs)[::2], np.nan)
        along = np.arange(BLOCK)
        before = np.minimum(first * BLOCK, stops) - 1
        after = np.maximum(np.maximum(last * BLOCK, starts), before)
        for begin, end in ((starts, np.maximum(before, starts)), (after, stops - 1)):
            edge = y[np.minimum(begin[:, None] + along, end[:, None])]
            lows = np.fmin(lows, np.fmin.reduce(edge, axis=1))
            highs = np.fmax(highs, np.fmax.reduce(edge, axis=1))
        return lows, highs


def column_extremes(
    x: Floats, y: Floats, edges: Floats, blocks: Blocks | None = None
) -> tuple[Floats, Floats]:
    """Give the lowest and the highest y in each column of x, NaN for columns without readings.

    x: ascending, shape (n,); y: shape (n,); edges: ascending, shape (m + 1,). A column holds the
    readings with edge <= x < next edge, the last one also those on its end. Readings whose y is
    not a number are left out. blocks: those of y, where they are at hand; they change nothing.
    Returns two arrays of shape (m,).
    """
    bounds = np.searchsorted(x, edges, side="left")
    bounds[-1] = np.searchsorted(x, edges[-1], side="right")
    starts, stops = bounds[:-1], bounds[1:]
    lows, highs = np.full(starts.size, np.nan), np.full(starts.size, np.nan)
    filled = np.flatnonzero(stops > starts)
    if filled.size and blocks is not None:
        lows[filled], highs[filled] = blocks.between(y, starts[filled], stops[filled])
    elif filled.size:
        # Filled columns lie side by side: each one's end is the start of the next filled one.
        part = y[: stops[filled[-1]]]
        lows[filled] = np.fmin.reduceat(part, starts[filled])
        highs[filled] = np.fmax.reduceat(part, starts[filled])
    return lows, highs
