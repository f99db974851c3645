"""Functions of a formula that look at several rows: rates, areas, smoothing, means, ends.

Readings that were set aside, and rows without a number, are passed over: each function sees the
readings that are left as neighbours. Where a row has no reading itself there is no result.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from galena.core import calculus
from galena.core.calculus import Stencil
from galena.core.errors import FormulaError
from galena.core.formula.values import Floats, Part, Value, added, combined, linear
from galena.core.loading import later
from galena.core.uncertainty import Moving, Sensitivity

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

Order = NDArray[np.intp]
MOST_WEIGHTS = 30_000_000  # readings times window: some seconds
MOST_FOLLOWED = 20_000_000  # beyond these, uncertainties through windows would fill the memory
MOST_IN_ORDER = 3000  # of more rows out of order a running area has no known uncertainty


@dataclass(frozen=True)
class Rows:
    """The rows that a formula is worked out over.

    counted: which rows count, None where all do. by_place: whether rows are taken in the order
    of x, as those of a typed table, whose rows were not made in time.
    """

    count: int
    counted: NDArray[np.bool_] | None = None
    by_place: bool = False

    def seen(self, *values: Value) -> Order:
        """Give the rows that have a number in all of these and count, in order."""
        good = np.ones(self.count, dtype=bool) if self.counted is None else self.counted.copy()
        for value in values:
            if np.ndim(value.y):
                good &= np.isfinite(value.y)
            elif not np.isfinite(value.y):
                good[:] = False
        return np.flatnonzero(good)

    def along(self, *values: Value) -> Order:
        """Give the same, in the order of the last value where that is the order of the rows."""
        seen = self.seen(*values)
        if self.by_place and np.ndim(values[-1].y):
            return seen[np.argsort(self.row(values[-1])[seen], kind="stable")]
        return seen

    def row(self, value: Value | Part) -> Floats:
        """Give a value for each row."""
        y = value.y if isinstance(value, Value) else value
        return np.broadcast_to(np.asarray(y, dtype=np.float64), self.count)

    def spread(self, values: Floats, rows: Order) -> Floats:
        """Put values back into their rows; the other rows have none."""
        whole = np.full(self.count, np.nan)
        whole[rows] = values
        return whole


def _through(rows: Rows, value: Value, y: Floats, seen: Order, stencil: Stencil) -> Value:
    """Give what a stencil makes of the uncertainties of values."""
    if value.is_certain:
        return Value(y)
    if _followed(value, stencil.columns.size) > MOST_FOLLOWED:
        return Value(y, shared={"window": np.nan})
    finite = np.isfinite(stencil.weights).all(axis=1, keepdims=True)
    stencil = Stencil(stencil.columns, np.where(finite, stencil.weights, 0.0))
    matrix = stencil.matrix(seen, rows.count)

    def shared(tangent: Part) -> Part:
        return rows.spread(stencil.apply(rows.row(tangent)[seen]), seen)

    return linear(y, value, lambda one: one.through(matrix), shared, seen, rows.count)


def _through_window(
    rows: Rows, value: Value, y: Floats, seen: Order, x: Floats, window: int, *, of_rate: bool
) -> Value:
    """Give what a window that moves along makes of the uncertainties of values."""
    if value.is_certain:
        return Value(y)
    if _followed(value, seen.size * window) > MOST_FOLLOWED:
        return Value(y, shared={"window": np.nan})
    moving = Moving(seen, x, window, of_rate)

    def shared(tangent: Part) -> Part:
        part = rows.row(tangent)[seen]
        by_window = calculus.smooth_rate(part, x, window) if of_rate else (
            calculus.smooth(part, window, x))  # fmt: skip
        return rows.spread(by_window, seen)

    return linear(y, value, lambda one: one.windowed(moving), shared, seen, rows.count)


def _followed(value: Value, more: int) -> int:
    """Count the derivatives that a stencil leads to: those of a window of windows add up."""
    near = [one.followed for one in value.each.values() if isinstance(one, Sensitivity)]
    return max(near, default=0) + more


def _refuse_long(count: int, window: int) -> None:
    if count * window > MOST_WEIGHTS:
        raise FormulaError(
            f"A window of {window} over {count} readings would take too long. Take at most "
            f"{max(3, MOST_WEIGHTS // count)} readings, or record at a lower rate."
        )


def rate(rows: Rows, y: Value, x: Value, window: Value | None = None) -> Value:
    """The rate of change of y with x; over a window of readings if one is given."""
    seen = rows.along(y, x)
    if seen.size < 2:
        return Value(np.full(rows.count, np.nan))
    ys, xs = rows.row(y)[seen], rows.row(x)[seen]
    if window is not None:
        return _smooth_rate(rows, y, x, seen, int(float(window.y)))
    slopes = calculus.rate(ys, xs)
    slopes_by_row = rows.spread(np.where(np.isfinite(slopes), slopes, np.nan), seen)
    if y.is_certain and x.is_certain:
        return Value(slopes_by_row)
    stencil = calculus.rate_stencil(xs)
    result = _through(rows, y, slopes_by_row, seen, stencil)
    if x.is_certain:
        return result
    return added(result, _of_moved_nodes(rows, x, seen, stencil, slopes_by_row, (ys, xs)))


def _of_moved_nodes(
    rows: Rows, x: Value, seen: Order, stencil: Stencil, found: Floats, pair: tuple[Floats, Floats]
) -> Value:
    """Give what uncertain places make of a rate.

    A node that moves by δ with its reading changes the parabola through the nodes as a reading
    changed by -p'·δ would; and where the rate is taken there, it is taken p''·δ further on.
    """
    ys, xs = pair
    nodes, at = xs[stencil.columns], stencil.columns
    if at.shape[1] == 2:
        slopes = np.repeat(stencil.apply(ys)[:, None], 2, axis=1)
    else:
        slopes = np.stack(
            [np.einsum("ik,ik->i", calculus._slopes(nodes, nodes[:, k]), ys[at]) for k in range(3)],
            axis=1,
        )
    moved = Stencil(at, -stencil.weights * slopes)
    here = rows.spread(calculus.rate_curvature(ys, xs), seen)
    by_nodes = _through(rows, x, found, seen, moved)
    return added(by_nodes, combined(found, (x, here)))


def _smooth_rate(rows: Rows, y: Value, x: Value, seen: Order, window: int) -> Value:
    ys, xs = rows.row(y)[seen], rows.row(x)[seen]
    _refuse_long(seen.size, window)
    if seen.size < window:
        return Value(np.full(rows.count, np.nan))
    slopes = calculus.smooth_rate(ys, xs, window)
    slopes_by_row = rows.spread(slopes, seen)
    if y.is_certain and x.is_certain:
        return Value(slopes_by_row)
    of_y = _through_window(rows, y, slopes_by_row, seen, xs, window, of_rate=True)
    if x.is_certain:
        return of_y
    by_places = calculus.window_rate_by_places(ys, xs, window)
    return added(of_y, _through(rows, x, slopes_by_row, seen, by_places))


def smooth(rows: Rows, y: Value, window: Value, times: Value | None) -> Value:
    """Readings smoothed over a window of so many; one number stays what it is."""
    if np.ndim(y.y) == 0:
        return y
    seen = rows.seen(y) if times is None else rows.seen(y, times)
    size = int(float(window.y))
    _refuse_long(seen.size, size)
    if seen.size < size:
        return Value(np.full(rows.count, np.nan))
    along = np.arange(seen.size, dtype=np.float64) if times is None else rows.row(times)[seen]
    smoothed = rows.spread(calculus.smooth(rows.row(y)[seen], size, along), seen)
    if y.is_certain:
        return Value(smoothed)
    return _through_window(rows, y, smoothed, seen, along, size, of_rate=False)


def running_area(rows: Rows, y: Value, x: Value) -> Value:
    """The area under y over x from the first reading up to each."""
    seen = rows.along(y, x)
    if seen.size < 2:
        return Value(np.full(rows.count, np.nan))
    ys, xs = rows.row(y)[seen], rows.row(x)[seen]
    areas = rows.spread(calculus.running_area(ys, xs), seen)
    of_y = _accumulated(rows, y, areas, seen, calculus.area_weights(xs))
    before, own = _area_by_x(ys)
    return added(of_y, _accumulated(rows, x, areas, seen, (before, own)))


def area(rows: Rows, y: Value, x: Value) -> Value:
    """The area under y over x of all readings: one number."""
    seen = rows.along(y, x)
    if seen.size < 2:
        return Value(float("nan"))
    ys, xs = rows.row(y)[seen], rows.row(x)[seen]
    total = calculus.area(ys, xs)
    of_y = _summed(rows, y, total, seen, _last(calculus.area_weights(xs)))
    return added(of_y, _summed(rows, x, total, seen, _last(_area_by_x(ys))))


def _last(weights: tuple[Floats, Floats]) -> Floats:
    before, own = weights
    return np.concatenate((before[:-1], own[-1:]))


def _area_by_x(y: Floats) -> tuple[Floats, Floats]:
    """Give by how much a running area changes as its places move: before, and at the last one.

    A = Σ (x[i+1] - x[i]) (y[i] + y[i+1]) / 2, so that dA/dx[j] = (y[j-1] - y[j+1]) / 2.
    """
    means = (y[1:] + y[:-1]) / 2
    own = np.concatenate(([0.0], means))
    return own - np.concatenate((means, [0.0])), own


def _accumulated(
    rows: Rows, value: Value, y: Floats, seen: Order, weights: tuple[Floats, Floats]
) -> Value:
    if value.is_certain:
        return Value(y)
    before, own = weights

    def shared(tangent: Part) -> Part:
        part = rows.row(tangent)[seen]
        sums = np.concatenate(([0.0], np.cumsum(before * part)[:-1]))
        return rows.spread(sums + own * part, seen)

    if (np.diff(seen) > 0).all():
        sums = _zeros(rows, before, seen), _zeros(rows, own, seen)
        return linear(y, value, lambda one: one.accumulated(*sums), shared, seen, rows.count)
    if seen.size > MOST_IN_ORDER:
        return Value(y, shared={"order of the rows": np.nan})
    lower = np.tril(np.broadcast_to(before, (seen.size, seen.size)), -1) + np.diag(own)
    matrix = sparse.coo_matrix(lower)
    of = (matrix.data, (seen[matrix.row], seen[matrix.col]))
    spread = sparse.csr_matrix(of, shape=(rows.count, rows.count))
    return linear(y, value, lambda one: one.through(spread), shared, seen, rows.count)


def _zeros(rows: Rows, values: Floats, seen: Order) -> Floats:
    zeros = np.zeros(rows.count)
    zeros[seen] = values
    return zeros


def _summed(rows: Rows, value: Value, y: float, seen: Order, weights: Floats) -> Value:
    """Give one number that is a weighted sum of rows."""
    if value.is_certain:
        return Value(y)
    spread = _zeros(rows, weights, seen)

    def shared(tangent: Part) -> Part:
        return float(weights @ rows.row(tangent)[seen])

    def each(sensitivity: Sensitivity) -> Sensitivity:
        return sensitivity.summed(spread)

    return linear(y, value, each, shared, seen, rows.count)


def mean(rows: Rows, y: Value) -> Value:
    """The mean of all readings: one number."""
    seen = rows.seen(y)
    if not seen.size:
        return Value(float("nan"))
    weights = np.full(seen.size, 1 / seen.size)
    return _summed(rows, y, float(rows.row(y)[seen].mean()), seen, weights)


def _one(choose: Callable[[Floats], int]) -> Callable[[Rows, Value], Value]:
    """Make what takes the reading of one row: one number."""

    def take(rows: Rows, y: Value) -> Value:
        seen = rows.seen(y)
        if not seen.size:
            return Value(float("nan"))
        values = rows.row(y)[seen]
        place = choose(values)
        weights = np.zeros(seen.size)
        weights[place] = 1.0
        return _summed(rows, y, float(values[place]), seen, weights)

    return take


first = _one(lambda values: 0)
last = _one(lambda values: values.size - 1)
least = _one(lambda values: int(np.argmin(values)))
greatest = _one(lambda values: int(np.argmax(values)))


def previous(rows: Rows, y: Value) -> Value:
    """The reading before each; the first has none."""
    seen = rows.seen(y)
    values = rows.row(y)[seen]
    before = rows.spread(np.concatenate(([np.nan], values[:-1]))[: seen.size], seen)
    if y.is_certain or seen.size < 2:
        return Value(before)
    columns = np.concatenate(([0], np.arange(seen.size - 1)))[:, None]
    weights = np.ones((seen.size, 1))
    weights[0] = 0.0
    return _through(rows, y, before, seen, Stencil(columns, weights))
