"""A formula as a model to be fitted: y from x and parameters, with its slope in each parameter.

Nothing has a unit here: the parameters get theirs from those of x and y, whatever they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FormulaError
from galena.core.formula.expression import evaluated
from galena.core.formula.functions import FUNCTIONS
from galena.core.formula.meaning import Reader, Symbol, Term
from galena.core.formula.reading import read
from galena.core.formula.rows import Rows
from galena.core.formula.syntax import Call, Node, names, parts
from galena.core.formula.unit_pass import work_out
from galena.core.formula.values import Floats, Value
from galena.core.units import Unit

_PI = ("π", "pi")


@dataclass(frozen=True)
class ModelFormula:
    """A formula of `x` and parameters, which are named in the order in which they stand."""

    text: str
    x: str
    parameters: tuple[str, ...]
    term: Term

    def values(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give y at x, shape (n,)."""
        return self._worked_out(x, {name: Value(params[name]) for name in self.parameters})[0]

    def slopes(self, x: Floats, params: Mapping[str, float]) -> tuple[Floats, Floats]:
        """Give y at x, shape (n,), and its slope in each parameter, shape (n, parameters)."""
        known = {name: Value(params[name], shared={name: 1.0}) for name in self.parameters}
        return self._worked_out(x, known)

    def _worked_out(self, x: Floats, known: dict[str, Value]) -> tuple[Floats, Floats]:
        with np.errstate(all="ignore"):
            found = evaluated(self.term, Rows(x.size), {**known, self.x: Value(x)})
        slopes = np.zeros((x.size, len(self.parameters)))
        for place, name in enumerate(self.parameters):
            slopes[:, place] = found.shared.get(name, 0.0)
        return _row(found.y, x.size), slopes


def compile_model(text: str, x: str = "x") -> ModelFormula:
    """Read a formula as a model; every symbol but x and π is a parameter.

    Raises FormulaError for what is no formula, has numbers with units, no parameter, or looks at
    other rows.
    """
    tree = read(text)
    _refuse_rows(tree)
    used = dict.fromkeys(name.symbol for name in names(tree) if name.symbol not in _PI)
    parameters = tuple(name for name in used if name != x)
    if not parameters:
        raise FormulaError(
            f"This model has no parameter to find. Write one, for example a*{x}.", 0, len(text)
        )
    known = {name: Symbol(Unit(), name=name) for name in used}
    term = work_out(Reader(text, known, [], free=True), tree)
    return ModelFormula(text, x, parameters, term)


def _refuse_rows(node: Node) -> None:
    if isinstance(node, Call) and node.function in FUNCTIONS:
        function = FUNCTIONS[node.function]
        if function.over_rows:
            raise FormulaError(
                f"{function.name} looks at several readings; a model gives y from one x.",
                node.start,
                node.end,
            )
    for part in parts(node):
        _refuse_rows(part)


def _row(y: float | NDArray[np.float64], count: int) -> Floats:
    return np.broadcast_to(np.asarray(y, dtype=np.float64), count)
