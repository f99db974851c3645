"""From a sheet that is already straight back to the law: its quantities tell what is plotted."""

from __future__ import annotations

import re
from dataclasses import dataclass

from galena.core import units
from galena.core.straightening import RELATIONS, Relation
from galena.core.straightening.transforms import PLAIN, Transform
from galena.desk.annotations.flows import add_span
from galena.desk.errors import DeskError
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Sheet
from galena.experiments.models import Experiment, Quantity
from galena.straighten.choice import Choice
from galena.straighten.keep import state_law
from galena.straighten.laws import Named
from galena.straighten.subject import Subject

_TRANSFORMS = {
    one.key: one for relation in RELATIONS.values() for one in (relation.x, relation.y)
    if one.key not in ("plain", "square_about")
}  # fmt: skip


@dataclass(frozen=True)
class Already:
    """What a sheet plots already: the relation that is straight there, and the symbols and units of
    the two quantities of its law."""

    relation: Relation
    symbols: Named

    @property
    def words(self) -> str:
        """Say what is plotted against what."""
        (x, x_unit), (y, y_unit) = self.symbols
        relation = self.relation
        return f"{relation.y.shown(y, y_unit)} against {relation.x.shown(x, x_unit)}"


def already(sheet: Sheet, quantity: Quantity) -> Already | None:
    """Tell which relation is straight on a sheet as it stands; None where both of its quantities
    are plotted as they are, or by rules that no relation has."""
    x_rule, x = _made_of(sheet.experiment, sheet.x)
    y_rule, y = _made_of(sheet.experiment, quantity)
    if x_rule is PLAIN and y_rule is PLAIN:
        return None
    relation = next(
        (one for one in RELATIONS.values() if (one.x.key, one.y.key) == (x_rule.key, y_rule.key)),
        None,
    )
    return None if relation is None else Already(relation, (x, y))


def _made_of(experiment: Experiment, quantity: Quantity | None) -> tuple[Transform, tuple]:
    """Give the rule by which a quantity is made of another, and the other's symbol and unit."""
    if quantity is None:
        return PLAIN, ("t", units.parse("s"))
    for rule in _TRANSFORMS.values() if quantity.is_derived else ():
        symbol = _symbol_in(rule, quantity.formula)
        other = experiment.quantities.filter(symbol=symbol).first() if symbol else None
        if other is not None:
            return rule, (other.symbol, units.parse(other.unit))
        if symbol == "t":
            return rule, ("t", units.parse("s"))
    return PLAIN, (quantity.symbol, units.parse(quantity.unit))


def _symbol_in(rule: Transform, formula: str) -> str:
    """Give the symbol of which a formula is the rule; empty where it is another."""
    before, after = (re.escape(part) for part in rule.pattern.split("{q}"))
    match = re.fullmatch(rf"{before}([^\W\d]\w*){after}", formula.replace(" ", ""))
    return match[1] if match else ""


def back_to_law(subject: Subject, choice: Choice, why: str) -> None:
    """Ask the sheet's line for its law. Raises GalenaError."""
    plotted = already(subject.sheet, subject.quantity)
    if plotted is None:
        raise DeskError("This sheet plots its quantities as they are. Choose a relation.")
    sheet = subject.sheet
    span = subject.span
    if span is None:
        ends = [end for one in subject.curves for end in (one.x.min(), one.x.max())]
        span = add_span(sheet, float(min(ends)), float(max(ends)), subject.quantity)
    details = {"weighted": True} if choice.weighted else {}
    runs = [one.run for one in subject.curves]
    lines = finding_flows.ask(span, "line", subject.quantity, runs, details)
    state_law(lines, plotted.relation, plotted.symbols, why)
