"""Symbols of quantities where there is nothing but plain text."""

from __future__ import annotations

import re

_SUBSCRIPTS = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


def plain(symbol: str) -> str:
    """Write a symbol in one line of text: a running number becomes a subscript, T_1 → T₁."""
    base, _, below = symbol.partition("_")
    return base + below.translate(_SUBSCRIPTS) if below.isdigit() and below.isascii() else symbol


_SYMBOL = re.compile(r"[^\W\d_][^\W_]*(?:_[^\W_]+)*_?")
LONGEST = 12


def is_symbol(text: str) -> bool:
    """Tell whether formulas can read a text as a symbol: a letter, then letters, digits and _.

    A raised figure is none of them: `H²` would be read as a square.
    """
    plain_text = len(text) <= LONGEST and _SYMBOL.fullmatch(text) is not None
    return plain_text and all(one == "_" or one.isalpha() or one.isdecimal() for one in text)


_PIECES = re.compile(
    r"(?P<symbol>(?<![^\W_])[^\W\d_](?=_[^\W_]))_(?P<sub>[^\W_]+)"
    r"|\^(?P<sup>[-\u2212]?\d+)"
    r"|(?P<alone>(?<![\w'’·/])(?<!\d )(?![aAI])[^\W\d_](?![\w'’])"
    r"|(?<![\w'’])[α-ωΓΔΘΛΞΠΣΦΨ](?![\w'’]))"
)


def pieces(text: str) -> list[tuple[str, str]]:
    """Cut words into pieces to typeset, as pairs of kind and text.

    Kinds: `symbol` for a quantity's symbol (a letter alone, or before a subscript), `sub`, `sup`,
    and an empty kind for what stands as it is.
    """
    parts: list[tuple[str, str]] = []
    end = 0
    for match in _PIECES.finditer(text):
        if match.start() > end:
            parts.append(("", text[end : match.start()]))
        if match["sub"]:
            parts += [("symbol", match["symbol"]), ("sub", match["sub"])]
        elif match["sup"]:
            parts.append(("sup", match["sup"].replace("-", "\u2212")))
        else:
            parts.append(("symbol", match["alone"]))
        end = match.end()
    if end < len(text):
        parts.append(("", text[end:]))
    return parts
