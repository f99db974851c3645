"""Copies for groups: rows of the lesson's experiment, as much of it as was chosen, made anew.

Readings are not copied: the series of a copy say where theirs are stored.
"""

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass

from django.db import models, transaction

from galena.desk.models import Finding, Graph, Harvest, Marker, Note, Sheet, Span, Trace
from galena.exchange.copying import AT_ONCE, Copying, Row, values_of
from galena.exchange.parts import APP_PARTS, Belongs, Part, all_parts
from galena.experiments.models import (
    Condition,
    Experiment,
    Given,
    Quantity,
    Run,
    Series,
    SeriesChunk,
)
from galena.experiments.runs import KINDS
from galena.reports.models import Report, Version

Wanted = Callable[[Row], bool]


@dataclass(frozen=True)
class Choice:
    """Something that copies can start with, in words; needs: what it cannot be without."""

    key: str
    words: str
    needs: tuple[str, ...] = ()


CHOICES = {
    choice.key: choice
    for choice in (
        Choice("conditions", "conditions"),
        Choice("quantities", "quantities and givens"),
        Choice("formulas", "formulas", ("quantities",)),
        Choice("sheets", "sheets", ("quantities",)),
        Choice("runs", "runs", ("conditions", "quantities")),
        Choice("spans", "spans and markers", ("sheets", "quantities")),
        Choice("findings", "findings and notes",
               ("spans", "sheets", "runs", "conditions", "quantities", "formulas")),
        Choice("report", "the report’s text"),
    )
}  # fmt: skip
USUAL = ("conditions", "quantities", "formulas", "sheets")
_OF_CHOICE: dict[type[models.Model], str] = {
    Condition: "conditions", Given: "quantities", Sheet: "sheets", Graph: "sheets",
    Trace: "sheets", Span: "spans", Marker: "spans", Finding: "findings", Note: "findings",
    Harvest: "findings", Report: "report", Version: "",
}  # fmt: skip


def completed(chosen: Iterable[str]) -> list[str]:
    """Add what the chosen ones cannot be without; gives keys in their order."""
    wanted = {key for key in chosen if key in CHOICES}
    wanted |= {need for key in wanted for need in CHOICES[key].needs}
    return [key for key in CHOICES if key in wanted]


def hand_out(
    experiment: Experiment, group, chosen: Collection[str], but: Collection[int] = ()
) -> Experiment:
    """Make a group's copy of an experiment, with what was chosen of it.

    but: the keys of runs that stay. A run that is being recorded grows in the copy as well.
    """
    wanted = completed(chosen)
    with transaction.atomic():
        copy = Experiment.objects.create(owner=group, title=experiment.title)
        copying = Copying({Experiment: {experiment.pk: copy.pk}})
        left_out = set()
        for part in all_parts():
            if not _is_wanted(part, wanted):
                left_out.add(part.model)
                continue
            rows = part.of(experiment).iterator(AT_ONCE)
            copying.put(part, _kept(part, rows, copying, left_out, wanted, but))
        copying.finish()
        if not {"runs", "spans"} & set(wanted) and "sheets" in wanted:
            for app in APP_PARTS:
                if app.bare is not None:
                    app.bare(copy, copying.keys)
    return copy


def _is_wanted(part: Part, wanted: Collection[str]) -> bool:
    if part.model is SeriesChunk:
        return False
    if part.model in _OF_CHOICE:
        return _OF_CHOICE[part.model] in wanted
    if part.belongs is Belongs.RUNS:
        return "runs" in wanted
    return part.model is not Quantity or "quantities" in wanted


def _kept(
    part: Part, rows: Iterable[models.Model], copying: Copying, left_out: set, wanted, but
) -> Iterable[tuple[int, Row]]:  # fmt: skip
    """Give the rows that go along: those all of whose needs do."""
    for row in rows:
        values = values_of(row)
        stays = _stays(part, values, wanted) or (part.model is Run and row.pk in but)
        if stays or _misses(part, values, copying, left_out):
            continue
        yield row.pk, shared(part, row, values)


def _stays(part: Part, values: Row, wanted: Collection[str]) -> bool:
    if part.model is Quantity:
        kind = values["kind"]
        return (kind == Quantity.Kind.DERIVED and "formulas" not in wanted) or (
            kind == Quantity.Kind.HARVESTED and "findings" not in wanted
        )
    if part.model is Run:
        kind = KINDS[values["plan"]]
        in_making = values["state"] == Run.State.RECORDING and not kind.is_timed
        return (
            values["removed_at"] is not None
            or in_making
            or (kind.is_summary and "findings" not in wanted)
        )
    return part.model is Graph and values["residuals_of_id"] and "findings" not in wanted


def _misses(part: Part, values: Row, copying: Copying, left_out: set) -> bool:
    """Tell whether a row refers to one that stays, without which it would mean another thing."""
    for field in part.model._meta.concrete_fields:
        key = values[field.attname]
        model = field.related_model
        if key is None or model not in _copied() or field.name in part.alike:
            continue
        loose = field.remote_field.on_delete is models.SET_NULL and field.name != "x"
        if not loose and (model in left_out or key not in copying.keys.get(model, {key: 0})):
            return True
    return False


def _copied() -> set:
    return {part.model for part in all_parts()}


def shared(part: Part, row: models.Model, values: Row) -> Row:
    """Have a series refer to where its readings are, and a run that is recorded follow."""
    if isinstance(row, Series):
        return values | {"stored_in_id": row.holder_id}
    if part.model is Run and values["state"] == Run.State.RECORDING:
        return values | {"state": Run.State.FOLLOWING}
    return values
