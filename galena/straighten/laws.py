"""A law as it is read: symbolic as a textbook prints it, and with its values in one line."""

from __future__ import annotations

from collections.abc import Mapping

from galena.core.errors import FormulaError
from galena.core.formula import typesetting
from galena.core.formula.parsing import rename
from galena.core.numbers import concise
from galena.core.straightening import Relation
from galena.core.straightening.own import Own
from galena.core.straightening.relation import Estimate
from galena.core.symbols import parts
from galena.core.units import Unit

Pieces = list[tuple[str, str]]  # kind (symbol, sub, sup or none) and text
Named = tuple[tuple[str, Unit], tuple[str, Unit]]
_MINUS = "−"


def spoken(sentence: str, relation: Relation, symbols: Named) -> str:
    """Put what a sentence speaks of into it: the quantities, or what is plotted by formulas."""
    (x, _), (y, _) = symbols
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        x, y = relation.of_x.text, relation.of_y.text
    return sentence.format(x=x, y=y)


def textbook(relation: Relation, symbols: Named, has_constant: bool) -> str:
    """Give the law as MathML; empty where its formula cannot be typeset."""
    (x, _), (y, _) = symbols
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        formula, left = f"k*({relation.of_x.text}) + c", relation.of_y.text
        try:
            return typesetting.mathml(f"{formula}", left if left == y else "")
        except FormulaError:
            return ""
    formula = relation.law_formula
    if relation.key == "none":
        formula = "c"
    elif not has_constant:
        formula = formula.removesuffix(" + c")
    names = {"x_0": f"{x}_0", "x_half": f"{x}_half", "y_max": f"{y}_max", "tau": "τ"}
    try:
        for name, shown in names.items():
            formula = rename(formula, name, shown)
        return typesetting.mathml(rename(formula, "x", x), y)
    except FormulaError:
        return ""


def with_values(
    relation: Relation, constants: Mapping[str, Estimate], symbols: Named, has_constant: bool
) -> Pieces:
    """Give the law with its values, each with its uncertainty in its last digits.

    Constants are numbers in the units that their list shows.
    """
    (x, x_unit), (y, _) = symbols
    told = {name: concise(*estimate) for name, estimate in constants.items()}
    left: Pieces = [*parts(y), ("", " = ")]
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        across, up = relation.of_x.text, relation.of_y.text
        return [("", f"{up} = {told['k']} · ({across}){_added(told['c'])}")]
    if relation.key == "none":
        return [*left, ("", told["c"])]
    if relation.key == "power":
        return [*left, ("", f"{told['a']} "), *parts(x), ("sup", told["n"])]
    if "tau" in told:
        sign = _MINUS if relation.key == "exponential_decay" else ""
        return [*left, ("", f"{told['a']} · e"), ("sup", f"{sign}{x}/{told['tau']}")]
    if relation.key == "reciprocal":
        return [*left, ("", f"{told['y_max']} · "), *parts(x), ("", f"/({told['x_half']} + "),
                *parts(x), ("", ")")]  # fmt: skip
    if relation.x_0 is not None:
        turning = concise(*relation.x_0)
        term: Pieces = [("", "("), *parts(x), ("", f"{_taken(turning)})²")]
    else:
        term = parts(relation.x.shown(x, x_unit))
    constant = _added(told["c"]) if has_constant else ""
    return [*left, ("", f"{told['k']} · "), *term, ("", constant)]


def _added(number: str) -> str:
    """Write a number behind a sum, a negative one with its sign between."""
    return f" {_MINUS} {number[1:]}" if number.startswith(_MINUS) else f" + {number}"


def _taken(number: str) -> str:
    """Write a number that is taken away."""
    return f" + {number[1:]}" if number.startswith(_MINUS) else f" {_MINUS} {number}"
