"""What the signs and the plain functions of a formula do with values."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from galena.core.formula.values import Part, Value, combined

Slope = Callable[[Part, Part], Part]


def add(a: Value, b: Value) -> Value:
    """a + b."""
    return combined(a.y + b.y, (a, 1.0), (b, 1.0))


def subtract(a: Value, b: Value) -> Value:
    """a - b."""
    return combined(a.y - b.y, (a, 1.0), (b, -1.0))


def multiply(a: Value, b: Value) -> Value:
    """a · b."""
    return combined(a.y * b.y, (a, b.y), (b, a.y))


def divide(a: Value, b: Value) -> Value:
    """a / b; nothing where b is zero."""
    inverse = 1 / np.where(b.y == 0, np.nan, b.y) if np.ndim(b.y) else _inverse(float(b.y))
    y = a.y * inverse if np.ndim(b.y) == 0 else a.y / np.where(b.y == 0, np.nan, b.y)
    return combined(y, (a, inverse), (b, lambda: -y * inverse))


def _inverse(number: float) -> float:
    return 1 / number if number else float("nan")


def negative(a: Value) -> Value:
    """-a."""
    return combined(-a.y, (a, -1.0))


def power(a: Value, b: Value) -> Value:
    """a to the power of b; nothing where it is not a real number.

    Where a is zero its slopes are the limits there, or unknown where these are infinite.
    """
    if np.ndim(b.y) == 0 and b.is_certain:
        exponent = float(b.y)
        y = _raised(a.y, exponent)
        return combined(y, (a, lambda: exponent * _raised(a.y, exponent - 1) if exponent else 0.0))
    y = np.power(a.y, b.y)

    def by_base() -> Part:
        slope = b.y * np.power(a.y, b.y - 1)
        return np.where(np.isfinite(slope), slope, np.nan)

    def by_exponent() -> Part:
        at_zero = np.where(np.asarray(b.y) > 0, 0.0, np.nan)
        return np.where(np.asarray(a.y) == 0, at_zero, y * np.log(a.y))

    return combined(y, (a, by_base), (b, by_exponent))


def _raised(base: Part, exponent: float) -> Part:
    if exponent == 2:
        return base * base  # a general power takes ten times as long
    if exponent == 1:
        return base
    if exponent == 0.5:
        return np.sqrt(base)
    if exponent == -1:
        return divide(Value(1.0), Value(base)).y
    powers = np.power(base, exponent)
    if exponent < 0:
        return np.where(np.asarray(base) == 0, np.nan, powers)
    return powers


def plain(function: Callable[[Part], Part], slope: Slope) -> Callable[[Value], Value]:
    """Make what a function of one number does; slope takes the number and its result."""

    def apply(a: Value) -> Value:
        y = function(a.y)
        # One number of Python's own would raise where its slope is infinite, as that of ln at zero.
        return combined(y, (a, lambda: slope(np.asarray(a.y, dtype=np.float64)[()], y)))

    return apply


def choose(first: Callable[[Part, Part], NDArray[np.bool_]]) -> Callable[[Value, Value], Value]:
    """Make what takes one of two numbers: first tells where the first is taken."""

    def apply(a: Value, b: Value) -> Value:
        taken = first(a.y, b.y)
        y = np.where(taken, a.y, b.y)
        share = np.where(taken, 1.0, 0.0)
        y = np.where(np.isnan(a.y) | np.isnan(b.y), np.nan, y)
        if np.ndim(y) == 0:
            return combined(float(y), (a, float(share)), (b, 1.0 - float(share)))
        return combined(y, (a, share), (b, 1.0 - share))

    return apply
