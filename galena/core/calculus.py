"""Rates of change, areas and smoothing of readings at uneven steps.

Each is a weighted sum of readings. `Stencil` holds the weights, so that the values and their
uncertainties come from one and the same rule.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core import moving_parabola
from galena.core.errors import GalenaError, TooFewReadings
from galena.core.loading import later

if TYPE_CHECKING:
    from scipy import sparse
else:
    sparse = later("scipy.sparse")

Floats = NDArray[np.float64]
ORDER = 2  # a parabola keeps the height of a peak, which a straight line would lower
WIDEST = 201
_AT_ONCE = 200_000


class CalculusError(GalenaError, ValueError):
    """Readings that no rate, area or smoothing can be worked out from."""


@dataclass(frozen=True)
class Stencil:
    """result[i] = Σ_k weights[i, k] · y[columns[i, k]]; both have shape (n, k)."""

    columns: NDArray[np.intp]
    weights: Floats

    def apply(self, y: Floats) -> Floats:
        """Give the results, shape (n,)."""
        return np.asarray(np.einsum("ik,ik->i", self.weights, y[self.columns]))

    def matrix(self, rows: NDArray[np.intp], count: int) -> sparse.csr_matrix:
        """Give the weights as a sparse matrix of all `count` readings, of which these are some."""
        taken = self.columns.shape[1]
        of = (self.weights.ravel(), (np.repeat(rows, taken), rows[self.columns].ravel()))
        return sparse.csr_matrix(of, shape=(count, count))


def rate(y: ArrayLike, x: ArrayLike) -> Floats:
    """Give the rate of change of y with x at each reading, in the unit of y over that of x.

    y, x: shape (n,). The slope of the parabola through a reading and its neighbours, and at the
    ends of that through the three outermost; so it is exact to second order everywhere. Of two
    readings it is the slope of the line. Raises TooFewReadings for fewer, CalculusError for
    shapes that differ. Where neighbours have the same x, there is no rate (NaN).

    f'[i] = (h² f[i+1] + (k² - h²) f[i] - k² f[i-1]) / (h k (h + k)),  h = x[i] - x[i-1],
                                                                      k = x[i+1] - x[i]
    Source: B. Fornberg, Mathematics of Computation 51 (1988) 699, for three points.
    """
    values, places = _pair(y, x, "A rate of change", 2)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.gradient(values, places, edge_order=2 if values.size > 2 else 1)


def area(y: ArrayLike, x: ArrayLike) -> float:
    """Give the area under y over x by trapezoids, in the unit of y times that of x.

    y, x: shape (n,).  A = Σ (x[i+1] - x[i]) (y[i] + y[i+1]) / 2
    A gap (NaN) is passed over: its neighbours are each other's next.
    Raises TooFewReadings for fewer than two readings, CalculusError for shapes that differ.
    Source: any textbook of numerical mathematics, e.g. Press et al., Numerical Recipes, 4.1.
    """
    values, places = _pair(y, x, "An area", 2)
    good = np.isfinite(values) & np.isfinite(places)
    if not good.all():
        values, places = _pair(values[good], places[good], "An area", 2)
    return float(running_area(values, places)[-1])


def running_area(y: ArrayLike, x: ArrayLike) -> Floats:
    """Give the area from the first reading up to each, shape (n,); see `area`.

    At a gap there is none (NaN); behind it the area goes on.
    """
    values, places = _pair(y, x, "An area", 2)
    good = np.isfinite(values) & np.isfinite(places)
    if not good.all():
        areas = np.full(values.size, np.nan)
        areas[good] = running_area(values[good], places[good])
        return areas
    parts = np.diff(places) * (values[1:] + values[:-1]) / 2
    return np.concatenate(([0.0], np.cumsum(parts)))


def smooth(y: ArrayLike, window: int, x: ArrayLike | None = None, *, order: int = ORDER) -> Floats:
    """Smooth readings: the value at each of the polynomial fitted to the window about it.

    y, x: shape (n,); without x the steps are taken as even. window: an odd number of readings;
    the first and last readings are taken from the outermost full windows. On even steps this is
    the Savitzky-Golay filter. Raises CalculusError for a window that does not fit.
    Source: A. Savitzky and M. J. E. Golay, Analytical Chemistry 36 (1964) 1627.
    """
    values = np.asarray(y, dtype=np.float64)
    places = np.arange(values.size, dtype=np.float64) if x is None else x
    values, places = _pair(values, places, "Smoothing", 1)
    return _in_parts(values, places, window, order, 0)


def smooth_rate(y: ArrayLike, x: ArrayLike, window: int, *, order: int = ORDER) -> Floats:
    """Give the rate of change at each reading of the polynomial fitted to the window about it.

    See `smooth`; in the unit of y over that of x.
    """
    values, places = _pair(y, x, "A rate of change", 2)
    return _in_parts(values, places, window, order, 1)


def rate_stencil(x: Floats) -> Stencil:
    """Give the weights of `rate`; x has shape (n,) with n ≥ 2."""
    count = x.size
    if count == 2:
        slope = 1 / np.diff(x)
        return Stencil(np.array([[0, 1], [0, 1]]), np.repeat([[-slope[0], slope[0]]], 2, axis=0))
    middle = np.clip(np.arange(count), 1, count - 2)
    columns = np.stack((middle - 1, middle, middle + 1), axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return Stencil(columns, _slopes(x[columns], x))


def rate_curvature(y: Floats, x: Floats) -> Floats:
    """Give the second rate of change of the parabolas that `rate` takes its slopes from."""
    if y.size < 3:
        return np.zeros(y.size)
    middle = np.clip(np.arange(y.size), 1, y.size - 2)
    h, k = x[middle] - x[middle - 1], x[middle + 1] - x[middle]
    with np.errstate(divide="ignore", invalid="ignore"):
        first = (y[middle] - y[middle - 1]) / h
        return 2 * ((y[middle + 1] - y[middle]) / k - first) / (h + k)


def window_stencil(x: Floats, window: int, *, order: int = ORDER, of_rate: bool) -> Stencil:
    """Give the weights of `smooth`, or of `smooth_rate`; x has shape (n,)."""
    first = _first_of_windows(x.size, window, order)
    columns = first[:, None] + np.arange(window)
    return Stencil(columns, _polynomial_weights(x[columns], x, order, of_rate))


def area_weights(x: Floats) -> tuple[Floats, Floats]:
    """Give the weights of `running_area`: those of the readings before, and of the last one.

    result[i] = Σ_{j<i} before[j]·y[j] + own[i]·y[i]
    """
    steps = np.diff(x)
    own = np.concatenate(([0.0], steps / 2))
    before = own + np.concatenate((steps / 2, [0.0]))
    return before, own


def _pair(y: ArrayLike, x: ArrayLike, what: str, least: int) -> tuple[Floats, Floats]:
    values, places = np.asarray(y, dtype=np.float64), np.asarray(x, dtype=np.float64)
    if values.ndim != 1 or values.shape != places.shape:
        raise CalculusError(
            f"y and x must be two rows of the same length, not {values.shape} and {places.shape}."
        )
    if values.size < least:
        raise TooFewReadings(what, least, int(values.size))
    return values, places


def _slopes(nodes: Floats, at: Floats) -> Floats:
    """Give the weights for the slope at a place of the parabola through three nodes each."""
    a, b, c = nodes.T
    return np.stack(
        (
            (2 * at - b - c) / ((a - b) * (a - c)),
            (2 * at - a - c) / ((b - a) * (b - c)),
            (2 * at - a - b) / ((c - a) * (c - b)),
        ),
        axis=1,
    )


def _first_of_windows(count: int, window: int, order: int) -> NDArray[np.intp]:
    if window % 2 == 0 or not order < window <= WIDEST:
        raise CalculusError(
            f"A window of {window} readings cannot be taken. Take an odd number from "
            f"{order + 1 + order % 2} to {WIDEST}."
        )
    if window > count:
        raise TooFewReadings(f"A window of {window}", window, count)
    return np.clip(np.arange(count) - window // 2, 0, count - window)


def _in_parts(y: Floats, x: Floats, window: int, order: int, degree: int) -> Floats:
    """Work a row out by moving sums; where these do not do, by the weights of each window."""
    first = _first_of_windows(y.size, window, order)
    of_rate = degree == 1

    def by_weights(rows: NDArray[np.intp]) -> Floats:
        columns = first[rows, None] + np.arange(window)
        weights = _polynomial_weights(x[columns], x[rows], order, of_rate)
        return np.asarray(np.einsum("ik,ik->i", weights, y[columns]))

    if order != ORDER:
        return _filled(np.empty(y.size), np.arange(y.size), window, by_weights)
    inner = moving_parabola.inner(y, x, window, of_rate=of_rate)
    return _with_edges(inner, y.size, window, by_weights)


def window_variance(u: Floats, x: Floats, window: int, *, of_rate: bool) -> Floats:
    """Give the variance of `smooth` or `smooth_rate` from uncertainties u of single readings.

    u, x: shape (n,).  Σ (weight · u)² of each window.
    Source: JCGM 100:2008 (GUM), 5.1.2, for a weighted sum.
    """
    first = _first_of_windows(x.size, window, ORDER)
    squares = u * u

    def by_weights(rows: NDArray[np.intp]) -> Floats:
        columns = first[rows, None] + np.arange(window)
        weights = _polynomial_weights(x[columns], x[rows], ORDER, of_rate)
        return np.asarray(np.einsum("ik,ik->i", weights * weights, squares[columns]))

    inner = moving_parabola.inner_variance(squares, x, window, of_rate=of_rate)
    return _with_edges(inner, x.size, window, by_weights)


def _with_edges(
    inner: moving_parabola.Inner,
    count: int,
    window: int,
    by_weights: Callable[[NDArray[np.intp]], Floats],
) -> Floats:
    half = window // 2
    slopes = np.empty(count)
    slopes[half : count - half] = inner.values
    rest = np.ones(count, dtype=bool)
    rest[half : count - half] = inner.doubtful
    return _filled(slopes, np.flatnonzero(rest), window, by_weights)


def _filled(
    values: Floats,
    rows: NDArray[np.intp],
    window: int,
    by_weights: Callable[[NDArray[np.intp]], Floats],
) -> Floats:
    """Fill some rows, in parts, so that the windows of all need not be held at once."""
    step = max(1, _AT_ONCE * 16 // window)
    for begin in range(0, rows.size, step):
        part = rows[begin : begin + step]
        values[part] = by_weights(part)
    return values


def _polynomial_weights(nodes: Floats, at: Floats, order: int, of_rate: bool) -> Floats:
    """Give the weights for the value or slope at a place of the polynomial fitted to its nodes.

    nodes: shape (n, window); at: shape (n,).
    """
    weights = np.zeros_like(nodes)
    for basis in _orthogonal(nodes, at, order):
        part = basis.slope_at if of_rate else basis.at
        weights += (part / basis.norm)[:, None] * basis.nodes
    return weights


def window_rate_by_places(y: Floats, x: Floats, window: int, *, order: int = ORDER) -> Stencil:
    """Give by how much `smooth_rate` changes as each place of a window moves: as weights.

    With the polynomial p fitted to a window, its residuals r and orthogonal polynomials q,
    ds/dx[j] = -w[j] p'(x[j]) + r[j] Σ_k q_k'(x[i]) q_k'(x[j]) / |q_k|², and p''(x[i]) for j = i.
    """
    first = _first_of_windows(x.size, window, order)
    columns = first[:, None] + np.arange(window)
    nodes, values = x[columns], y[columns]
    fitted, slopes, weights, mixed = (np.zeros_like(nodes) for _ in range(4))
    curvature = np.zeros_like(x)
    for basis in _orthogonal(nodes, x, order):
        share = np.einsum("ik,ik->i", basis.nodes, values) / basis.norm
        fitted += share[:, None] * basis.nodes
        slopes += share[:, None] * basis.slopes
        curvature += share * basis.curvature_at
        weights += (basis.slope_at / basis.norm)[:, None] * basis.nodes
        mixed += (basis.slope_at / basis.norm)[:, None] * basis.slopes
    moved = (values - fitted) * mixed - weights * slopes
    own = np.arange(x.size) - first
    moved[np.arange(x.size), own] += curvature
    return Stencil(columns, moved)


@dataclass(frozen=True)
class _Basis:
    """A polynomial that is orthogonal to the lower ones on the nodes: its values and slopes
    there, shape (n, window), and at one place each, shape (n,)."""

    nodes: Floats
    slopes: Floats
    at: Floats
    slope_at: Floats
    curvature_at: Floats
    norm: Floats


def _orthogonal(nodes: Floats, at: Floats, order: int) -> Iterator[_Basis]:
    """Give the polynomials that are orthogonal on nodes, from the constant one on.

    By their three-term recurrence; no normal equations are solved.
    Source: G. E. Forsythe, Journal of the SIAM 5 (1957) 74.
    """
    centre = nodes.mean(axis=1)
    reach = np.abs(nodes - centre[:, None]).max(axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        # Rows: the nodes, then the place itself, so that both go through one recurrence.
        z = np.concatenate((nodes, at[:, None]), axis=1)
        z = (z - centre[:, None]) / reach[:, None]
        p, d, c = np.ones_like(z), np.zeros_like(z), np.zeros_like(z)
        old_p, old_d, old_c = np.zeros_like(z), np.zeros_like(z), np.zeros_like(z)
        norm_before = np.full_like(at, np.inf)  # there is none before the first
        scale = 1 / reach[:, None]
        for _ in range(order + 1):
            norm = np.einsum("ik,ik->i", p[:, :-1], p[:, :-1])
            yield _Basis(p[:, :-1], d[:, :-1] * scale, p[:, -1], d[:, -1] / reach,
                         c[:, -1] / reach**2, norm)  # fmt: skip
            shift = np.einsum("ik,ik,ik->i", z[:, :-1], p[:, :-1], p[:, :-1]) / norm
            along, back = z - shift[:, None], (norm / norm_before)[:, None]
            p, d, c, old_p, old_d, old_c = (
                along * p - back * old_p,
                p + along * d - back * old_d,
                2 * d + along * c - back * old_c,
                p,
                d,
                c,
            )
            norm_before = norm
