"""Least squares for models that are linear in their parameters, by QR decomposition."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError
from galena.core.loading import later

lapack = later("scipy.linalg.lapack")

Floats = NDArray[np.float64]
_DEPENDENT = 1e-13  # a singular value this small beside the largest: columns tell the same


@dataclass(frozen=True)
class Solution:
    """Parameters, shape (p,), and the unscaled covariance (XᵀX)⁻¹, shape (p, p)."""

    parameters: Floats
    unscaled_covariance: Floats


def solve(design: Floats, y: Floats) -> Solution:
    """Minimise |design @ parameters - y|², design: shape (n, p) with n >= p.

    Columns are scaled to length one, the triangle is taken apart by its singular values; normal
    equations are never formed. Raises FitError where the columns are linearly dependent.
    Source: Golub and Van Loan, Matrix Computations, 4th ed., 5.5 (rank-revealing decompositions).
    """
    rows, count = design.shape
    # One factorisation of design and y side by side gives R and Qᵀy, and Q is never formed.
    both = np.empty((max(rows, count + 1), count + 1), order="F")
    both[rows:] = 0.0
    both[:rows, -1] = y
    scale = np.array([np.sqrt(column @ column) for column in design.T])
    if not (np.isfinite(scale).all() and np.isfinite(y).all()):
        raise FitError("The model gives no numbers for some of these readings.")
    if not np.all(scale > 0):
        raise FitError("All readings have x = 0, so no slope can be found. Choose a wider stretch.")
    np.divide(design, scale, out=both[:rows, :-1])
    triangle = np.triu(lapack.dgeqrf(both, overwrite_a=1)[0][: count + 1])
    small, of_y = triangle[:count, :-1], triangle[:count, -1]
    left, sizes, right = np.linalg.svd(small)
    if sizes[-1] <= _DEPENDENT * sizes[0]:
        raise FitError(
            "All readings lie at the same x, so no slope can be found. Choose a wider stretch."
        )
    inverse = right.T / sizes
    parameters = inverse @ (left.T @ of_y)
    return Solution(parameters / scale, (inverse @ inverse.T) / np.outer(scale, scale))
