"""What is plotted along one axis in place of a quantity, so that a curve becomes a line."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.units import Unit

Floats = NDArray[np.float64]
Rule = Callable[[Floats], Floats]


@dataclass(frozen=True)
class Transform:
    """A one-to-one rule for the numbers of one quantity, counted in its unit.

    `words` go before the quantity's name; `pattern` is the rule as a formula, `notation` as a
    symbol and `spoken` as in a sentence, each with {q} for the quantity's symbol. `power` is the
    power of the quantity that it is, None for a logarithm: that is of the number, in the unit
    that is shown.
    `inverse` gives back what is not below zero where two numbers have the same transform.
    """

    key: str
    words: str
    pattern: str
    notation: str
    spoken: str
    power: float | None
    rule: Rule
    inverse_rule: Rule
    slope: Rule
    place: Callable[[Floats], NDArray[np.bool_]]

    def forward(self, q: ArrayLike) -> Floats:
        """Give what is plotted for readings q, shape (n,); NaN where there is nothing."""
        numbers = np.asarray(q, dtype=np.float64)
        with np.errstate(all="ignore"):
            plotted = np.where(self.has_place(numbers), self.rule(numbers), np.nan)
        return np.where(np.isfinite(plotted), plotted, np.nan)

    def inverse(self, plotted: ArrayLike) -> Floats:
        """Give the readings from what is plotted, shape (n,); NaN where there are none."""
        with np.errstate(all="ignore"):
            return np.asarray(self.inverse_rule(np.asarray(plotted, dtype=np.float64)))

    def uncertainty(self, q: ArrayLike, u: ArrayLike) -> Floats:
        """Carry standard uncertainties u of readings q through, shape (n,).

        Source: JCGM 100:2008 (GUM), 5.1.2: |df/dq| u.
        """
        numbers = np.asarray(q, dtype=np.float64)
        with np.errstate(all="ignore"):
            return np.asarray(np.abs(self.slope(numbers)) * np.asarray(u, dtype=np.float64))

    def has_place(self, q: ArrayLike) -> NDArray[np.bool_]:
        """Tell at which readings there is something to plot, shape (n,)."""
        numbers = np.asarray(q, dtype=np.float64)
        return np.isfinite(numbers) & self.place(numbers)

    @property
    def is_plain(self) -> bool:
        """Tell whether the quantity itself is plotted."""
        return self.power == 1

    def formula(self, symbol: str) -> str:
        """Give the rule as a formula of a quantity's symbol."""
        return self.pattern.format(q=symbol)

    def unit(self, unit: Unit) -> Unit:
        """Give the unit of what is plotted."""
        if self.power is None:
            return Unit()
        return unit ** Fraction(self.power)

    def symbol(self, symbol: str, unit: Unit) -> str:
        """Write what is plotted as a symbol, as for heads and axes: d⁻², √d, ln(E/lx)."""
        return self.notation.format(q=self._counted(symbol, unit))

    def shown(self, symbol: str, unit: Unit) -> str:
        """Write what is plotted as in a sentence: 1/d², √d, ln(E/lx)."""
        return self.spoken.format(q=self._counted(symbol, unit))

    def _counted(self, symbol: str, unit: Unit) -> str:
        return f"{symbol}/{unit}" if self.power is None and unit.factors else symbol


def _everywhere(q: Floats) -> NDArray[np.bool_]:
    return np.ones(q.shape, dtype=bool)


def _not_zero(q: Floats) -> NDArray[np.bool_]:
    return np.asarray(q != 0)


def _not_below_zero(q: Floats) -> NDArray[np.bool_]:
    return np.asarray(q >= 0)


def _above_zero(q: Floats) -> NDArray[np.bool_]:
    return np.asarray(q > 0)


def _power(key: str, words: str, pattern: str, notation: str, spoken: str, power: int) -> Transform:
    place = _everywhere if power > 0 else _not_zero
    exact = {1: np.positive, 2: np.sqrt, 3: np.cbrt}
    back: Rule = exact.get(abs(power)) or (lambda raised: raised ** (1 / abs(power)))

    def inverse(plotted: Floats) -> Floats:
        return back(plotted if power > 0 else 1 / plotted)

    return Transform(
        key, words, pattern, notation, spoken, power,
        lambda q: q ** float(power), inverse, lambda q: power * q ** float(power - 1), place,
    )  # fmt: skip


PLAIN = _power("plain", "", "{q}", "{q}", "{q}", 1)
SQUARE = _power("square", "square of", "{q}^2", "{q}²", "{q}²", 2)
CUBE = _power("cube", "cube of", "{q}^3", "{q}³", "{q}³", 3)
INVERSE = _power("inverse", "inverse of", "1/{q}", "{q}⁻¹", "1/{q}", -1)
INVERSE_SQUARE = _power("inverse_square", "inverse square of", "1/{q}^2", "{q}⁻²", "1/{q}²", -2)
INVERSE_CUBE = _power("inverse_cube", "inverse cube of", "1/{q}^3", "{q}⁻³", "1/{q}³", -3)
SQUARE_ROOT = Transform(
    "square_root", "square root of", "sqrt({q})", "√{q}", "√{q}", 0.5,
    np.sqrt, lambda s: np.where(s >= 0, s * s, np.nan), lambda q: 0.5 / np.sqrt(q), _not_below_zero,
)  # fmt: skip
LOGARITHM = Transform(
    "logarithm", "logarithm of", "ln({q})", "ln({q})", "ln({q})", None,
    np.log, np.exp, lambda q: 1 / q, _above_zero,
)  # fmt: skip


def square_about(x_0: float, typed: str = "x_0") -> Transform:
    """Give the square of the distance from a place x₀, which a formula writes as it was typed."""
    return Transform(
        "square_about", "square of the distance from the turning point of",
        f"({{q}} - {typed})^2", "({q} − {q}_0)²", "({q} − {q}_0)²", 2,
        lambda q: (q - x_0) ** 2, lambda s: x_0 + np.sqrt(s), lambda q: 2 * (q - x_0), _everywhere,
    )  # fmt: skip
