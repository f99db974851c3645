"""The question that a kept claim is: which law a straightened line stands for."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from galena.core import units
from galena.core.errors import GalenaError
from galena.core.straightening import RELATIONS, Relation
from galena.core.straightening.own import Own
from galena.core.straightening.relations import TurningPoint
from galena.desk.errors import DeskError
from galena.desk.findings.questions import Answer, Estimate, Question
from galena.desk.findings.questions.basis import Basis
from galena.straighten import laws
from galena.straighten.claiming import claimed

SHOWN = {"tau": "τ", "y_max": "y_max", "x_half": "x_half"}


def relation_from(details: Mapping[str, Any]) -> Relation:
    """Give the relation that a finding claims. Raises DeskError, FormulaError."""
    relation = RELATIONS.get(str(details.get("relation")))
    if relation is None:
        raise DeskError("This relation is not known any more. Remove the claim.")
    if isinstance(relation, TurningPoint) and details.get("x_0"):
        return relation.about(*details["x_0"])
    if isinstance(relation, Own) and details.get("formulas"):
        (x, x_unit), (y, y_unit) = details["x"], details["y"]
        symbols = ((x, units.parse(x_unit)), (y, units.parse(y_unit)))
        across, upwards = details["formulas"]
        return relation.with_formulas(across, upwards, symbols)
    return relation


def law(basis: Basis) -> Answer:
    """Give the constants of the law that a line through straightened readings stands for."""
    (source,) = basis.sources
    details, line = basis.details, source.fit
    relation = relation_from(details)
    inside = source.readings.inside
    held = {"slope": line.params["slope"]} if "slope" in line.held else None
    u = inside.u if line.weighted else None
    said = claimed(relation, inside.t, inside.y, u, held, own=inside.u).claim
    (x, x_unit), (y, y_unit) = details["x"], details["y"]
    of_x, of_y = units.parse(x_unit), units.parse(y_unit)
    of = relation.units(of_x, of_y)
    try:
        constants = relation.law(line)
    except GalenaError as error:
        return Answer(trouble=str(error))
    wanted = [name for name in constants if name != "c" or said.has_constant]
    estimates = tuple(
        Estimate(name, SHOWN.get(name, name), *constants[name], of[name]) for name in wanted
    )
    sentence = laws.spoken(said.sentence, relation, ((x, of_x), (y, of_y)))
    return Answer(estimates, sentence, remarks=said.notes)


LAW = Question("law", "law", "fit", "the law that a straightened line stands for", build=law,
               of_fits=True)  # fmt: skip


def about(relation: Relation) -> dict[str, Any]:
    """Give what a finding keeps of a relation."""
    kept: dict[str, Any] = {"relation": relation.key}
    if relation.x_0 is not None:
        kept["x_0"] = list(relation.x_0)
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        kept["formulas"] = [relation.of_x.text, relation.of_y.text]
    return kept


__all__ = ["LAW", "about", "law", "relation_from"]
