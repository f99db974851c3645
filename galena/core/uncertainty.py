"""How a row of results depends on a row of independent readings, and what uncertainty follows.

Results of a formula depend on the reading of their own row; a rate of change depends on
neighbours too, a mean on all, a running area on all before. Kept apart in this way, the exact
first-order uncertainty of a million results costs about as much as the results.
Source: JCGM 102:2011 (GUM, supplement 2), 6.2.1.3: U_y = C U_x Cᵀ, here its diagonal.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from galena.core import calculus
from galena.core.loading import later

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

Floats = NDArray[np.float64]
Part = float | Floats
Pairs = tuple[tuple[Part, Floats], ...]


@dataclass(frozen=True)
class Moving:
    """left[i] times the value or slope, at i, of the parabola fitted to a window of right·y.

    Kept as it is, a window over a million readings need not be written out as weights.
    rows    the rows that are seen, in order, shape (m,), and their places x, shape (m,)
    """

    rows: NDArray[np.intp]
    x: Floats
    window: int
    of_rate: bool
    left: Part = 1.0
    right: Part = 1.0

    def variance(self, squares: Floats) -> Floats:
        """Give the variance of each result, shape (n,), nothing where a row is not seen."""
        count = squares.size
        size = np.sqrt(squares[self.rows]) * np.broadcast_to(self.right, count)[self.rows]
        total = np.zeros(count)
        total[self.rows] = calculus.window_variance(size, self.x, self.window, of_rate=self.of_rate)
        return np.asarray(total * self.left * self.left)

    def matrix(self, count: int) -> sparse.csr_matrix:
        """Write all weights out, shape (n, n)."""
        stencil = calculus.window_stencil(self.x, self.window, of_rate=self.of_rate)
        product = sparse.diags(np.broadcast_to(self.left, count)).dot(
            stencil.matrix(self.rows, count)
        )
        return product.dot(sparse.diags(np.broadcast_to(self.right, count))).tocsr()


@dataclass(frozen=True)
class Sensitivity:
    """The derivatives of n results with respect to n readings, as a sum of five parts.

    own      shape (n,) or a number: result i on reading i
    near     sparse (n, n): result i on some readings
    totals   pairs (a, b): result i on every reading j with a[i]·b[j]
    runnings pairs (a, b): result i on every reading j < i with a[i]·b[j]
    moving   result i on the readings in a window about it
    """

    count: int
    own: Part = 0.0
    near: sparse.csr_matrix | None = None
    totals: Pairs = ()
    runnings: Pairs = ()
    moving: Moving | None = None

    @property
    def followed(self) -> int:
        """Count the derivatives on neighbours that it has, or would have if written out."""
        near = 0 if self.near is None else int(self.near.nnz)
        return near + (self.moving.rows.size * self.moving.window if self.moving else 0)

    @property
    def whole(self) -> Sensitivity:
        """The same, with its window written out."""
        if self.moving is None:
            return self
        matrix = self.moving.matrix(self.count)
        near = matrix if self.near is None else (self.near + matrix).tocsr()
        return replace(self, near=near, moving=None)

    def only(self, rows: NDArray[np.intp]) -> Sensitivity:
        """The same for some of the results; the others, which may have no slope, have none."""
        if rows.size == self.count:
            return self
        kept = np.zeros(self.count, dtype=bool)
        kept[rows] = True
        whole = self.whole
        near = whole.near
        if near is not None:
            near = near.copy()
            near.data[~np.repeat(kept, np.diff(near.indptr))] = 0.0
        return Sensitivity(
            self.count,
            np.where(kept, self.own, 0.0),
            near,
            tuple((np.where(kept, a, 0.0), b) for a, b in self.totals),
            tuple((np.where(kept, a, 0.0), b) for a, b in self.runnings),
        )

    def scaled(self, by: Part) -> Sensitivity:
        """Multiply each result by a number, or by its own."""
        near = self.near
        if near is not None:
            near = sparse.diags(np.broadcast_to(by, self.count)).dot(near).tocsr()
        moving = self.moving
        return Sensitivity(
            self.count,
            self.own * by,
            near,
            tuple((a * by, b) for a, b in self.totals),
            tuple((a * by, b) for a, b in self.runnings),
            moving if moving is None else replace(moving, left=moving.left * by),
        )

    def plus(self, other: Sensitivity) -> Sensitivity:
        """Add two results row by row."""
        if self.moving is not None or other.moving is not None:
            return self.whole.plus(other.whole)
        near = self.near if other.near is None else other.near
        if self.near is not None and other.near is not None:
            near = (self.near + other.near).tocsr()
        return Sensitivity(
            self.count,
            self.own + other.own,
            near,
            _joined(self.totals, other.totals),
            _joined(self.runnings, other.runnings),
        )

    def windowed(self, moving: Moving) -> Sensitivity:
        """Take value or slope of the parabola in a window about each result."""
        if self.near is None and self.moving is None and not (self.totals or self.runnings):
            return Sensitivity(self.count, moving=replace(moving, right=self.own))
        return self.through(moving.matrix(self.count))

    def through(self, weights: sparse.csr_matrix) -> Sensitivity:
        """Take weighted sums of few results each: weights is sparse, shape (n, n)."""
        if self.moving is not None:
            return self.whole.through(weights)
        near = weights.dot(self._near()).tocsr()
        totals = tuple((weights.dot(self._row(a)), b) for a, b in self.totals)
        runnings = []
        for a, b in self.runnings:
            runnings.append((weights.dot(self._row(a)), b))
            near = near + self._corrections(weights, self._row(a), b)
        return Sensitivity(self.count, 0.0, near.tocsr(), totals, tuple(runnings))

    def summed(self, weights: Floats) -> Sensitivity:
        """Take one weighted sum of all results: weights has shape (n,)."""
        if self.moving is not None:
            return self.whole.summed(weights)
        b = weights * self.own
        if self.near is not None:
            b = b + self.near.T.dot(weights)
        for a, of in self.totals:
            b = b + float(weights @ self._row(a)) * of
        for a, of in self.runnings:
            product = weights * a
            b = b + (product.sum() - np.cumsum(product)) * of
        return Sensitivity(self.count, totals=((1.0, b),))

    def accumulated(self, before: Floats, own: Floats) -> Sensitivity:
        """Take for each row the sum of all results before it and a share of its own.

        before, own: shape (n,):  result[i] = Σ_{j<i} before[j]·y[j] + own[i]·y[i]
        """
        if self.moving is not None:
            return self.whole.accumulated(before, own)
        shared = self.scaled(own)
        runnings: list[tuple[Part, Floats]] = [(1.0, before * self._row(self.own))]
        near = shared.near
        if self.near is not None:
            column = np.asarray(self.near.T.dot(before)).ravel()
            runnings.append((1.0, column))
            late = self._late(before)
            near = late if near is None else near + late
        totals: list[tuple[Part, Floats]] = []
        for a, b in self.totals:
            totals.append((_before(before * a), b))
        for a, b in self.runnings:
            sums = _before(before * a)
            runnings += [(sums, b), (-1.0, b * (sums + before * a))]
        return Sensitivity(
            self.count,
            shared.own,
            near if near is None else near.tocsr(),
            _joined(shared.totals, tuple(totals)),
            _joined(shared.runnings, tuple(runnings)),
        )

    def variance(self, u: Floats) -> Floats:
        """Give the variance of each result, shape (n,), from the readings' uncertainties.

        A reading whose uncertainty is not known (NaN) makes that of all results that depend on
        it unknown, and of no other.
        """
        squares = u * u
        unknown = ~np.isfinite(squares)
        if not unknown.any():
            return self._variance(squares)
        total = self._variance(np.where(unknown, 0.0, squares))
        return np.where(self._variance(unknown.astype(np.float64)) > 0, np.nan, total)

    def _variance(self, squares: Floats) -> Floats:
        alone = self.near is None and not self.totals and not self.runnings
        if alone and self.moving is None:
            return np.asarray(self.own * self.own * squares)
        if self.moving is not None:
            if alone and np.ndim(self.own) == 0 and self.own == 0.0:
                return self.moving.variance(squares)
            return self.whole._variance(squares)
        near = self._near()
        # The square of the sum of the parts: each part by itself, and each pair of parts twice.
        variances = np.asarray(near.multiply(near).dot(squares)).ravel()
        for a, b in self.totals:
            variances = variances + 2 * a * near.dot(b * squares)
        for a, b in self.runnings:
            variances = variances + 2 * a * _lower(near).dot(b * squares)
        for place, (a, b) in enumerate(self.totals):
            for other, (a2, b2) in enumerate(self.totals[place:]):
                variances = variances + (2 if other else 1) * a * a2 * float(
                    np.sum(b * b2 * squares)
                )
            for a2, b2 in self.runnings:
                variances = variances + 2 * a * a2 * _before(b * b2 * squares)
        for place, (a, b) in enumerate(self.runnings):
            for other, (a2, b2) in enumerate(self.runnings[place:]):
                variances = variances + (2 if other else 1) * a * a2 * _before(b * b2 * squares)
        return np.asarray(np.maximum(variances, 0.0))

    def _row(self, part: Part) -> Floats:
        return np.broadcast_to(np.asarray(part, dtype=np.float64), self.count)

    def _near(self) -> sparse.csr_matrix:
        own = sparse.diags(self._row(self.own)).tocsr()
        return own if self.near is None else (self.near + own).tocsr()

    def _corrections(self, weights: sparse.csr_matrix, a: Floats, b: Floats) -> sparse.csr_matrix:
        """Mend what a weighted sum of running sums has too little or too much near its row."""
        entries = weights.tocoo()
        later = entries.col > entries.row
        earlier = entries.col < entries.row
        parts = []
        for chosen, low, high, sign in (
            (later, entries.row, entries.col, 1.0),
            (earlier, entries.col, entries.row, -1.0),
        ):
            size = (entries.data * a[entries.col])[chosen] * sign
            rows, columns, values = _spread(entries.row[chosen], low[chosen], high[chosen], size)
            parts.append(_sparse(rows, columns, values * b[columns], self.count))
        return parts[0] + parts[1]

    def _late(self, before: Floats) -> sparse.csr_matrix:
        """Mend what a running sum takes of entries whose row and column lie apart."""
        assert self.near is not None
        entries = self.near.tocoo()
        size = entries.data * before[entries.row]
        early = entries.row < entries.col  # the result comes before the reading: it counts sooner
        late = entries.row > entries.col
        plus = _spread_rows(entries.col[early], entries.row[early] + 1, entries.col[early] + 1,
                            size[early])  # fmt: skip
        minus = _spread_rows(entries.col[late], entries.col[late] + 1, entries.row[late] + 1,
                             -size[late])  # fmt: skip
        first = _sparse(*plus, self.count)
        return first + _sparse(*minus, self.count)


def _before(values: Floats) -> Floats:
    """Sum all values before each."""
    return np.concatenate(([0.0], np.cumsum(values)[:-1]))


def _lower(matrix: sparse.csr_matrix) -> sparse.csr_matrix:
    return sparse.tril(matrix, -1).tocsr()


def _joined(first: Pairs, second: Pairs) -> Pairs:
    """Put pairs together; those on the same readings are added."""
    joined: list[tuple[Part, Floats]] = list(first)
    for a, b in second:
        place = next((i for i, (_, known) in enumerate(joined) if known is b), None)
        if place is None:
            joined.append((a, b))
        else:
            joined[place] = (joined[place][0] + a, b)
    return tuple(joined)


def _spread(
    rows: NDArray[np.intp], low: NDArray[np.intp], high: NDArray[np.intp], sizes: Floats
) -> tuple[NDArray[np.intp], NDArray[np.intp], Floats]:
    """Repeat each entry over the columns from low up to high."""
    lengths = high - low
    starts = np.repeat(np.cumsum(lengths) - lengths, lengths)
    columns = np.arange(int(lengths.sum())) - starts + np.repeat(low, lengths)
    return np.repeat(rows, lengths), columns, np.repeat(sizes, lengths)


def _spread_rows(
    columns: NDArray[np.intp], low: NDArray[np.intp], high: NDArray[np.intp], sizes: Floats
) -> tuple[NDArray[np.intp], NDArray[np.intp], Floats]:
    entries, rows, values = _spread(columns, low, high, sizes)
    return rows, entries, values


def _sparse(
    rows: NDArray[np.intp], columns: NDArray[np.intp], values: Floats, count: int
) -> sparse.csr_matrix:
    inside = rows < count
    return sparse.csr_matrix((values[inside], (rows[inside], columns[inside])), (count, count))
