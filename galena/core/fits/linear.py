"""Least squares for models that are linear in their parameters, by QR decomposition."""

from __future__ import annotations

from dataclasses import dataclass
from math import comb

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import lapack, qr, solve_triangular

from galena.core.errors import FitError

Floats = NDArray[np.float64]
_DEPENDENT = 1e-13  # a pivot this small beside the largest: the columns tell the same


@dataclass(frozen=True)
class Solution:
    """Parameters, shape (p,), and the unscaled covariance (XᵀX)⁻¹, shape (p, p)."""

    parameters: Floats
    unscaled_covariance: Floats


def solve(design: Floats, y: Floats) -> Solution:
    """Minimise |design @ parameters - y|², design: shape (n, p) with n >= p.

    Columns are scaled to length one, the triangle is pivoted; normal equations are never formed.
    Raises FitError where the columns are linearly dependent.
    Source: Golub and Van Loan, Matrix Computations, 4th ed., 5.5 (QR with column pivoting).
    """
    rows, count = design.shape
    # One factorisation of design and y side by side gives R and Qᵀy, and Q is never formed.
    both = np.zeros((max(rows, count + 1), count + 1), order="F")
    both[:rows, :-1], both[:rows, -1] = design, y
    scale = np.array([np.sqrt(column @ column) for column in both.T[:-1]])
    if not np.all(scale > 0):
        raise FitError("All readings have x = 0, so no slope can be found. Choose a wider stretch.")
    if not np.isfinite(both).all():
        raise FitError("The model gives no numbers for some of these readings.")
    both[:, :-1] /= scale
    triangle = np.triu(lapack.dgeqrf(both, overwrite_a=1)[0][: count + 1])
    small, of_y = triangle[:count, :-1], triangle[:count, -1]
    q, r, order = qr(small, mode="economic", pivoting=True)
    pivots = np.abs(np.diag(r))
    if pivots[-1] <= _DEPENDENT * pivots[0]:
        raise FitError(
            "All readings lie at the same x, so no slope can be found. Choose a wider stretch."
        )
    parameters = np.empty(len(order))
    parameters[order] = solve_triangular(r, q.T @ of_y)
    inverse = np.empty_like(r)
    inverse[order] = solve_triangular(r, np.eye(len(order)))
    return Solution(parameters / scale, (inverse @ inverse.T) / np.outer(scale, scale))


def solve_polynomial(x: Floats, y: Floats, weights: Floats, degree: int) -> Solution:
    """Minimise Σ (weights · (Σ c_k x^k - y))², parameters in rising powers of x.

    The powers are taken of z = (x - centre) / half-range, and the parameters and covariance
    carried back to powers of x by the binomial theorem, so that an x far from zero
    (a calendar year, say) costs no digits.
    """
    lo, hi = float(x.min()), float(x.max())
    centre, half = lo + (hi - lo) / 2, (hi - lo) / 2
    if not half > abs(centre) * 1e-14:
        raise FitError(
            "All readings lie at the same x, so no slope can be found. Choose a wider stretch."
        )
    if abs(centre) < half:  # zero is inside: centring would gain nothing and cost an addition
        centre = 0.0
    z = (x - centre) / half
    powers = np.empty((z.size, degree + 1), order="F")
    powers[:, 0] = weights
    for k in range(degree):
        powers[:, k + 1] = powers[:, k] * z
    solution = solve(powers, y * weights)
    back = np.zeros((degree + 1, degree + 1))
    for k in range(degree + 1):
        for j in range(k + 1):
            back[j, k] = comb(k, j) * (-centre) ** (k - j) / half**k
    return Solution(back @ solution.parameters, back @ solution.unscaled_covariance @ back.T)
