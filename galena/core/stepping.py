"""What a typed column of settings suggests for its next value."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal, InvalidOperation

from galena.core import numbers


def next_setting(texts: Sequence[str]) -> str:
    """Suggest the next setting: the last one and the last step once more, with as many decimals.

    texts: the settings so far, as typed. Nothing is suggested before there are two, or where
    the last two are equal.

    >>> next_setting(["0.200", "0.250"])
    '0.300'
    """
    try:
        before, last = (_exact(text) for text in texts[-2:])
    except (ValueError, InvalidOperation):
        return ""
    if before == last:
        return ""
    return f"{last + (last - before):f}".replace("-", numbers.MINUS)


def as_typed(text: str, decimals: int, name: str) -> tuple[float, str]:
    """Read a setting; gives its value, and its text with at least so many decimals.

    Raises NumberError.
    """
    value = numbers.parse(text, name, numbers.fixed(0.5, max(1, decimals)))
    typed = -int(_exact(text).as_tuple().exponent)
    return value, numbers.fixed(value, min(12, max(decimals, typed)))


def _exact(text: str) -> Decimal:
    return Decimal(numbers.plain_digits(text))
