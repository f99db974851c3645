"""The walk through a formula that gives its values."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from galena.core.formula import arithmetic
from galena.core.formula.constants import constants
from galena.core.formula.functions import FUNCTIONS
from galena.core.formula.rows import Rows
from galena.core.formula.semantics import Term
from galena.core.formula.values import Floats, Part, Value

TIME = "t"  # the symbol of the time since the start of a run, in s
_SIGNS = {
    "add": arithmetic.add,
    "subtract": arithmetic.subtract,
    "multiply": arithmetic.multiply,
    "divide": arithmetic.divide,
    "power": arithmetic.power,
}
_INTO = {
    "add": np.add,
    "subtract": np.subtract,
    "multiply": np.multiply,
}
_NOT_OWN = ("symbol", "number", "constant", "number of")  # their arrays belong to others


def evaluated(term: Term, rows: Rows, inputs: Mapping[str, Value]) -> Value:
    """Walk through the terms of a formula."""
    return _Evaluation(rows, inputs, inputs.get(TIME)).value(term)


@dataclass(frozen=True)
class _Evaluation:
    """One walk through the terms of a formula."""

    rows: Rows
    inputs: Mapping[str, Value]
    times: Value | None

    def value(self, term: Term) -> Value:
        operation = term.operation
        if operation == "number":
            return Value(term.factor)
        if operation == "symbol":
            return self.inputs[term.symbol]
        if operation == "constant":
            return _constant(term)
        values = tuple(self.value(one) for one in term.terms)
        if operation == "number of":
            return values[0].scaled(1 / term.factor, -term.origin / term.factor)
        if operation == "negative":
            return arithmetic.negative(values[0])
        if operation in _INTO and (into := self._memory(term.terms, values)) is not None:
            return Value(_INTO[operation](values[0].y, values[1].y, out=into))
        if operation in _SIGNS:
            return _SIGNS[operation](values[0], values[1])
        return FUNCTIONS[operation].does(self.rows, values, self.times)

    def _memory(self, terms: tuple[Term, ...], values: tuple[Value, ...]) -> Floats | None:
        """Give the array of a part that nobody needs any more, where nothing is uncertain.

        Fetching fresh memory for a million numbers takes longer than multiplying them.
        """
        if not all(one.is_certain for one in values):
            return None
        for term, value in zip(terms, values, strict=True):
            if term.operation not in _NOT_OWN and np.ndim(value.y) == 1:
                array = np.asarray(value.y)
                # A power of one, or what takes nothing away, gives its input itself.
                given = any(array is one.y for one in self.inputs.values())
                if array.flags.owndata and array.flags.writeable and not given:
                    return array
        return None


def _constant(term: Term) -> Value:
    constant = constants()[term.symbol]
    shared: dict[str, Part] = {}
    if constant.u and math.isfinite(constant.u):
        shared = {f"constant {constant.symbol}": constant.u * term.factor}
    return Value(constant.value * term.factor, shared=shared)
