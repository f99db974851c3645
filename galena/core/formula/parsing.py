"""From the text of a formula to its parts; what cannot be read is explained with its place."""

from __future__ import annotations

import re
from functools import lru_cache
from importlib import resources

from lark import Lark, Token, Transformer, v_args
from lark.exceptions import UnexpectedInput, VisitError

from galena.core import units
from galena.core.errors import FormulaError
from galena.core.formula.syntax import (
    Binary,
    Call,
    Group,
    Name,
    Negative,
    Node,
    Number,
    Operator,
    names,
)

LONGEST, DEEPEST = 1000, 60
_SAME = str.maketrans({"×": "*", "⋅": "·", "∙": "·", "÷": "/", "−": "-", "–": "-",
                       "μ": "µ", "∕": "/", "⁄": "/", "\u2009": " ", "\u202f": " ", "\xa0": " ",
                       "[": "(", "]": ")", "Ω": "Ω"})  # fmt: skip
_RUNNING = str.maketrans("₀₁₂₃₄₅₆₇₈₉", "0123456789")
_RAISED = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")


@lru_cache(maxsize=512)
def parse(text: str) -> Node:
    """Read a formula into its parts.

    Raises FormulaError for a text that is empty, too long, nested too deep or no formula.
    """
    if not text.strip():
        raise FormulaError("There is no formula yet. Type one, for example 0.5*m*v^2.", 0, 0)
    if len(text) > LONGEST:
        raise FormulaError(
            f"A formula has at most {LONGEST} characters; this one has {len(text)}. "
            "Work it out in two steps: make a quantity of a part.",
            LONGEST,
            len(text),
        )
    plain = text.translate(_SAME)
    _refuse_depth(plain)
    try:
        return _parser().parse(plain)  # type: ignore[return-value]
    except UnexpectedInput as error:
        raise _explained(plain, error) from None
    except VisitError as error:
        if isinstance(error.orig_exc, FormulaError):
            raise error.orig_exc from None
        raise


def rename(text: str, old: str, new: str) -> str:
    """Write a formula with another symbol in every place of one. Raises FormulaError."""
    for name in reversed(names(parse(text))):
        if name.symbol == old:
            text = text[: name.start] + new + text[name.end :]
    return text


def same_symbol(symbol: str) -> str:
    """Write a symbol as it is kept: T₁ is T_1."""
    at = next((i for i, one in enumerate(symbol) if one in "₀₁₂₃₄₅₆₇₈₉"), None)
    if at is None:
        return symbol
    joined = symbol[:at] + ("" if symbol[:at].endswith("_") else "_") + symbol[at:]
    return joined.translate(_RUNNING)


def _refuse_depth(text: str) -> None:
    open_at: list[int] = []
    for place, sign in enumerate(text):
        if sign == "(":
            open_at.append(place)
            if len(open_at) > DEEPEST:
                raise _too_deep(place)
        elif sign == ")":
            if not open_at:
                raise FormulaError(
                    "This bracket closes nothing. Take it out, or open one before it.",
                    place,
                    place + 1,
                )
            open_at.pop()


def _too_deep(place: int) -> FormulaError:
    return FormulaError(
        f"Brackets and signs are nested deeper than {DEEPEST} here. "
        "Work it out in two steps: make a quantity of a part.",
        place,
        place + 1,
    )


@lru_cache(maxsize=1)
def _parser() -> Lark:
    grammar = resources.files("galena.core.formula").joinpath("grammar.lark").read_text("utf-8")
    return Lark(
        grammar.replace("// UNIT is put in", f"UNIT.2: /{_unit_pattern()}/\n// UNIT is put in"),
        parser="lalr",
        transformer=_Parts(),
        keep_all_tokens=True,
        maybe_placeholders=False,
    )


def _unit_pattern() -> str:
    """Write what a unit behind a number looks like.

    Without blanks a / or · between units belongs to the unit, as a blank alone does: m/s^2,
    N·m, kg m. With blanks around it, it divides or multiplies by what follows.
    """
    ways = "|".join(re.escape(unit).replace("/", r"\/") for unit in units.ways_to_type())
    unit = rf"(?:{ways})(?![^\W²³¹⁰⁴-⁹])(?:\^-?\d+|⁻?[¹²³⁴-⁹])?"
    group = rf"\/\({unit}(?:(?:[·*]|[ ]+){unit})*\)"
    return rf"{unit}(?:{group}|[\/·]{unit}|[ ]+{unit})*"


def _start(part: Node | Token) -> int:
    return int(part.start_pos or 0) if isinstance(part, Token) else part.start


def _end(part: Node | Token) -> int:
    return int(part.end_pos or 0) if isinstance(part, Token) else part.end


