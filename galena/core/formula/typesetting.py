"""Formulas as a textbook prints them, in MathML (W3C MathML Core), from their parts."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

from galena.core import units
from galena.core.errors import UnitError
from galena.core.formula.parsing import parse
from galena.core.formula.syntax import Binary, Call, Group, Name, Negative, Node, Number
from galena.core.numbers import MINUS
from galena.core.symbols import parts

_SIGN = {"add": "+", "subtract": MINUS, "multiply": "·"}
# What binds more loosely than what stands around it needs brackets.
_BINDS = {"add": 1, "subtract": 1, "multiply": 2, "divide": 2, "power": 4}
# Functions that are not set in brackets or bars of their own, and from where on they need some:
# e² squared, a rate squared, an integral before a product sign.
_OPEN = {"exp": 5, "rate": 5, "area": 2}


def mathml(text: str, symbol: str = "") -> str:
    """Typeset a formula, behind `symbol =` where one is given. Raises FormulaError."""
    inside = _set(_bare(parse(text)))
    if symbol:
        inside = f"{_symbol(symbol)}<mo>=</mo>{inside}"
    return f'<math display="inline">{_row(inside)}</math>'


def _set(node: Node) -> str:
    if isinstance(node, Number):
        return _number(node)
    if isinstance(node, Name):
        return _symbol(node.symbol)
    if isinstance(node, Group):
        return f"<mo>(</mo>{_set(node.inside)}<mo>)</mo>"
    if isinstance(node, Negative):
        return f"<mo>{MINUS}</mo>{_within(node.operand, 2)}"
    if isinstance(node, Call):
        return _FUNCTIONS.get(node.function, _named)(node)
    assert isinstance(node, Binary)
    if node.operator == "divide":
        return f"<mfrac>{_row(_set(_bare(node.left)))}{_row(_set(_bare(node.right)))}</mfrac>"
    if node.operator == "power":
        return f"<msup>{_row(_within(node.left, 5))}{_row(_raised(_bare(node.right)))}</msup>"
    binds = _BINDS[node.operator]
    left, right = _within(node.left, binds), _within(node.right, binds)
    return f"{left}<mo>{_SIGN[node.operator]}</mo>{right}"


def _within(node: Node, binds: int) -> str:
    """Set a part beside a sign; brackets that were typed stay where they are needed."""
    inside = node.inside if isinstance(node, Group) else node
    if isinstance(node, Group) and not _is_loose(inside, binds):
        return _set(inside)
    is_number = isinstance(node, Number) and node.unit and binds > 2
    is_call = isinstance(node, Call) and node.function in _OPEN and binds >= _OPEN[node.function]
    if is_number or is_call:
        return f"<mo>(</mo>{_set(node)}<mo>)</mo>"
    return _set(node)


def _is_loose(node: Node, binds: int) -> bool:
    if isinstance(node, Negative):
        return True
    if isinstance(node, Number):
        return bool(node.unit)
    if isinstance(node, Call):
        return node.function in _OPEN and binds >= _OPEN[node.function]
    if isinstance(node, Binary):
        # A fraction holds together by its line, but not as the base of a power.
        return binds >= 5 if node.operator == "divide" else _BINDS[node.operator] < max(binds, 2)
    return False


def _bare(node: Node) -> Node:
    return _bare(node.inside) if isinstance(node, Group) else node


def _number(node: Number) -> str:
    mantissa, _, power = node.text.lstrip("-").lower().partition("e")
    sign = f"<mo>{MINUS}</mo>" if node.text.startswith("-") else ""
    mathml = f"{sign}<mn>{mantissa}</mn>"
    if power:
        shown = str(int(power)).replace("-", MINUS)
        mathml += f"<mo>·</mo><msup><mn>10</mn><mn>{shown}</mn></msup>"
    if not node.unit:
        return mathml
    try:
        unit = units.typeset(units.parse(node.unit))
    except UnitError:
        unit = node.unit
    return f'{mathml}<mspace width="0.2em"/><mi mathvariant="normal">{escape(unit)}</mi>'


def _symbol(symbol: str) -> str:
    if symbol == "π":
        return _upright(symbol)
    looks = {"": _text, "symbol": _italic, "sub": _upright}
    set_parts: list[str] = []
    for kind, text in parts(symbol):
        if kind == "sub" and set_parts:
            set_parts.append(f"<msub>{set_parts.pop()}{looks[kind](text)}</msub>")
        else:
            set_parts.append(looks[kind](text))
    return set_parts[0] if len(set_parts) == 1 else _row("".join(set_parts))


def _text(letters: str) -> str:
    return f"<mtext>{escape(letters)}</mtext>"


def _italic(letters: str) -> str:
    return f'<mi class="symbol" mathvariant="normal">{escape(letters)}</mi>'


def _upright(letters: str) -> str:
    if letters.isdigit():
        return f"<mn>{letters}</mn>"
    return f'<mi mathvariant="normal">{escape(letters)}</mi>'


def _row(inside: str) -> str:
    return f"<mrow>{inside}</mrow>"


def _arguments(node: Call) -> list[str]:
    return [_set(_bare(one)) for one in node.arguments]


def _named(node: Call) -> str:
    arguments = "<mo>,</mo>".join(_arguments(node))
    return f"<mi>{escape(node.function)}</mi><mo>(</mo>{arguments}<mo>)</mo>"


def _root(node: Call) -> str:
    return f"<msqrt>{''.join(_arguments(node))}</msqrt>"


def _exponential(node: Call) -> str:
    return f'<msup><mi mathvariant="normal">e</mi>{_row(_raised(_bare(node.arguments[0])))}</msup>'


def _raised(node: Node) -> str:
    """Set an exponent: a fraction in it would be too small to read, so it has a stroke."""
    if isinstance(node, Negative):
        return f"<mo>{MINUS}</mo>{_raised(node.operand)}"
    if isinstance(node, Binary) and node.operator == "divide":
        right = node.right
        below = _set(right) if isinstance(_bare(right), Name | Number | Call) else _fenced(right)
        return f"{_raised(node.left)}<mo>/</mo>{below}"
    return _within(node, 2)


def _fenced(node: Node) -> str:
    return f"<mo>(</mo>{_set(_bare(node))}<mo>)</mo>"


def _absolute(node: Call) -> str:
    return f"<mo>|</mo>{''.join(_arguments(node))}<mo>|</mo>"


def _rate(node: Call) -> str:
    if not node.arguments:
        return _named(node)
    d = '<mi mathvariant="normal">d</mi>'
    y, *rest = node.arguments
    x = _set(_bare(rest[0])) if rest else _italic("t")
    x = x if not rest or isinstance(_bare(rest[0]), Name) else f"<mo>(</mo>{x}<mo>)</mo>"
    if isinstance(_bare(y), Name):
        return f"<mfrac>{_row(d + _set(_bare(y)))}{_row(d + x)}</mfrac>"
    return f"<mfrac>{_row(d)}{_row(d + x)}</mfrac><mo>(</mo>{_set(_bare(y))}<mo>)</mo>"


def _area(node: Call) -> str:
    if len(node.arguments) != 2:
        return _named(node)
    y, x = _arguments(node)
    d = '<mi mathvariant="normal">d</mi>'
    return f'<mo>∫</mo>{y}<mspace width="0.2em"/>{d}{x}'


def _mean(node: Call) -> str:
    return f"<mover>{_row(''.join(_arguments(node)))}<mo>¯</mo></mover>"


_FUNCTIONS: dict[str, Callable[[Call], str]] = {
    "sqrt": _root,
    "exp": _exponential,
    "abs": _absolute,
    "rate": _rate,
    "area": _area,
    "mean": _mean,
}
