"""The pass over a formula that works out its units and explains where they do not fit."""

from __future__ import annotations

import math
from difflib import get_close_matches
from fractions import Fraction

from galena.core import dimensions, units
from galena.core.dimensions import NUMBER
from galena.core.errors import FormulaError, UnitError, UnknownSymbolError
from galena.core.formula.constants import constants
from galena.core.formula.functions import FUNCTIONS
from galena.core.formula.semantics import Reader, Symbol, Term
from galena.core.formula.syntax import Binary, Call, Group, Name, Negative, Node, Number
from galena.core.formula.unit_remarks import (
    _remark_on_celsius,
    _remark_on_kelvins,
    _remark_on_unit,
    refuse_meaningless,
)
from galena.core.units import Unit

_DONE = {"add": "added", "subtract": "subtracted"}


def work_out(reader: Reader, node: Node) -> Term:
    """Give a part of a formula with its units. Raises FormulaError."""
    if isinstance(node, Number):
        return _number(reader, node)
    if isinstance(node, Name):
        return _name(reader, node)
    if isinstance(node, Group):
        return work_out(reader, node.inside)
    if isinstance(node, Negative):
        return _negative(reader, node)
    if isinstance(node, Call):
        return _call(reader, node)
    assert isinstance(node, Binary)
    left, right = work_out(reader, node.left), work_out(reader, node.right)
    if node.operator in ("add", "subtract"):
        return _sum(reader, node, left, right)
    if node.operator == "power":
        return _power(reader, node, left, right)
    return _product(reader, node, left, right)


def _number(reader: Reader, node: Number) -> Term:
    value = float(node.text)
    if not math.isfinite(value):
        raise FormulaError("This number is too large to be counted with.", node.start, node.end)
    if not node.unit:
        return Term(node, "number", NUMBER, Unit(), number=value, factor=value)
    try:
        unit = units.parse(node.unit)
    except UnitError as error:
        raise FormulaError(str(error), node.end - len(node.unit), node.end) from error
    if reader.free:
        raise FormulaError(
            "In a model that is fitted numbers have no units. Write * between a number and a "
            "parameter.",
            node.start,
            node.end,
        )
    try:
        dimension = dimensions.of(unit)
    except UnitError as error:
        raise FormulaError(str(error), node.start, node.end) from error
    _remark_on_unit(reader, node, unit)
    points = float(dimensions.is_celsius(unit))
    si = value * dimensions.factor(unit) + dimensions.origin(unit)
    return Term(node, "number", dimension, unit, points=points, factor=si)


def _name(reader: Reader, node: Name) -> Term:
    symbol = reader.symbols.get(node.symbol)
    constant = constants().get(node.symbol)
    if symbol is None and constant is None:
        refusal = _unknown(reader, node)
        if node.symbol in FUNCTIONS:
            raise FormulaError(refusal, node.start, node.end)
        raise UnknownSymbolError(refusal, node.start, node.end, node.symbol)
    if symbol is None:
        assert constant is not None
        dimension, factor = dimensions.of(constant.unit), dimensions.factor(constant.unit)
        turns = constant.symbol == "π"
        return Term(node, "constant", dimension, constant.unit, factor=factor, turns=turns,
                    symbol=constant.symbol, number=constant.value if turns else None)  # fmt: skip
    if constant is not None:
        reader.remark(
            f"{node.symbol} is {symbol.name or 'the symbol of this experiment'} here, not the "
            f"{constant.name}."
        )
    return _symbol(node, symbol)


def _symbol(node: Name, symbol: Symbol) -> Term:
    try:
        dimension = dimensions.of(symbol.unit)
    except UnitError as error:
        raise FormulaError(str(error), node.start, node.end) from error
    return Term(
        node,
        "symbol",
        dimension,
        symbol.unit,
        points=float(dimensions.is_celsius(symbol.unit)),
        factor=dimensions.factor(symbol.unit),
        origin=dimensions.origin(symbol.unit),
        symbol=node.symbol,
    )


