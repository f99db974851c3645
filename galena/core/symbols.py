"""Symbols of quantities where there is nothing but plain text."""

from __future__ import annotations

import re

_SUBSCRIPTS = str.maketrans("0123456789", "₀₁₂₃₄₅₆₇₈₉")


def plain(symbol: str) -> str:
    """Write a symbol in one line of text: a running number becomes a subscript, T_1 → T₁."""
    return "".join(text if kind != "sub" else _lowered(text) for kind, text in parts(symbol))


def _lowered(below: str) -> str:
    numbered = below.isdigit() and below.isascii()
    return below.translate(_SUBSCRIPTS) if numbered else f"_{below}"


_SYMBOL = re.compile(r"[^\W\d_][^\W_]*(?:_[^\W_]+)*_?")
LONGEST = 12


def is_symbol(text: str) -> bool:
    """Tell whether formulas can read a text as a symbol: a letter, then letters, digits and _.

    A raised figure is none of them: `H²` would be read as a square.
    """
    plain_text = len(text) <= LONGEST and _SYMBOL.fullmatch(text) is not None
    return plain_text and all(one == "_" or one.isalpha() or one.isdecimal() for one in text)


_PARTS = re.compile(
    r"(?:(?P<upright>ln(?![^\W\d_])|pH(?![^\W_])|(?<!\d)/[^)]*)|(?P<symbol>[^\W\d_¹²³⁰⁴-⁹][^\W_¹²³⁰⁴-⁹]*))"
    r"(?:_(?P<sub>[^\W¹²³⁰⁴-⁹]+))?"
)


def parts(symbol: str) -> list[tuple[str, str]]:
    """Cut a symbol into what is typeset alike, as pairs of kind and text.

    Kinds: `symbol` (italic), `sub` (a subscript), and an empty kind for what is upright: names of
    functions, units, raised figures. `E_kin`, `d⁻²`, `√d`, `ln(E/lx)`, `(t − t_0)²`.
    """
    cut: list[tuple[str, str]] = []
    end = 0
    for match in _PARTS.finditer(symbol):
        if match.start() > end:
            cut.append(("", symbol[end : match.start()]))
        if match["upright"]:
            cut.append(("", match["upright"]))
        else:
            cut.append(("symbol", match["symbol"]))
        if match["sub"]:
            cut.append(("sub", match["sub"]))
        end = match.end()
    if end < len(symbol):
        cut.append(("", symbol[end:]))
    return cut


def is_logarithm(symbol: str) -> bool:
    """Tell whether a symbol says that it is a logarithm, as ln(E/lx)."""
    return symbol.startswith(("ln(", "lg(", "ln ", "lg "))


def renamed(symbol: str, old: str, new: str) -> str:
    """Give a symbol that is written with another one, as d⁻² with d, after that has a new name."""
    return re.sub(rf"(?<![^\W_]){re.escape(old)}(?![^\W\d_]|_)", lambda _: new, symbol)


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
