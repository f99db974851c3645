"""Temperatures in a formula: what means nothing is refused, what else may be meant told."""

from __future__ import annotations

from galena.core import dimensions, units
from galena.core.formula.semantics import Reader, Term
from galena.core.formula.syntax import Number
from galena.core.units import Unit


def _remark_on_unit(reader: Reader, node: Number, unit: Unit) -> None:
    """Say how a unit was read where its last letter is also a symbol: 2 m beside a mass m."""
    if not unit.factors:
        return
    symbol, power = unit.factors[-1]
    if abs(power) != 1 or symbol not in reader.symbols:
        return
    name = reader.symbols[symbol].name or "the symbol"
    how = f"{node.text}*{symbol}" if len(unit.factors) == 1 else "* or / with blanks around it"
    reader.remark(
        f"{node.text} {node.unit} is read as {node.text} {units.in_words(unit)}. If {symbol} "
        f"shall be {name}, write {how}."
    )


def _remark_on_kelvins(reader: Reader, left: Term, right: Term) -> None:
    """Say what a quantity in kelvins is taken for beside a temperature in °C."""
    for warm, step in ((left, right), (right, left)):
        if warm.points and step.operation == "symbol" and step.written == dimensions.KELVIN:
            name = reader.quote(step)
            reader.remark(
                f"{name} is taken as a difference in kelvins, so the result is a temperature. If "
                f"{name} is itself a temperature, choose °C as its unit."
            )


def refuse_meaningless(reader: Reader, term: Term) -> None:
    """Refuse a sum of temperatures in °C: what it gives depends on where their zero lies."""
    if term.points in (0.0, 1.0) or reader.free:
        return
    if term.operation in ("multiply", "divide"):
        reader.remark(f"{reader.quote(term)} is counted in kelvins, from absolute zero.")
        return
    if term.points < 0:
        raise term.refuse(
            f"{reader.quote(term)} takes a temperature in °C away from nothing or from a "
            "difference: what is left depends on where its zero lies. Turn the order round."
        )
    raise term.refuse(
        f"{reader.quote(term)} adds up temperatures in °C: what that gives depends on where their "
        "zero lies. Take a difference, or a mean such as (T_1 + T_2)/2."
    )


def _remark_on_celsius(reader: Reader, left: Term, right: Term) -> None:
    """Say that a typed temperature beside other units is counted from absolute zero."""
    for term in (left, right):
        if term.operation == "number" and term.points:
            assert isinstance(term.node, Number)
            reader.remark(
                f"{reader.quote(term)} is counted as {term.factor:.6g} K here. For a difference "
                f"write {term.node.text} K."
            )