def _unknown(reader: Reader, node: Name) -> str:
    names = [*reader.symbols, *constants()]
    if node.symbol in FUNCTIONS:
        return f"{node.symbol} is a function: write {FUNCTIONS[node.symbol].form}."
    near = get_close_matches(node.symbol, names, 1, 0.7)
    near = near or [one for one in names if one.casefold() == node.symbol.casefold()]
    if near:
        return f"There is no {node.symbol} in this experiment. Is {near[0]} meant?"
    try:
        units.parse(node.symbol)
    except UnitError:
        pass
    else:
        return (
            f"There is no {node.symbol} in this experiment. If the unit is meant, put it right "
            f"behind its number: 1 {node.symbol}."
        )
    listed = ", ".join(list(reader.symbols)[:8]) or "none yet"
    return f"There is no {node.symbol} in this experiment. Its symbols are: {listed}."


def _negative(reader: Reader, node: Negative) -> Term:
    term = work_out(reader, node.operand)
    number = None if term.number is None else -term.number
    return Term(node, "negative", term.dimension, term.written, (term,), -term.points, number,
                term.turns)  # fmt: skip


def _sum(reader: Reader, node: Binary, left: Term, right: Term) -> Term:
    if not left.dimension.measures_as(right.dimension):
        raise FormulaError(_do_not_fit(reader, node, left, right), node.start, node.end)
    _refuse_angle_and_number(reader, node, left, right)
    _remark_on_kelvins(reader, left, right)
    sign = 1 if node.operator == "add" else -1
    leading = right if isinstance(left.node, Number) and right.operation != "number" else left
    if left.dimension != right.dimension:
        leading = _without_or_with_angle(left, right)
    number = None
    if left.number is not None and right.number is not None:
        number = left.number + sign * right.number
    points = left.points + sign * right.points
    written = leading.written
    if points == 0.0 and written is not None and dimensions.is_celsius(written):
        written = dimensions.KELVIN
    return Term(node, node.operator, leading.dimension, written, (left, right),
                points, number, left.turns or right.turns)  # fmt: skip


def _refuse_angle_and_number(reader: Reader, node: Binary, left: Term, right: Term) -> None:
    """Explain φ + 1; 1 - φ²/2 and π/2 - φ are meant as they stand."""
    angle, plain = (left, right) if left.dimension.angle else (right, left)
    if reader.free or angle.dimension != dimensions.ANGLE or not plain.dimension.is_number:
        return
    if plain.turns or plain.number == 0.0:
        return
    name, number = reader.quote(angle), reader.quote(plain)
    if plain.number is None:
        reader.remark(
            f"{name} is an angle and {number} a plain number: {name} is counted in radians."
        )
        return
    raise FormulaError(
        f"{name} is an angle and {number} a plain number: they cannot be {_DONE[node.operator]}. "
        f"Give it its unit: {number} rad or {number} deg.",
        node.start,
        node.end,
    )


def _without_or_with_angle(left: Term, right: Term) -> Term:
    """Tell which of an angle and a plain number a sum of them is like.

    π/2 - φ is an angle, 1 - φ²/2 a number.
    """
    plain, angle = (left, right) if not left.dimension.angle else (right, left)
    return angle if plain.turns else plain


def _do_not_fit(reader: Reader, node: Binary, left: Term, right: Term) -> str:
    first, second = reader.quote(left), reader.quote(right)
    done = _DONE[node.operator]
    plain = next((one for one in (left, right) if one.dimension.is_number), None)
    if plain is None:
        return (
            f"{first} is in {left.in_words} and {second} in {right.in_words}: they cannot be "
            f"{done}."
        )
    other = right if plain is left else left
    number = reader.quote(plain)
    reason = f"{reader.quote(other)} is in {other.in_words} and {number} is a plain number"
    if plain.number is not None:
        return f"{reason}: they cannot be {done}. Give it its unit: {number} {other.unit}."
    return f"{reason}: they cannot be {done}."


