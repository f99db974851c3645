"""A formula made ready: its unit, and its values and uncertainties for rows of readings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import ArrayLike

from galena.core import dimensions, units
from galena.core.errors import FormulaError, UnitError
from galena.core.formula.evaluation import TIME, evaluated
from galena.core.formula.functions import FUNCTIONS
from galena.core.formula.parsing import parse, same_symbol
from galena.core.formula.rows import Rows
from galena.core.formula.semantics import Reader, Symbol, Term
from galena.core.formula.syntax import Node, names
from galena.core.formula.unit_pass import work_out
from galena.core.formula.unit_remarks import refuse_meaningless
from galena.core.formula.values import Floats, Part, Value
from galena.core.uncertainty import Sensitivity
from galena.core.units import Unit

_BLOCK = 32_768  # rows at a time: what lies between stays in the processor's cache


class Evaluated(NamedTuple):
    """Values in the unit of the expression and their combined standard uncertainties.

    Both have the shape of the rows, or are one number where no symbol has rows. There are no
    uncertainties (None) where no input has one.
    """

    values: Part
    uncertainties: Part | None


class Resolved(NamedTuple):
    """Values in the unit of the expression, and their standard uncertainties by kind.

    independent: of each row by itself; shared: the same error in all rows. None where there is
    no source of the kind.
    """

    values: Part
    independent: Part | None
    shared: Part | None


@dataclass(frozen=True)
class Expression:
    """A formula whose units fit.

    text: as typed. unit: of its values. natural: the unit it has by itself. remarks: what is no
    error but may not be meant. symbols: what it takes of the experiment, in order.
    """

    text: str
    tree: Node
    term: Term
    unit: Unit
    natural: Unit
    remarks: tuple[str, ...]
    symbols: tuple[str, ...]

    def evaluate(
        self,
        arrays: Mapping[str, ArrayLike | tuple[ArrayLike, ArrayLike] | Value],
        *,
        counted: ArrayLike | None = None,
        by_place: bool = False,
    ) -> Evaluated:
        """Work the formula out for rows of readings.

        arrays: by symbol, in the symbol's unit, shape (n,) or one number; with a standard
        uncertainty as a pair. That of rows is independent from row to row, that of one number
        is the same error everywhere. A Value comes in SI units with what it depends on.
        Times `t` may be given to any formula: smoothing goes by them.
        counted: shape (n,), which rows count for rates, areas and means; by_place: whether rows
        go in the order of x there. Raises FormulaError where a symbol is missing or rows differ
        in length.
        """
        result = self._evaluated(arrays, counted, by_place, apart=False)
        return Evaluated(result.values, result.independent)

    def resolve(
        self,
        arrays: Mapping[str, ArrayLike | tuple[ArrayLike, ArrayLike] | Value],
        *,
        counted: ArrayLike | None = None,
        by_place: bool = False,
    ) -> Resolved:
        """Work the formula out as `evaluate` does, the two kinds of uncertainty kept apart."""
        return self._evaluated(arrays, counted, by_place, apart=True)

    def _evaluated(
        self,
        arrays: Mapping[str, ArrayLike | tuple[ArrayLike, ArrayLike] | Value],
        counted: ArrayLike | None,
        by_place: bool,
        apart: bool,
    ) -> Resolved:
        inputs = self._inputs(arrays)
        rows = _rows(inputs, counted, by_place)
        certain = all(one.is_certain for one in inputs.values())
        whole = certain or rows.count <= _BLOCK or not _can_be_cut(inputs)
        if whole or not self._is_row_by_row:
            resolved = self._resolved(self._walk(inputs, rows), apart)
            return resolved if self._is_row_by_row else _without_gaps(resolved)
        return self._in_blocks(inputs, rows.count, apart)

    def _in_blocks(self, inputs: Mapping[str, Value], count: int, apart: bool) -> Resolved:
        kept: dict[int, Floats] = {}
        for start in range(0, count, _BLOCK):
            block = slice(start, min(start + _BLOCK, count))
            cut = {name: one.rows(block) for name, one in inputs.items()}
            resolved = self._resolved(self._walk(cut, Rows(block.stop - start)), apart)
            for place, part in enumerate(resolved):
                if part is not None:
                    if place not in kept:
                        kept[place] = np.empty(count)
                    kept[place][block] = part
        return Resolved(kept[0], kept.get(1), kept.get(2))

    def _resolved(self, value: Value, apart: bool) -> Resolved:
        """Put values into the unit; the uncertainties of both kinds apart, or all in one."""
        with np.errstate(all="ignore"):
            values = self.in_unit(value.y)
            if not apart:
                u = value.uncertainty()
                return Resolved(values, None if u is None else self._sized(u), None)
            each = np.sqrt(value.each_variance()) if value.each else None
            shared = np.sqrt(value.shared_variance()) if value.shared else None
        return Resolved(
            values,
            None if each is None else self._sized(each),
            None if shared is None else self._sized(shared),
        )

    def _sized(self, u: Part) -> Part:
        return u if self.factor == 1.0 else u / self.factor

    def value(
        self,
        arrays: Mapping[str, ArrayLike | tuple[ArrayLike, ArrayLike] | Value],
        *,
        counted: ArrayLike | None = None,
        by_place: bool = False,
    ) -> Value:
        """Work the formula out in SI units, with what it owes to each source of uncertainty."""
        inputs = self._inputs(arrays)
        return self._walk(inputs, _rows(inputs, counted, by_place))

    def _inputs(
        self, arrays: Mapping[str, ArrayLike | tuple[ArrayLike, ArrayLike] | Value]
    ) -> dict[str, Value]:
        inputs = {name: _input(name, arrays, one) for name, one in self._terms.items()}
        if TIME not in inputs and TIME in arrays:  # smoothing goes by the times, if they are known
            given = arrays[TIME]
            given = given[0] if isinstance(given, tuple) else given
            inputs[TIME] = given if isinstance(given, Value) else Value(_number_or_row(given))
        return inputs

    def _walk(self, inputs: Mapping[str, Value], rows: Rows) -> Value:
        with np.errstate(all="ignore"):
            return evaluated(self.term, rows, inputs)

    def in_unit(self, si: Part) -> Part:
        """Put values from SI units into the unit of the expression."""
        origin = dimensions.origin(self.unit)
        if origin:
            si = si - origin
        return si if self.factor == 1.0 else si * (1 / self.factor)

    @cached_property
    def factor(self) -> float:
        """The size of its unit in SI units."""
        return dimensions.factor(self.unit)

    @cached_property
    def _is_row_by_row(self) -> bool:
        """Tell whether each row can be worked out by itself."""
        pending = [self.term]
        while pending:
            term = pending.pop()
            if term.operation in FUNCTIONS and FUNCTIONS[term.operation].looks_around(term):
                return False
            pending += term.terms
        return True

    @cached_property
    def _terms(self) -> dict[str, Term]:
        terms: dict[str, Term] = {}
        pending = [self.term]
        while pending:
            term = pending.pop()
            if term.operation == "symbol":
                terms[term.symbol] = term
            pending += reversed(term.terms)
        return terms


def compile(
    text: str, symbols: Mapping[str, Symbol | Unit | str], *, unit: Unit | str | None = None
) -> Expression:
    """Read a formula and work out its units.

    symbols: what each symbol stands for, or just its unit. unit: in which its values are wanted;
    without it the simplest is chosen. Raises FormulaError, with the place in the text, for
    anything that is no formula or whose units do not fit.
    """
    by_symbol = {same_symbol(name): _symbol(one) for name, one in symbols.items()}
    tree = parse(text)
    remarks: list[str] = []
    reader = Reader(text, by_symbol, remarks)
    try:
        term = work_out(reader, tree)
        refuse_meaningless(reader, term)
        natural = term.unit
        wanted = units.parse(unit) if isinstance(unit, str) else unit
        _refuse_unwritable(natural if wanted is None else wanted)
        fits = wanted is None or dimensions.of(wanted).measures_as(term.dimension)
    except UnitError as error:
        raise FormulaError(str(error), 0, len(text)) from error
    if wanted is not None and not fits:
        raise FormulaError(
            f"The formula gives {units.in_words(natural)}; that cannot be shown in "
            f"{units.in_words(wanted)}. Choose another unit, or check the formula.",
            0,
            len(text),
        )
    if wanted is not None and dimensions.is_celsius(wanted) and term.points != 1.0:
        raise FormulaError(
            "The formula gives a difference of temperatures or a multiple of one. Choose K.",
            0,
            len(text),
        )
    used = tuple(dict.fromkeys(one.symbol for one in names(tree) if one.symbol in by_symbol))
    return Expression(
        text, tree, term, natural if wanted is None else wanted, natural, tuple(remarks), used
    )


def _without_gaps(resolved: Resolved) -> Resolved:
    """Leave a row that has no value without an uncertainty, too."""
    if np.ndim(resolved.values) == 0:
        return resolved
    gaps = ~np.isfinite(resolved.values)
    if not gaps.any():
        return resolved
    parts = (None if u is None else np.where(gaps, np.nan, u) for u in resolved[1:])
    return Resolved(resolved.values, *parts)


def _refuse_unwritable(unit: Unit) -> None:
    """Refuse a unit that could not be read again from where it is kept. Raises UnitError."""
    if set(units.parse(str(unit)).factors) != set(unit.factors):
        raise UnitError(f"The result would be in {unit}, and no unit is written so.")


def _can_be_cut(inputs: Mapping[str, Value]) -> bool:
    parts = [one for value in inputs.values() for one in value.each.values()]
    return not any(isinstance(one, Sensitivity) for one in parts)


def _symbol(meaning: Symbol | Unit | str) -> Symbol:
    if isinstance(meaning, str):
        return Symbol(units.parse(meaning))
    return Symbol(meaning) if isinstance(meaning, Unit) else meaning


def _input(name: str, arrays: Mapping[str, object], term: Term) -> Value:
    """Put what a symbol stands for into SI units."""
    given = arrays.get(name)
    if given is None:
        raise FormulaError(f"{name} has no values here.", term.node.start, term.node.end)
    if isinstance(given, Value):
        return given
    y, u = given if isinstance(given, tuple) else (given, None)
    values = _number_or_row(y)
    values = values if term.factor == 1.0 else values * term.factor
    values = values + term.origin if term.origin else values
    if u is None:
        return Value(values)
    size = np.asarray(u, dtype=np.float64) * term.factor
    if np.ndim(values) == 0:
        return Value(values, shared={name: float(size)})
    return Value(values, {name: 1.0}, {name: np.broadcast_to(size, np.shape(values))})


def _number_or_row(y: object) -> Part:
    row = np.asarray(y, dtype=np.float64)
    return float(row) if row.ndim == 0 else row


def _rows(inputs: Mapping[str, Value], counted: ArrayLike | None, by_place: bool) -> Rows:
    sizes = {name: int(np.size(one.y)) for name, one in inputs.items() if np.ndim(one.y)}
    if len(set(sizes.values())) > 1:
        listed = ", ".join(f"{name} {size}" for name, size in sizes.items())
        raise FormulaError(f"The symbols have different numbers of readings: {listed}.")
    count = next(iter(sizes.values()), 1)
    mask = None if counted is None else np.asarray(counted, dtype=bool)
    return Rows(count, mask, by_place)
