"""A copy of an experiment: its conditions, quantities and sheets, with or without its runs."""

from django.db import models, transaction

from galena.desk.models import Finding, Graph, Harvest, Marker, Note, Sheet, Span, Trace
from galena.experiments.models import (
    Aside,
    Condition,
    ConditionValue,
    Entry,
    Experiment,
    Given,
    Quantity,
    Run,
    Scene,
    Series,
    SeriesChunk,
    Step,
    StepPart,
    Stream,
    TypedColumn,
)
from galena.reports.models import Report

# What belongs to an experiment and the way to it, each after all that it refers to.
ALWAYS: tuple[tuple[type[models.Model], str], ...] = (
    (Condition, "experiment"),
    (Quantity, "experiment"),
    (Given, "experiment"),
    (Sheet, "experiment"),
    (Graph, "sheet__experiment"),
    (Trace, "graph__sheet__experiment"),
)  # but for graphs of what a fit leaves over: they come with the fits
WITH_RUNS: tuple[tuple[type[models.Model], str], ...] = (
    (Run, "experiment"),
    (ConditionValue, "run__experiment"),
    (Stream, "run__experiment"),
    (Series, "stream__run__experiment"),
    (SeriesChunk, "series__stream__run__experiment"),
    (Step, "run__experiment"),
    (StepPart, "step__run__experiment"),
    (Entry, "run__experiment"),
    (Scene, "run__experiment"),
    (TypedColumn, "run__experiment"),
    (Aside, "run__experiment"),
    (Span, "sheet__experiment"),
    (Marker, "sheet__experiment"),
    (Finding, "sheet__experiment"),
    (Note, "graph__sheet__experiment"),
    (Harvest, "run__experiment"),
    (Report, "experiment"),
)
AT_ONCE = 500  # rows in memory


def duplicate(experiment: Experiment, person, *, runs: bool) -> Experiment:
    """Make a copy that belongs to the person; the original stays as it is.

    Raises ValueError while a run of it is recorded.
    """
    if runs and experiment.runs.filter(state=Run.State.RECORDING).exists():
        raise ValueError("A run of this experiment is being recorded. Copy it afterwards.")
    with transaction.atomic():
        title = f"{experiment.title[:190]} (copy)"
        made = Experiment.objects.create(owner=person, title=title)
        copies: dict[type[models.Model], dict[int, int]] = {Experiment: {experiment.pk: made.pk}}
        for model, way in ALWAYS + (WITH_RUNS if runs else ()):
            copies[model] = _copied(model.objects.filter(**{way: experiment}), copies)
        if runs:
            _point_to_copies(made, copies)
        else:
            Graph.objects.filter(sheet__experiment=made).exclude(residuals_of=None).delete()
        if not runs:
            Sheet.objects.filter(experiment=made).update(spans_made=0, markers_made=0, x_axis={})
            Graph.objects.filter(sheet__experiment=made).update(axes={})
    return made


def _point_to_copies(made: Experiment, copies: dict[type[models.Model], dict[int, int]]) -> None:
    """Have what findings and harvests name by key be the copies."""
    findings = copies[Finding]
    for graph in Graph.objects.filter(sheet__experiment=made).exclude(residuals_of=None):
        graph.residuals_of_id = findings.get(graph.residuals_of_id)
        graph.save(update_fields=["residuals_of"])
    for one in Finding.objects.filter(sheet__experiment=made):
        details = dict(one.details)
        if "of" in details:
            details["of"] = [_pointed(each, findings) for each in details["of"]]
        if "symbols" in details:
            details["symbols"] = {
                symbol: _pointed(each, findings) for symbol, each in details["symbols"].items()
            }
        if details != one.details:
            one.details = details
            one.save(update_fields=["details"])
    for one in Harvest.objects.filter(run__experiment=made):
        one.rows = [[copies[Run].get(run), copies[Span].get(span)] for run, span in one.rows]
        for column in one.columns:
            for name, of in (("quantity", Quantity), ("of", Quantity), ("condition", Condition)):
                if name in column:
                    column[name] = copies[of].get(column[name])
        one.save(update_fields=["rows", "columns"])


def _pointed(one, findings: dict[int, int]):
    if isinstance(one, list):
        return [findings.get(one[0]), *one[1:]]
    return findings.get(one)


def _copied(rows: models.QuerySet, copies: dict[type[models.Model], dict[int, int]]) -> dict:
    """Copy rows; what they refer to becomes its copy where it has one."""
    keys: dict[int, int] = {}
    references = [
        (field.attname, copies[field.related_model])
        for field in rows.model._meta.concrete_fields
        if field.related_model in copies
    ]
    waiting = []
    for row in rows.order_by("pk").iterator(AT_ONCE):
        waiting.append((row.pk, row))
        row.pk = None
        row._state.adding = True
        for name, of in references:
            setattr(row, name, of.get(getattr(row, name), getattr(row, name)))
        if len(waiting) == AT_ONCE:
            keys |= _written(rows.model, waiting)
            waiting = []
    return keys | _written(rows.model, waiting)


def _written(model: type[models.Model], waiting: list) -> dict[int, int]:
    made = model.objects.bulk_create([row for _, row in waiting])
    return {before: row.pk for (before, _), row in zip(waiting, made, strict=True)}
