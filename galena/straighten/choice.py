"""What the person has chosen on the page of straightening, as its address tells it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from galena.core import units
from galena.core.conditions import hold
from galena.core.errors import ConditionError, GalenaError
from galena.core.numbers import parse
from galena.core.straightening import RELATIONS, SHAPES, Relation
from galena.core.straightening.own import Own
from galena.core.straightening.relations import TurningPoint
from galena.core.units import Unit
from galena.shell import requested

LONGEST = 200


@dataclass(frozen=True)
class Choice:
    """span, of, run: keys; shape and relation: of the registries; weighted: by uncertainties.

    x_0: a turning point as typed; across, upwards: own formulas as typed; exponent: that a power
    is held at.
    """

    span: int | None = None
    of: int | None = None
    run: int | None = None
    shape: str = ""
    relation: str = ""
    weighted: bool = False
    x_0: str = ""
    across: str = ""
    upwards: str = ""
    exponent: str = ""

    def address(self, **changes: Any) -> str:
        """Write it as the end of an address, with some things changed."""
        chosen = replace(self, **changes)
        told = {
            name: value for name, value in vars(chosen).items() if value not in (None, "", False)
        }
        return urlencode({name: "on" if value is True else value for name, value in told.items()})

    def held(self) -> dict[str, float] | None:
        """Give the slope that the line is held at. Raises NumberError."""
        if self.relation != "power" or not self.exponent:
            return None
        return {"slope": parse(self.exponent, "The exponent", "3")}


def choice_from(told: Mapping[str, str]) -> Choice:
    """Read a choice from an address; what is none is left out."""
    relation, shape = told.get("relation", ""), told.get("shape", "")
    typed = {name: told.get(name, "").strip()[:LONGEST]
             for name in ("x_0", "across", "upwards", "exponent")}  # fmt: skip
    return Choice(
        requested.key_or_none(told.get("span")),
        requested.key_or_none(told.get("of")),
        requested.key_or_none(told.get("run")),
        shape if shape in SHAPES else "",
        relation if relation in RELATIONS else "",
        bool(told.get("weighted")),
        **typed,
    )


def told_of(relation: Relation, choice: Choice, symbols: tuple[tuple[str, Unit], tuple[str, Unit]]
            ) -> Relation:  # fmt: skip
    """Give a relation with what was typed for it. Raises GalenaError."""
    if isinstance(relation, TurningPoint) and choice.x_0:
        (symbol, unit), _ = symbols
        return relation.about(*_place(choice.x_0, symbol, unit))
    if isinstance(relation, Own) and (choice.across or choice.upwards):
        (x, _), (y, _) = symbols
        return relation.with_formulas(choice.across or x, choice.upwards or y, symbols)
    return relation


def _place(typed: str, symbol: str, unit: Unit) -> tuple[float, float]:
    """Read a turning point with its uncertainty, as 0.85 ± 0.01. Raises GalenaError."""
    try:
        read = hold(typed, f"The turning point of {symbol}", "number", units.typeset(unit))
    except ConditionError as error:
        raise GalenaError(str(error)) from error
    return float(read.value or 0.0), float(read.u or 0.0)
