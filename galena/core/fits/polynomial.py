"""Polynomials in a centred variable: far from zero the powers of x themselves keep no digits."""

from __future__ import annotations

from dataclasses import dataclass
from math import comb

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError
from galena.core.fits.linear import Solution, solve
from galena.core.fits.models import LinearModel, Model

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Centred:
    """y = Σ coefficients[k] z^k with z = (x - centre)/half, and their covariance, shape (p, p).

    The covariance is as unscaled as that of the solution it comes from, unless `scaled` was asked.
    """

    centre: float
    half: float
    coefficients: Floats
    covariance: Floats

    def scaled(self, variance: float) -> Centred:
        """Give the same with its covariance multiplied."""
        return Centred(self.centre, self.half, self.coefficients, self.covariance * variance)

    def values(self, x: Floats) -> Floats:
        """Give y at x, shape (n,)."""
        return np.asarray(np.polynomial.polynomial.polyval(self._z(x), self.coefficients))

    def variance(self, x: Floats) -> Floats:
        """Give the variance of y at x, shape (n,)."""
        powers = self._z(x)[:, None] ** np.arange(self.coefficients.size)
        return np.asarray(np.einsum("ij,jk,ik->i", powers, self.covariance, powers))

    def derivative(self, x: Floats) -> Floats:
        """Give the rate of change of y with x, shape (n,)."""
        derivative = np.polynomial.polynomial.polyder(self.coefficients)
        if not derivative.size:
            return np.zeros_like(x)
        return np.asarray(np.polynomial.polynomial.polyval(self._z(x), derivative / self.half))

    def in_powers_of_x(self) -> Solution:
        """Carry coefficients and covariance over to rising powers of x, by the binomial theorem."""
        count = self.coefficients.size
        back = np.zeros((count, count))
        for k in range(count):
            for j in range(k + 1):
                back[j, k] = comb(k, j) * (-self.centre) ** (k - j) / self.half**k
        return Solution(back @ self.coefficients, back @ self.covariance @ back.T)

    def _z(self, x: Floats) -> Floats:
        return (x - self.centre) / self.half


def powers_of(model: Model, x: Floats) -> dict[str, int]:
    """Tell which power of x each parameter multiplies; empty where a model is no polynomial.

    x: shape (n,). A polynomial has all powers up to its degree, one a parameter.
    """
    if isinstance(model, LinearModel):
        if model.degree is None:
            return {}
        return {name: int(power) for name, power in model.basis.items()}
    none, other = (dict.fromkeys(model.parameters, value) for value in (0.0, 0.7))
    columns = model.jacobian(x, none)
    if not np.array_equal(columns, model.jacobian(x, other)):
        return {}
    all_powers = range(columns.shape[1])
    powers = {
        name: power
        for name, column in zip(model.parameters, columns.T, strict=True)
        for power in all_powers
        if np.allclose(column, x**power, rtol=1e-14, atol=0.0)
    }
    return powers if sorted(powers.values()) == list(all_powers) else {}


def fitted(x: Floats, y: Floats, weights: Floats, degree: int) -> Centred:
    """Minimise Σ (weights · (Σ c_k z^k - y))² in z = (x - centre)/half-range.

    So an x far from zero (a calendar year, say) costs no digits. Raises FitError where all x are
    equal.
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
    return Centred(centre, half, solution.parameters, solution.unscaled_covariance)