@v_args(inline=True)
class _Parts(Transformer):  # type: ignore[type-arg]
    """Make the parts of a formula as they are recognised; all tokens are given."""

    def number(self, number: Token, unit: Token | None = None) -> Node:
        return Number(_start(number), _end(unit or number), 1, str(number), str(unit or ""))

    def name(self, name: Token) -> Node:
        return Name(_start(name), _end(name), 1, same_symbol(str(name)))

    def group(self, left: Token, inside: Node, right: Token) -> Node:
        return Group(_start(left), _end(right), _deeper(inside), inside)

    def root(self, sign: Token, inside: Node) -> Node:
        return Call(_start(sign), _end(inside), _deeper(inside), "sqrt", (_bare(inside),))

    def negative(self, sign: Token, operand: Node) -> Node:
        if isinstance(operand, Number) and operand.unit and not operand.text.startswith("-"):
            # -5 °C is five degrees below zero, not the opposite of 5 °C.
            return Number(_start(sign), operand.end, 1, f"-{operand.text}", operand.unit)
        return Negative(_start(sign), _end(operand), _deeper(operand), operand)

    def positive(self, sign: Token, operand: Node) -> Node:
        return Group(_start(sign), _end(operand), _deeper(operand), operand)

    def call(self, name: Token, *rest: Node | Token) -> Node:
        arguments = tuple(one for one in rest if isinstance(one, Node))
        return Call(_start(name), _end(rest[-1]), _deeper(*arguments), str(name), arguments)

    def raised(self, base: Node, exponent: Token) -> Node:
        start, end = _start(exponent), _end(exponent)
        digits = str(exponent).translate(_RAISED)
        power: Node = Number(start, end, 1, digits.lstrip("-"), "")
        if digits.startswith("-"):
            power = Negative(start, end, 2, power)
        return Binary(_start(base), end, _deeper(base, power), "power", base, power)

    def add(self, left: Node, sign: Token, right: Node) -> Node:
        return _binary("add", left, right)

    def subtract(self, left: Node, sign: Token, right: Node) -> Node:
        return _binary("subtract", left, right)

    def multiply(self, left: Node, sign: Token, right: Node) -> Node:
        return _binary("multiply", left, right)

    def divide(self, left: Node, sign: Token, right: Node) -> Node:
        return _binary("divide", left, right)

    def power(self, left: Node, sign: Token, right: Node) -> Node:
        return _binary("power", left, right)


def _binary(operator: Operator, left: Node, right: Node) -> Node:
    return Binary(_start(left), _end(right), _deeper(left, right), operator, left, right)


def _bare(node: Node) -> Node:
    return node.inside if isinstance(node, Group) else node


def _deeper(*nodes: Node) -> int:
    depth = 1 + max((one.depth for one in nodes), default=0)
    if depth > 2 * DEEPEST:
        raise _too_deep(nodes[0].start)
    return depth


def _explained(text: str, error: UnexpectedInput) -> FormulaError:
    """Say what stands in the way of reading on, and what to write instead."""
    place = getattr(error, "pos_in_stream", None)
    token = getattr(error, "token", None)
    if isinstance(token, Token) and token.type == "$END":
        place = None
    if place is None or place >= len(text):
        return _unfinished(text)
    before = text[:place].rstrip()
    rest = text[place:]
    word = re.match(r"[^\W\d][\w]*|\d[\d.]*|.", rest)
    end = place + len(word[0] if word else rest[:1])
    sign, last = text[place:end], before[-1:]
    return FormulaError(_reason(sign, last, before), place, end)


def _reason(sign: str, last: str, before: str) -> str:
    after_operand = bool(last) and (last.isalnum() or last in ")%°_." or last in "²³¹⁰⁴⁵⁶⁷⁸⁹")
    behind = re.search(r"[^\W]+$|.$", before)
    left = behind[0] if behind else last
    if sign == ",":
        return (
            "This comma stands outside the brackets of a function. Decimals are written with a "
            "point, 0.5; functions separate what they take by commas, as rate(y, t)."
        )
    if sign == "=":
        return "Type only what stands to the right of the sign =. The symbol has its own field."
    if sign == "^" and last in "*^":
        return "A power is written with one ^, for example v^2."
    if sign == "*" and last == "*":
        return "There are two signs for multiplying. For a power write ^, as in v^2."
    if sign[0].isalpha() and last.isdigit() and re.search(r"(?<![\w])[\d.]+$", before):
        return (
            f"“{sign}” is not a unit that Galena knows. For the number times a symbol write "
            f"{left}*{sign}."
        )
    if after_operand and (sign[0].isalnum() or sign in "(√"):
        return f"There is no sign between “{left}” and “{sign}”. To multiply write {left}*{sign}."
    if sign in "+*/^-)," or sign == "·":
        if not last:
            return f"A formula does not begin with “{sign}”. Write a symbol or a number before it."
        return f"Between “{last}” and “{sign}” a symbol or a number is missing."
    return f"“{sign}” has no meaning in a formula. Take it out."


def _unfinished(text: str) -> FormulaError:
    end = len(text.rstrip())
    missing = text.count("(") - text.count(")")
    if missing > 0 and text.rstrip()[-1:] not in "+-*/^(,·":
        place = text.rindex("(") if missing == 1 else text.index("(")
        return FormulaError(
            f"{'This bracket is' if missing == 1 else f'{missing} brackets are'} never closed. "
            f"Write {')' * missing} at the end, or where it belongs.",
            place,
            place + 1,
        )
    last = text.rstrip()[-1:]
    return FormulaError(
        f"The formula stops after “{last}”. A symbol or a number must follow.",
        max(0, end - 1),
        end,
    )
