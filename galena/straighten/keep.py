"""All changes: a second sheet with its line and its law, and what the teacher wishes."""

from __future__ import annotations

import math

import numpy as np

from galena.core import units
from galena.core.straightening import Relation
from galena.core.straightening.own import Own
from galena.core.straightening.transforms import Transform
from galena.desk.annotations.flows import add_span
from galena.desk.errors import DeskError
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding, Sheet, Span
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment, Quantity
from galena.experiments.quantity_flows import add_transformed
from galena.straighten.choice import Choice
from galena.straighten.claiming import model_of
from galena.straighten.laws import Named
from galena.straighten.models import Guidance
from galena.straighten.question import about
from galena.straighten.subject import Subject
from galena.straighten.work import Work

_ROOM = 1e-6  # of what lies between readings: a span takes its ends in


def keep(work: Work, subject: Subject, choice: Choice, why: str) -> Sheet:
    """Make the second sheet: quantities, line and law, with the reason; gives that sheet.

    Where both quantities are plotted as they are, line and law come on the sheet that there is.
    Raises GalenaError; nothing is made then.
    """
    relation = work.relation
    sheet, quantity = _sheet_for(relation, subject)
    span = _span_of(sheet, work, subject, quantity)
    weighted = choice.weighted and all(one.line.weighted for one in work.runs)
    runs = [one.curve.run for one in work.runs]
    details = {"weighted": True} if weighted else {}
    lines = finding_flows.ask(span, model_of(relation), quantity, runs, details)
    held = choice.held()
    if held:
        for line in lines:
            finding_flows.hold(line, held)
    state_law(lines, relation, (subject.x, subject.y), why)
    return sheet


def state_law(lines: list[Finding], relation: Relation, symbols: Named, why: str) -> None:
    """Have findings say which law lines stand for, with the reason.

    symbols: those of x and y of the law, with their units.
    """
    (x, x_unit), (y, y_unit) = symbols
    told = about(relation) | {"x": [x, units.typeset(x_unit)], "y": [y, units.typeset(y_unit)]}
    for line in lines:
        law = finding_flows.build(line.sheet, "law", [line.pk], told)
        if why.strip():
            finding_flows.say_why(law, why)


def _sheet_for(relation: Relation, subject: Subject) -> tuple[Sheet, Quantity]:
    """Give the sheet on which a relation is straight, and what goes upwards there."""
    first, experiment = subject.sheet, subject.sheet.experiment
    plain = not isinstance(relation, Own) and relation.x.is_plain and relation.y.is_plain
    if plain and relation.x_0 is None:
        return first, subject.quantity
    if isinstance(relation, Own):
        if relation.of_x is None or relation.of_y is None:
            raise DeskError("Type what is to be plotted across and upwards first.")
        x = _own(experiment, relation.of_x.text, first.x)
        y = _own(experiment, relation.of_y.text, subject.quantity)
    else:
        x = _transformed(experiment, relation, relation.x, first.x)
        y = _transformed(experiment, relation, relation.y, subject.quantity)
    if y is None:
        raise DeskError("Time is what a run goes over. Plot a quantity upwards.")
    there = sheet_flows.sheets_of(experiment)
    same = (sheet for sheet in there if sheet.x == x and sheet.quantities == [y])
    sheet = next(same, None) or sheet_flows.add_sheet(experiment, x, [y])  # a second click
    sheet_flows.set_beside(first, True)
    return sheet, y


def _transformed(
    experiment: Experiment, relation: Relation, rule: Transform, of: Quantity | None
) -> Quantity | None:
    """Give the quantity that a rule makes of another, of time where that is None."""
    if rule.is_plain:
        return of
    symbol, name = (of.symbol, of.name) if of is not None else ("t", "time")
    unit = units.parse(of.unit) if of is not None else units.parse("s")
    written = rule.formula(symbol)
    if relation.x_0 is not None and rule is relation.x:
        place = f"{relation.x_0[0]:.12g} {units.typeset(unit)}".strip()
        written = rule.formula(symbol).replace("x_0", place)
    return add_transformed(experiment, written, f"{rule.words} {name}", rule.symbol(symbol, unit))


def _own(experiment: Experiment, text: str, of: Quantity | None) -> Quantity | None:
    """Give the quantity of an own formula; what is only a symbol is that quantity itself."""
    written = text.strip()
    if written == (of.symbol if of is not None else "t"):
        return of
    return add_transformed(experiment, written, written, written)


def _span_of(sheet: Sheet, work: Work, subject: Subject, quantity: Quantity) -> Span:
    """Mark off the readings that were straightened on a sheet, and no others."""
    if sheet.pk == subject.sheet.pk and subject.span is not None:
        return subject.span
    factor = _factor(sheet, work.relation, subject)
    rows = [one.seen.x * factor for one in work.runs]
    lo, hi = min(float(row.min()) for row in rows), max(float(row.max()) for row in rows)
    if not (math.isfinite(lo) and hi > lo):
        raise DeskError("All readings lie at one place of this axis, so no line goes through them.")
    nearest = min((float(np.diff(np.unique(row)).min()) for row in rows if np.ptp(row)), default=0)
    room = max(_ROOM * nearest, 1e-12 * max(abs(lo), abs(hi)))
    there = sheet.spans.filter(lo=lo - room, hi=hi + room, quantity=quantity)
    return there.first() or add_span(sheet, lo - room, hi + room, quantity)


def _factor(sheet: Sheet, relation: Relation, subject: Subject) -> float:
    """Give by what numbers of a relation's axis are multiplied to be in the unit of the sheet."""
    if sheet.x is None or relation.x.power is None or isinstance(relation, Own):
        return 1.0
    unit = relation.x.unit(subject.x[1])
    wanted = units.parse(sheet.x_unit)
    return units.convert(1.0, unit, wanted) if unit != wanted else 1.0


def set_shape_first(experiment: Experiment, wanted: bool) -> None:
    """Have a shape be chosen before anything is said of the readings, or no longer."""
    Guidance.objects.update_or_create(experiment=experiment, defaults={"shape_first": wanted})
