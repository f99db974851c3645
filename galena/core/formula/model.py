"""A formula as a model to be fitted: y from x and parameters, with its slope in each parameter.

Nothing has a unit here: the parameters get theirs from those of x and y, whatever they are.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FormulaError
from galena.core.formula.evaluation import evaluated
from galena.core.formula.functions import FUNCTIONS
from galena.core.formula.parameter_units import Powers, Vector
from galena.core.formula.parameter_units import work_out as work_out_parameters
from galena.core.formula.parsing import parse
from galena.core.formula.rows import Rows
from galena.core.formula.semantics import Reader, Symbol, Term
from galena.core.formula.syntax import Call, Node, names, parts
from galena.core.formula.unit_pass import work_out
from galena.core.formula.values import Floats, Value
from galena.core.model_facts import NO_FACTS, Facts
from galena.core.units import Unit, exponent

_PI = ("π", "pi")


@dataclass(frozen=True)
class ModelFormula:
    """A formula of places and parameters, which are named in the order in which they stand.

    `places` is mostly x alone; where there are several, x has the shape (n, places).
    """

    formula: str
    places: tuple[str, ...]
    parameters: tuple[str, ...]
    term: Term

    @property
    def key(self) -> str:
        return self.formula

    @property
    def label(self) -> str:
        return self.formula

    @property
    def facts(self) -> Facts:
        return NO_FACTS

    def values(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give y at x, shape (n,)."""
        return self._worked_out(x, {name: Value(params[name]) for name in self.parameters})[0]

    def jacobian(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the slope of y in each parameter, shape (n, parameters)."""
        params_as_values = {
            name: Value(params[name], shared={name: 1.0}) for name in self.parameters
        }
        return self._worked_out(x, params_as_values)[1]

    def derivative(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the rate of change of y with x, shape (n,)."""
        params_as_values = {name: Value(params[name]) for name in self.parameters}
        place = self.places[0]
        with np.errstate(all="ignore"):
            at = {**params_as_values, place: Value(x, shared={place: 1.0})}
            y = evaluated(self.term, Rows(x.size), at)
        return _row(y.shared.get(place, 0.0), x.size)

    def outside(self, x: Floats) -> NDArray[np.bool_]:
        """Tell the places at which the model has no value whatever its parameters."""
        return np.zeros(x.shape[:1], dtype=bool)

    @cached_property
    def powers(self) -> dict[str, Powers]:
        """The unit of each parameter as powers of those of x and y, 1 where none fits."""
        try:
            fitting = self._fitting({"x": Fraction(1)}, {"y": Fraction(1)})
        except FormulaError:
            return dict.fromkeys(self.parameters, Powers())
        return {
            name: Powers(float(one.get("y", 0)), float(one.get("x", 0)))
            for name, one in fitting.items()
        }

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each parameter's unit from those of x and y. Raises FormulaError."""
        vectors = [{s: Fraction(power) for s, power in one.factors if s != "rad"} for one in (x, y)]
        fitting = self._fitting(*vectors)
        return {
            name: Unit(tuple((symbol, exponent(power)) for symbol, power in one.items() if power))
            for name, one in fitting.items()
        }

    def _fitting(self, x: Vector, y: Vector) -> dict[str, Vector]:
        tree, places = parse(self.formula), dict.fromkeys(self.places, x)
        powers = work_out_parameters(self.formula, tree, places, y, self.parameters)
        return {name: powers[name] for name in self.parameters}

    def _worked_out(self, x: Floats, params: dict[str, Value]) -> tuple[Floats, Floats]:
        columns = [x] if x.ndim == 1 else list(x.T)
        places = {name: Value(one) for name, one in zip(self.places, columns, strict=True)}
        count = x.shape[0]
        with np.errstate(all="ignore"):
            y = evaluated(self.term, Rows(count), {**params, **places})
        jacobian = np.zeros((count, len(self.parameters)))
        for place, name in enumerate(self.parameters):
            jacobian[:, place] = y.shared.get(name, 0.0)
        return _row(y.y, count), jacobian


MOST_PARAMETERS = 12


def compile_model(text: str, x: str | tuple[str, ...] = "x") -> ModelFormula:
    """Read a formula as a model; every symbol but x and π is a parameter.

    x: what stands for the place, or several names. Raises FormulaError for what is no formula,
    has numbers with units, no parameter, or looks at other rows.
    """
    tree = parse(text)
    _refuse_rows(tree)
    places = (x,) if isinstance(x, str) else x
    used = dict.fromkeys(name.symbol for name in names(tree) if name.symbol not in _PI)
    parameters = tuple(name for name in used if name not in places)
    if not parameters:
        raise FormulaError(
            f"This model has no parameter to find. Write one, for example a*{places[0]}.",
            0,
            len(text),
        )
    if len(parameters) > MOST_PARAMETERS:
        raise FormulaError(
            f"This model has {len(parameters)} parameters; {MOST_PARAMETERS} at most can be told "
            "apart. Type numbers for what is known.",
            0,
            len(text),
        )
    symbols = {name: Symbol(Unit(), name=name) for name in used}
    term = work_out(Reader(text, symbols, [], free=True), tree)
    return ModelFormula(text, places, parameters, term)


def _refuse_rows(node: Node) -> None:
    if isinstance(node, Call) and node.function in FUNCTIONS:
        function = FUNCTIONS[node.function]
        of_two = node.function in ("min", "max") and len(node.arguments) == 2
        if function.over_rows and not of_two:
            raise FormulaError(
                f"{function.name} looks at several readings; a model gives y from one x.",
                node.start,
                node.end,
            )
    for part in parts(node):
        _refuse_rows(part)


def _row(y: float | NDArray[np.float64], count: int) -> Floats:
    return np.broadcast_to(np.asarray(y, dtype=np.float64), count)