def _product(reader: Reader, node: Binary, left: Term, right: Term) -> Term:
    divided = node.operator == "divide"
    dimension = left.dimension / right.dimension if divided else left.dimension * right.dimension
    number, points = None, 0.0
    if left.number is not None and right.number is not None and (right.number or not divided):
        number = left.number / right.number if divided else left.number * right.number
    if right.number and right.dimension.is_number:
        points = left.points / right.number if divided else left.points * right.number
    elif left.number is not None and not divided:
        points = right.points * left.number
    if not points:
        _remark_on_celsius(reader, left, right)
        for term in (left, right):
            refuse_meaningless(reader, term)
    points = round(points, 9)  # a third of three temperatures is one
    written = None
    if left.written is not None and right.written is not None:
        a, b = (_as_factor(one, points) for one in (left, right))
        written = a / b if divided else a * b
    return Term(node, node.operator, dimension, written, (left, right), points,
                _finite(number), left.turns or right.turns)  # fmt: skip


def _as_factor(term: Term, points: float) -> Unit:
    assert term.written is not None
    celsius = dimensions.is_celsius(term.written)
    return dimensions.KELVIN if celsius and not points else term.written


def _finite(number: float | None) -> float | None:
    return number if number is not None and math.isfinite(number) else None


def _power(reader: Reader, node: Binary, base: Term, exponent: Term) -> Term:
    if not exponent.dimension.without_angle.is_number:
        raise exponent.refuse(
            f"A power must be a plain number, and {reader.quote(exponent)} is in "
            f"{exponent.in_words}."
        )
    turns = base.turns or exponent.turns
    number = _raised(base.number, exponent.number)
    if base.number is not None and exponent.number is not None and number is None:
        raise FormulaError(
            f"{reader.text[node.start : node.end]} is no finite real number. "
            "Check the power and the sign.",
            node.start,
            node.end,
        )
    if base.dimension.is_number:
        return Term(node, "power", NUMBER, Unit(), (base, exponent), 0.0, number, turns)
    if exponent.number is None:
        raise exponent.refuse(
            f"{reader.quote(base)} is in {base.in_words}, so its power must be a number that does "
            f"not change, as 2. Divide {reader.quote(base)} by a quantity of its kind first."
        )
    power = Fraction(exponent.number).limit_denominator(60)
    if abs(float(power) - exponent.number) > 1e-9 or abs(power) > 12:
        raise exponent.refuse(
            f"{reader.quote(base)} is in {base.in_words}; to this power it has no unit. Take a "
            "power such as 2, 1/2 or -1."
        )
    written = base.written
    if written is not None:
        written = dimensions.KELVIN if dimensions.is_celsius(written) else written
        fits = all((2 * power * one).denominator == 1 for _, one in written.factors)
        written = written ** units.exponent(power) if fits else None
    return Term(node, "power", base.dimension**power, written, (base, exponent), turns=turns)


def _raised(base: float | None, exponent: float | None) -> float | None:
    if base is None or exponent is None:
        return None
    try:
        unit = base**exponent
    except (OverflowError, ZeroDivisionError):
        return None
    return None if isinstance(unit, complex) else _finite(unit)


def _call(reader: Reader, node: Call) -> Term:
    function = FUNCTIONS.get(node.function)
    if function is None:
        near = get_close_matches(node.function, list(FUNCTIONS), 1, 0.5)
        if node.function in reader.symbols:
            how = f"To multiply write {node.function}*(…)."
        elif near:
            how = f"Is {near[0]} meant?"
        else:
            how = f"There are {', '.join(FUNCTIONS)}."
        end = node.start + len(node.function)
        raise FormulaError(f"There is no function {node.function}. {how}", node.start, end)
    arguments = node.arguments
    if function.name == "rate" and len(arguments) == 1 and "t" in reader.symbols:
        arguments = (*arguments, Name(node.start, node.end, 1, "t"))
    if not function.least <= len(arguments) <= function.most:
        raise FormulaError(_wrong_count(reader, node, function.form), node.start, node.end)
    terms = tuple(work_out(reader, one) for one in arguments)
    return function.rule(reader, node, terms)


def _wrong_count(reader: Reader, node: Call, form: str) -> str:
    numbers = [one for one in node.arguments if isinstance(one, Number)]
    comma = len(numbers) > 1 and f"{numbers[0].text},{numbers[1].text}" in reader.text
    hint = " Decimals are written with a point, 0.5." if comma else ""
    return f"{node.function} is written {form}.{hint}"
