"""JSON (RFC 8259) from elsewhere, within bounds: not too long, not too deep, numbers finite."""

from __future__ import annotations

import json
import math
from typing import Any

from galena.core.numbers import LARGEST

DEEPEST = 8


def read(text: str, longest: int, deepest: int = DEEPEST) -> Any:
    """Read a JSON text. Raises ValueError, in words, for what is none or beyond its bounds.

    Brackets inside of strings count as well: what people write has few of them.
    """
    if len(text) > longest:
        raise ValueError(f"it is longer than {longest} characters")
    depth, most = 0, 0
    for sign in text:
        depth += (sign in "[{") - (sign in "]}")
        most = max(most, depth)
    if most > deepest:
        raise ValueError(f"its brackets are deeper than {deepest}")
    return json.loads(text, parse_constant=_refuse)


def _refuse(constant: str) -> None:
    raise ValueError(f"{constant} is no number")


def number(value: object) -> float:
    """Take a number out of what was read. Raises ValueError for all else and beyond ±1e300."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError("a number is missing")
    if not abs(value) <= LARGEST or not math.isfinite(value):
        raise ValueError("a number is too large")
    return float(value)


def text(value: object, longest: int) -> str:
    """Take a text out of what was read; what cannot be written again is left out of it."""
    if not isinstance(value, str):
        raise ValueError("a text is missing")
    return "".join(one for one in value[:longest] if one.isprintable())
