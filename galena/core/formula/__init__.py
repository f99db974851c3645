"""Formulas over quantities: read, their units worked out, evaluated with uncertainties."""

from galena.core.formula.expression import Evaluated, Expression, compile
from galena.core.formula.functions import FUNCTIONS, Function
from galena.core.formula.semantics import Symbol
from galena.core.formula.values import Value

__all__ = ["FUNCTIONS", "Evaluated", "Expression", "Function", "Symbol", "Value", "compile"]
