"""The functions of formulas, each stated once: its units, what it does, and a sentence on it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from types import MappingProxyType

import numpy as np

from galena.core import dimensions
from galena.core.calculus import ORDER, WIDEST
from galena.core.dimensions import ANGLE, NUMBER, Dimension
from galena.core.formula import arithmetic, rows
from galena.core.formula.rows import Rows
from galena.core.formula.semantics import Reader, Term
from galena.core.formula.syntax import Call
from galena.core.formula.values import Part, Value
from galena.core.loading import later
from galena.core.units import Unit

special = later("scipy.special")

Rule = Callable[[Reader, Call, tuple[Term, ...]], Term]
Does = Callable[[Rows, tuple[Value, ...], Value | None], Value]


@dataclass(frozen=True)
class Function:
    """A function of a formula; `form` shows how it is written, `about` what it gives.

    rule works out its unit from its arguments; does takes the rows, the arguments' values and
    the times of the rows.
    """

    name: str
    form: str
    about: str
    least: int
    most: int
    rule: Rule
    does: Does
    over_rows: bool = True

    def looks_around(self, term: Term) -> bool:
        """Tell whether it looks at other rows: the lowest of all does, the lower of two not."""
        return self.over_rows and not (self.name in ("min", "max") and len(term.terms) == 2)


def _term(
    call: Call,
    terms: tuple[Term, ...],
    dimension: Dimension,
    written: Unit | None,
    points: float = 0.0,
) -> Term:
    return Term(call, call.function, dimension, written, terms, points)


def _same(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    return _term(call, terms, term.dimension, term.written, term.points)


def _size(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    if term.points:
        text = reader.quote(term)
        raise term.refuse(
            f"{text} is a temperature in °C, whose zero is chosen: it has no size without its "
            f"sign. Take a difference, for example abs({text} - 0 °C)."
        )
    return _same(reader, call, terms)


def _alike(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    for other in terms[1:]:
        if term.dimension.measures_as(other.dimension) and term.points != other.points:
            warm, step = (term, other) if term.points else (other, term)
            raise other.refuse(
                f"{reader.quote(warm)} is a temperature in °C and {reader.quote(step)} a "
                f"difference in kelvins: {call.function} cannot compare them. Give both in °C."
            )
        if not term.dimension.measures_as(other.dimension):
            raise other.refuse(
                f"{reader.quote(term)} is in {term.in_words} and {reader.quote(other)} in "
                f"{other.in_words}: {call.function} cannot compare them."
            )
    return _same(reader, call, terms)


def _root(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    half = Fraction(1, 2)
    written = None if terms[0].written is None else terms[0].written ** half
    return _term(call, terms, terms[0].dimension ** half, written)


def _of_number(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    if not term.dimension.without_angle.is_number:
        example = f"{call.function}({reader.quote(term)}/{_one_of(term)})"
        raise term.refuse(
            f"{call.function} needs a plain number, and {reader.quote(term)} is in "
            f"{term.in_words}. Divide by a quantity of the same kind, for example {example}."
        )
    return _term(call, terms, NUMBER, Unit())


def _one_of(term: Term) -> str:
    unit = term.unit
    return f"1 {unit}" if len(unit.factors) == 1 else f"(1 {unit})"


def _logarithm(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    if term.dimension.is_number:
        return _term(call, terms, NUMBER, Unit())
    unit = term.unit
    reader.remark(
        f"{call.function} takes {reader.quote(term)} as a number of {term.in_words}: "
        f"{call.function}({reader.quote(term)}/{unit})."
    )
    factor, origin = dimensions.factor(unit), dimensions.origin(unit)
    number = Term(term.node, "number of", NUMBER, Unit(), (term,), factor=factor, origin=origin)
    return _term(call, (number,), NUMBER, Unit())


def _of_angle(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    term = terms[0]
    turned = bool(term.dimension.angle) and term.dimension.without_angle.is_number
    is_angle = turned or (term.dimension.is_number and term.turns)
    if reader.free or is_angle or (term.dimension.is_number and term.number == 0.0):
        return _term(call, terms, NUMBER, Unit())
    text, name = reader.quote(term), call.function
    if term.number is not None:
        how = f"write {text} deg or {text} rad"
    elif term.dimension.is_number:
        how = f"{text} is a plain number. If it is in radians, write {text}*1 rad"
    else:
        how = f"{text} is in {term.in_words}"
    raise term.refuse(f"{name} needs an angle: {how}.")


def _to_angle(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    _of_number(reader, call, terms)
    return _term(call, terms, ANGLE, Unit((("rad", 1),)))


def _whole_window(reader: Reader, term: Term) -> None:
    number = term.number
    if number is None or number != int(number) or number % 2 == 0 or not ORDER < number <= WIDEST:
        raise term.refuse(
            f"A window is an odd number of readings from {ORDER + 1} to {WIDEST}, typed as a "
            "number, for example 11."
        )


def _quotient(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    if len(terms) == 3:
        _whole_window(reader, terms[2])
    y, x = terms[0], terms[1]
    written = _divided(y, x)
    return _term(call, terms, y.dimension / x.dimension, written)


def _divided(y: Term, x: Term) -> Unit | None:
    if y.written is None or x.written is None:
        return None
    return _difference(y) / _difference(x)


def _difference(term: Term) -> Unit:
    """Give its unit as that of a difference: of °C it is the kelvin."""
    assert term.written is not None
    return dimensions.KELVIN if dimensions.is_celsius(term.written) else term.written


def _product(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    y, x = terms
    have_units = y.written is not None and x.written is not None
    written = _difference(y) * _difference(x) if have_units else None
    return _term(call, terms, y.dimension * x.dimension, written)


def _smoothed(reader: Reader, call: Call, terms: tuple[Term, ...]) -> Term:
    _whole_window(reader, terms[1])
    return _same(reader, call, terms)


def _each(function: Callable[[Value], Value]) -> Does:
    return lambda over, values, times: function(values[0])


def _all(function: Callable[..., Value]) -> Does:
    return lambda over, values, times: function(over, *values)


def _least(over: Rows, values: tuple[Value, ...], times: Value | None) -> Value:
    if len(values) == 1:
        return rows.least(over, values[0])
    return arithmetic.choose(np.less_equal)(*values)


def _greatest(over: Rows, values: tuple[Value, ...], times: Value | None) -> Value:
    if len(values) == 1:
        return rows.greatest(over, values[0])
    return arithmetic.choose(np.greater_equal)(*values)


def _positive(y: Part) -> Part:
    if np.ndim(y) == 0:
        return y if y > 0 else float("nan")
    return np.where(np.asarray(y) > 0, y, np.nan)


def _not_zero(y: Part) -> Part:
    """Leave out where a slope would be infinite: its uncertainty is not known there."""
    if np.ndim(y) == 0:
        return y if y else float("nan")
    return np.where(np.asarray(y) == 0, np.nan, y)


def _plain(
    name: str,
    form: str,
    about: str,
    rule: Rule,
    function: Callable[[Part], Part],
    slope: arithmetic.Slope,
) -> Function:
    return Function(
        name, form, about, 1, 1, rule, _each(arithmetic.plain(function, slope)), over_rows=False
    )


_ALL = (
    _plain("sqrt", "sqrt(x)", "square root", _root, np.sqrt,
           lambda x, y: 0.5 / _not_zero(y)),
    _plain("exp", "exp(x)", "e to the power of a number", _of_number, np.exp, lambda x, y: y),
    _plain("ln", "ln(x)", "natural logarithm; of a quantity with a unit, that of its number",
           _logarithm, lambda x: np.log(_positive(x)), lambda x, y: 1 / x),
    _plain("lg", "lg(x)", "logarithm to base ten; of a quantity with a unit, that of its number",
           _logarithm, lambda x: np.log10(_positive(x)), lambda x, y: 1 / (x * np.log(10))),
    _plain("sin", "sin(φ)", "sine of an angle", _of_angle, np.sin, lambda x, y: np.cos(x)),
    _plain("cos", "cos(φ)", "cosine of an angle", _of_angle, np.cos, lambda x, y: -np.sin(x)),
    _plain("tan", "tan(φ)", "tangent of an angle", _of_angle, np.tan, lambda x, y: 1 + y * y),
    _plain("asin", "asin(x)", "angle that has this sine", _to_angle,
           np.arcsin, lambda x, y: 1 / _not_zero(np.sqrt(1 - x * x))),
    _plain("acos", "acos(x)", "angle that has this cosine", _to_angle,
           np.arccos, lambda x, y: -1 / _not_zero(np.sqrt(1 - x * x))),
    _plain("atan", "atan(x)", "angle that has this tangent", _to_angle,
           np.arctan, lambda x, y: 1 / (1 + x * x)),
    _plain("erf", "erf(x)", "error function: the share of a normal scatter within x·√2 of its "
           "uncertainty", _of_number, lambda x: special.erf(x),
           lambda x, y: 2 / math.sqrt(math.pi) * np.exp(-x * x)),
    # At zero the slope is the limit from above: u(|x|) is u(x) there, not nothing.
    _plain("abs", "abs(x)", "value without its sign", _size, np.abs,
           lambda x, y: np.where(np.asarray(x) < 0, -1.0, 1.0)),
    Function("min", "min(x) or min(a, b)", "lowest reading of the run; or the lower of two",
             1, 2, _alike, _least),
    Function("max", "max(x) or max(a, b)", "highest reading of the run; or the higher of two",
             1, 2, _alike, _greatest),
    Function("rate", "rate(y, x) or rate(y, x, 11)",
             "rate of change of y with x; with a third number, over a window of so many readings",
             2, 3, _quotient, _all(rows.rate)),
    Function("area", "area(y, x)", "area under y over x of the whole run", 2, 2, _product,
             _all(rows.area)),
    Function("running_area", "running_area(y, x)", "area under y over x from the start",
             2, 2, _product, _all(rows.running_area)),
    Function("smooth", "smooth(y, 11)", "y smoothed over a window of so many readings", 2, 2,
             _smoothed, lambda over, values, times: rows.smooth(over, values[0], values[1], times)),
    Function("mean", "mean(y)", "mean of all readings of the run", 1, 1, _same, _all(rows.mean)),
    Function("first", "first(y)", "first reading of the run", 1, 1, _same, _all(rows.first)),
    Function("last", "last(y)", "last reading of the run", 1, 1, _same, _all(rows.last)),
    Function("previous", "previous(y)", "the reading before", 1, 1, _same, _all(rows.previous)),
)  # fmt: skip

FUNCTIONS: Mapping[str, Function] = MappingProxyType({one.name: one for one in _ALL})
