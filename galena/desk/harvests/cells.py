"""The cells of a harvest: its questions are asked anew, so that it follows its sources."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

import numpy as np

from galena.core.pooling import mean_of_repeats
from galena.desk.findings.answers import Answers
from galena.desk.findings.questions import Answer
from galena.desk.models import Finding, Harvest, Span
from galena.experiments import repeats
from galena.experiments.models import Quantity, Run
from galena.experiments.runs.typed import WorkedOut

_doing: ContextVar[tuple[int, ...]] = ContextVar("harvests that are worked out", default=())


@dataclass(frozen=True)
class Rows:
    """The columns of a harvest and what each row was taken from, in words."""

    columns: list[WorkedOut]
    names: list[str]


@contextmanager
def _once(run: Run) -> Iterator[bool]:
    """Tell whether a harvest is not being worked out already: none may feed on itself."""
    before = _doing.get()
    if run.pk in before:
        yield False
        return
    token = _doing.set((*before, run.pk))
    try:
        yield True
    finally:
        _doing.reset(token)


def tables(runs: list[Run]) -> dict[int, Rows]:
    """Give the harvested columns of these runs, by the run's key."""
    worked_out = {}
    for harvest in Harvest.objects.filter(run__in=runs).select_related("run__experiment"):
        with _once(harvest.run) as is_first:
            if is_first:
                worked_out[harvest.run_id] = _worked_out(harvest)
    return worked_out


def _worked_out(harvest: Harvest) -> Rows:
    quantities = Quantity.objects.in_bulk([column["quantity"] for column in harvest.columns])
    runs = Run.objects.kept().prefetch_related("condition_values__condition")
    runs = runs.in_bulk([run for run, _ in harvest.rows])
    spans = Span.objects.select_related("sheet__x", "sheet__experiment")
    spans = spans.in_bulk([span for _, span in harvest.rows])
    of = Quantity.objects.in_bulk([column["of"] for column in harvest.columns if "of" in column])
    cells = _cells(harvest, runs, spans, of)
    groups = _groups(harvest, runs)
    columns = []
    for place, column in enumerate(harvest.columns):
        quantity = quantities.get(column["quantity"])
        if quantity is not None:
            cell = _grouped(cells[place], groups) if harvest.repeats else cells[place]
            u, shared = (part if np.any(part) else None for part in (cell.u, cell.shared))
            columns.append(WorkedOut(quantity, cell.values, u, shared))
    names = [_of_row(runs.get(run), spans.get(span)) for run, span in harvest.rows]
    return Rows(columns, [names[group[0]] for group in groups] if harvest.repeats else names)


def _of_row(run: Run | None, span: Span | None) -> str:
    return f"{run or 'a run that was removed'}, {span or 'a span that was removed'}"


@dataclass(frozen=True)
class _Cells:
    """Of one column a value a row, NaN where there is nothing, and its uncertainties."""

    values: np.ndarray
    u: np.ndarray
    shared: np.ndarray


def _cells(harvest: Harvest, runs: dict, spans: dict, of: dict) -> list[_Cells]:
    """Give the cells of each column."""
    count = len(harvest.rows)
    probes: dict[tuple[int, int], Finding] = {}
    for place, column in enumerate(harvest.columns):
        for row, (run, span) in enumerate(harvest.rows):
            if "kind" in column and run in runs and span in spans and column["of"] in of:
                probes[place, row] = Finding(
                    sheet=spans[span].sheet, span=spans[span], kind=column["kind"],
                    run=runs[run], quantity=of[column["of"]], details=column["details"],
                )  # fmt: skip
    answers = Answers(probes.values())
    cells = []
    for place, column in enumerate(harvest.columns):
        values, u, shared = np.full(count, np.nan), np.zeros(count), np.zeros(count)
        for row, (run, span) in enumerate(harvest.rows):
            cell = _value(column, runs.get(run), spans.get(span))
            if (place, row) in probes:
                cell = _estimate(answers.of(probes[place, row]), column)
            values[row], u[row], shared[row] = cell
        cells.append(_Cells(values, u, shared))
    return cells


def _value(column: dict, run: Run | None, span: Span | None) -> tuple[float, float, float]:
    if "place" in column and span is not None:
        return (span.lo + span.hi) / 2, 0.0, 0.0
    if "condition" in column and run is not None:
        for held in run.condition_values.all():
            if held.condition_id == column["condition"] and held.value is not None:
                return held.value, held.u or 0.0, 0.0
    return math.nan, 0.0, 0.0


def _estimate(answer: Answer, column: dict) -> tuple[float, float, float]:
    """Give a finding's value, its own uncertainty and what it shares with the other rows."""
    for estimate in answer.estimates:
        if estimate.key == column["key"]:
            own = estimate.own_uncertainty
            shared = sum(
                part for name, part in estimate.parts.items() if not name.startswith("fit ")
            )
            return estimate.value, own if math.isfinite(own) else 0.0, shared
    return math.nan, 0.0, 0.0


def _groups(harvest: Harvest, runs: dict[int, Run]) -> list[list[int]]:
    """Put the rows of runs that repeat each other together."""
    if not harvest.repeats:
        return [[row] for row in range(len(harvest.rows))]
    places = {run: row for row, (run, _) in enumerate(harvest.rows)}
    alike = repeats.groups([runs[run] for run, _ in harvest.rows if run in runs])
    return [[places[run.pk] for run in group] for group in alike]


def _grouped(cells: _Cells, groups: list[list[int]]) -> _Cells:
    """Give the mean of each group of repeats."""
    values, u, shared = (np.full(len(groups), fill) for fill in (np.nan, 0.0, 0.0))
    for place, rows in enumerate(groups):
        good = [row for row in rows if math.isfinite(cells.values[row])]
        if not good:
            continue
        values[place], u[place] = mean_of_repeats(cells.values[good], cells.u[good])
        shared[place] = float(cells.shared[good].mean())
    return _Cells(values, u, shared)
