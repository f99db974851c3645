"""Readings that follow each other: how an error goes on from one reading to the next.

An error e[i] = Σ a[k] e[i-k] + what is new at i: the autoregressive model, its order by AICc.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.distributions import normal_quantile
from galena.core.loading import later

fft = later("scipy.fft")
linalg = later("scipy.linalg")

Floats = NDArray[np.float64]
FEWEST = 20  # readings: of fewer nobody can tell whether they follow each other
_UNLIKELY = 0.05
_MOST_LAGS = 10
_LONG = 5000  # from so many readings on, what a fit takes out of its residuals does not matter
_ROUNDS = 4
_SMOOTH = 6  # degree of the curve that readings are looked at beside
_ALL_CURVE = 0.01  # of the squares left beside the curve: the residuals are all curve
_STATIONARY = 0.995  # a root of the model comes no nearer to one: an error dies away
_AT_ONCE = 64  # correlations that are worked out at once
_GONE = 1e-6  # a correlation this small has died away


@dataclass(frozen=True)
class Autoregression:
    """coefficients a[k] of the errors before; variance: that of the errors themselves."""

    coefficients: Floats
    variance: float

    def correlations(self, count: int) -> Floats:
        """Give the correlation of errors 0, 1, 2 … readings apart, shape (count,).

        Source: Box and Jenkins, Time Series Analysis (1976), 3.2 (the Yule-Walker equations).
        """
        order = self.coefficients.size
        if not order:
            return np.eye(count, 1)[:, 0]
        equations = np.eye(order + 1)
        for k in range(order + 1):
            for j in range(1, order + 1):
                equations[k, abs(k - j)] -= self.coefficients[j - 1]
        first = np.linalg.solve(equations, np.eye(order + 1)[0])
        followed = np.zeros(max(count, order + 1) + _AT_ONCE)
        followed[: order + 1] = first / first[0]
        following = self._following()
        for start in range(order + 1, count, _AT_ONCE):
            followed[start : start + _AT_ONCE] = following @ followed[start - order : start]
            if np.abs(followed[start : start + _AT_ONCE][-order:]).max() < _GONE:
                break
        return followed[:count]

    def _following(self) -> Floats:
        """Give what the errors before are multiplied by for each of those that follow, if nothing
        new comes, shape (_AT_ONCE, order)."""
        order = self.coefficients.size
        rows = np.vstack((np.eye(order), np.empty((_AT_ONCE, order))))
        for k in range(order, order + _AT_ONCE):
            rows[k] = self.coefficients[::-1] @ rows[k - order : k]
        return rows[order:]


def follow_each_other(errors: Floats, taken_out: int = 1) -> bool:
    """Tell whether neighbours are more alike than by chance: a one-sided test at 5 %.

    errors: shape (n,), in the order of time; taken_out: how many parameters were fitted to
    them, each of which makes neighbours less alike by about 1/n.
    Source: Bartlett, Journal of the Royal Statistical Society, Supplement 8 (1946) 27.
    """
    count = errors.size
    whole = float(errors @ errors)
    if count < max(FEWEST, 3 * taken_out) or not whole > 0:
        return False
    first = float(errors[1:] @ errors[:-1]) / whole
    return (first + taken_out / count) * math.sqrt(count) > normal_quantile(1 - _UNLIKELY)


def follow_beside_a_curve(residuals: Floats, x: Floats | None = None) -> bool:
    """Tell whether residuals follow each other beyond any smooth curve that is left in them.

    residuals: shape (n,), in the order of their places; x: these, where they lie unevenly and a
    curve may be smooth over either, shape (n,).
    """
    degree = min(_SMOOTH, residuals.size // (5 if x is None else 10))
    rows = [np.linspace(-1, 1, residuals.size)]
    if x is not None:
        rows.append(2 * (x - x.min()) / (np.ptp(x) or 1.0) - 1)
    powers = [np.polynomial.legendre.legvander(row, degree) for row in rows]
    curve, _, rank, _ = np.linalg.lstsq(np.hstack(powers), residuals, rcond=1e-10)
    rest = residuals - np.hstack(powers) @ curve
    if float(rest @ rest) < _ALL_CURVE * float(residuals @ residuals):
        return False  # without scatter there is nothing that could follow
    return follow_each_other(rest, int(rank))


def of_residuals(residuals: Floats, design: Floats) -> Autoregression:
    """Find the model of errors from the residuals of a fit.

    residuals: shape (n,), in the order of time; design: what the parameters multiply or the
    slopes in them, shape (n, p). A fit takes out of its residuals what looks like itself, so
    that they seem to follow each other less; what it takes out of errors of the model is
    worked out and given back, until nothing changes.
    Source: Burg (1968) for the order's first estimate; Hurvich and Tsai, Biometrika 76 (1989)
    297, for AICc.
    """
    order = _order(residuals)
    count = residuals.size
    sums = _lagged(residuals[:, None], residuals[:, None], order + 1)
    spare = max(1, count - design.shape[1])
    if not order:
        return Autoregression(np.empty(0), float(sums[0]) / spare)
    taken = _TakenOut(design)
    share = count - np.arange(order + 1)
    coefficients = _solved(sums / share)
    rounds = _ROUNDS if count <= _LONG else 1
    for _ in range(rounds):
        model = Autoregression(coefficients, 1.0)
        left, whole = taken.of(model.correlations(count), order + 1)
        given_back = sums + float(sums[0] / left[0]) * (whole - left)
        coefficients = _solved(given_back / share)
    left, _ = taken.of(Autoregression(coefficients, 1.0).correlations(count), 1)
    return Autoregression(coefficients, float(sums[0] / left[0]))


def spread_through(weights: Floats, correlations: Floats) -> Floats:
    """Give W R Wᵀ for errors of variance one that are so correlated.

    weights: shape (n, p), of p weighted sums of n readings; correlations: shape (n,), by the
    distance of two readings. By the fast Fourier transform, so that R is never written out.
    """
    return np.asarray(weights.T @ convolved(weights, correlations))


def convolved(columns: Floats, correlations: Floats) -> Floats:
    """Multiply columns, shape (n, p), by the matrix of correlations."""
    count = columns.shape[0]
    size = fft.next_fast_len(2 * count, real=True)
    kernel = np.zeros(size)
    kernel[:count] = correlations
    kernel[size - count + 1 :] = correlations[1:][::-1]
    spectrum = fft.rfft(columns, size, axis=0) * fft.rfft(kernel)[:, None]
    return np.asarray(fft.irfft(spectrum, size, axis=0)[:count])


class _TakenOut:
    """What a fit leaves of correlated errors: the sums of products of its residuals."""

    def __init__(self, design: Floats) -> None:
        self.across = np.linalg.qr(design / np.linalg.norm(design, axis=0))[0]

    def of(self, correlations: Floats, lags: int) -> tuple[Floats, Floats]:
        """Give the expected sums of residuals, and of the errors themselves, by lag."""
        spread = convolved(self.across, correlations)
        inside = self.across.T @ spread
        whole = correlations[:lags] * (correlations.size - np.arange(lags))
        left = whole - _lagged(self.across, spread, lags) - _lagged(spread, self.across, lags)
        return left + _lagged(self.across @ inside, self.across, lags), whole


def _lagged(first: Floats, second: Floats, lags: int) -> Floats:
    count = first.shape[0]
    return np.array([np.sum(first[: count - k] * second[k:]) for k in range(lags)])


def _order(errors: Floats) -> int:
    """Choose the order by AICc, each model by Burg's method."""
    count = errors.size
    forward, backward = errors.copy(), errors.copy()
    variance = float(errors @ errors) / count
    best, chosen = math.inf, 0
    for order in range(min(_MOST_LAGS, count // 4) + 1):
        spare = count - order - 2
        if not variance > 0 or spare <= 0:
            break
        k = order + 1
        aicc = count * math.log(variance) + 2 * k + 2 * k * (k + 1) / spare
        if aicc < best:
            best, chosen = aicc, order
        forward, backward = forward[1:], backward[:-1]
        size = float(forward @ forward + backward @ backward)
        if not size > 0:
            break
        reflection = 2 * float(forward @ backward) / size
        variance *= 1 - reflection**2
        forward, backward = forward - reflection * backward, backward - reflection * forward
    return chosen


def _solved(covariances: Floats) -> Floats:
    """Solve the Yule-Walker equations; an error always dies away."""
    order = covariances.size - 1
    try:
        coefficients = linalg.solve_toeplitz(covariances[:order], covariances[1:])
    except linalg.LinAlgError:
        return np.zeros(order)
    roots = np.abs(np.roots(np.concatenate(([1.0], -coefficients))))
    largest = float(roots.max(initial=0.0))
    if largest > _STATIONARY:
        coefficients = coefficients * (_STATIONARY / largest) ** np.arange(1, order + 1)
    return np.asarray(coefficients, dtype=np.float64)
