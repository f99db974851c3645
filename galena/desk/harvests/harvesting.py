"""Harvests: the same questions of many runs or spans as a table that follows its sources."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass
from uuid import uuid4

import numpy as np
from django.db import transaction
from django.utils import timezone

from galena.core.numbers import decimals_of_text
from galena.core.statistics import describe
from galena.desk.errors import DeskError
from galena.desk.findings.answers import Answers
from galena.desk.findings.questions import Answer, Estimate
from galena.desk.models import Finding, Harvest, Sheet, Span
from galena.experiments import repeats
from galena.experiments.flows import free_symbol, next_number, touch
from galena.experiments.models import HARVESTED, Condition, ConditionValue, Quantity, Run

MOST_ROWS, MOST_COLUMNS = 1000, 24
_doing: ContextVar[tuple[int, ...]] = ContextVar("harvests that are worked out", default=())


@dataclass(frozen=True)
class Column:
    """A column of a harvest: its quantity, a value a row, the standard uncertainty of each by
    itself, and the error that a calibration or a zero brings to all of them, signed."""

    quantity: Quantity
    values: np.ndarray
    u: np.ndarray | None
    shared: np.ndarray | None


@dataclass(frozen=True)
class Rows:
    """The columns of a harvest and what each row was taken from, in words."""

    columns: list[Column]
    names: list[str]


def harvest(
    span: Span, findings: list[Finding], person, runs: list[Run], spans: list[Span],
    *, repeats: bool = False,
) -> Harvest:  # fmt: skip
    """Take the findings of a card over runs, or over several spans of one run, into a table.

    Raises DeskError where there is nothing to take.
    """
    asked = _questions(findings)
    if not asked:
        raise DeskError("Ask something of this span first: a harvest takes its findings.")
    pairs = [(run.pk, one.pk) for one in spans for run in runs]
    if not 1 <= len(pairs) <= MOST_ROWS:
        raise DeskError(f"A harvest has 1 to {MOST_ROWS} rows; here {len(pairs)} would be.")
    sheet, experiment = span.sheet, span.sheet.experiment
    answered = Answers(findings)
    with transaction.atomic():
        number = next_number(experiment)
        run = Run.objects.create(
            experiment=experiment, number=number, place=number, plan=Run.Plan.HARVEST,
            state=Run.State.FINISHED, started_at=timezone.now(), ended_at=timezone.now(),
            started_by=person, shown=True, name=_name(span, spans),
        )  # fmt: skip
        columns = [] if repeats else _places(sheet, span, spans)
        columns += _conditions(experiment, runs)
        for finding in asked:
            columns += _numbers(experiment, finding, answered.of(finding))
        made = Harvest.objects.create(
            run=run, rows=pairs, columns=columns[:MOST_COLUMNS], repeats=repeats
        )
        touch(experiment)
    return made


def _name(span: Span, spans: list[Span]) -> str:
    if len(spans) == 1:
        return f"harvest of {span.name or span}"
    return f"harvest of {spans[0]} to {spans[-1]}"


def _questions(findings: list[Finding]) -> list[Finding]:
    """Give one finding for each question that was asked."""
    found: dict[tuple, Finding] = {}
    for one in findings:
        if one.span_id and not one.details.get("by_hand") and not one.is_built:
            key = (one.kind, one.quantity_id, str(_told(one)))
            found.setdefault(key, one)
    return list(found.values())


def _told(finding: Finding) -> dict:
    """Give the details that go along to other runs: a start that one run had does not."""
    return {k: v for k, v in finding.details.items() if k not in ("by_hand", "shared", "start")}


def _places(sheet: Sheet, span: Span, spans: list[Span]) -> list[dict]:
    """Give the middle of each span as a column, where there are several."""
    if len(spans) < 2:
        return []
    made = _quantity(sheet.experiment, f"middle of the span, {sheet.x_symbol}",
                     f"{_letters(sheet.x_symbol)}_mid", sheet.x_unit, 2)  # fmt: skip
    return [{"quantity": made.pk, "place": True}]


def _conditions(experiment, runs: list[Run]) -> list[dict]:
    held = ConditionValue.objects.filter(run__in=runs, condition__experiment=experiment)
    known = set(held.exclude(value=None).values_list("condition_id", flat=True))
    found = []
    for one in Condition.objects.filter(pk__in=known):
        symbol = f"{_letters(one.symbol or one.name[:1])}_h"
        texts = held.filter(condition=one).values_list("text", flat=True)
        decimals = max((decimals_of_text(text.partition("±")[0]) for text in texts), default=0)
        made = _quantity(experiment, one.name, symbol, one.unit, decimals)
        found.append({"quantity": made.pk, "condition": one.pk})
    return found


def _numbers(experiment, finding: Finding, answer: Answer) -> list[dict]:
    if answer.trouble:
        return []
    found = []
    for one in answer.estimates:
        letters = finding.quantity.symbol
        single = len(answer.estimates) == 1
        name = f"{finding.kind} of {letters}" if single else f"{one.name} of {letters}"
        if one.key == "x":
            symbol = f"{_letters(finding.sheet.x_symbol)}_{_letters(letters)}"
        elif one.key in ("mean", "y"):
            symbol = f"{_letters(letters)}_{finding.kind}"
        else:
            symbol = f"{_letters(one.key)}_{_letters(letters)}"
        made = _quantity(experiment, name, symbol, str(one.unit), _decimals(one))
        asked = {"kind": finding.kind, "of": finding.quantity_id, "details": _told(finding)}
        found.append({"quantity": made.pk, "key": one.key} | asked)
    return found


def _letters(symbol: str) -> str:
    """Give what of a symbol may stand before a subscript."""
    return "".join(one for one in symbol if one.isalnum()) or "q"


def _decimals(one: Estimate) -> int:
    u = one.uncertainty
    if one.decimals is not None and not (math.isfinite(u) and u > 0):
        return one.decimals
    if not (math.isfinite(u) and u > 0):
        return 3
    return min(9, max(0, 1 - math.floor(math.log10(u))))


def _quantity(experiment, name: str, symbol: str, unit: str, decimals: int) -> Quantity:
    return Quantity.objects.create(
        experiment=experiment, name=name[:100], symbol=free_symbol(experiment, symbol[:16]),
        unit=unit, decimals=decimals, source=f"{HARVESTED}{uuid4().hex[:16]}",
    )  # fmt: skip


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
    wanted = [one for one in runs if one.plan == Run.Plan.HARVEST]
    found = {}
    kept = Harvest.objects.filter(run__in=wanted).select_related("run__experiment")
    for one in kept if wanted else ():
        with _once(one.run) as first:
            if first:
                found[one.run_id] = _worked_out(one)
    return found


def _worked_out(one: Harvest) -> Rows:
    quantities = Quantity.objects.in_bulk([column["quantity"] for column in one.columns])
    runs = Run.objects.kept().prefetch_related("condition_values__condition")
    runs = runs.in_bulk([run for run, _ in one.rows])
    spans = Span.objects.select_related("sheet__x", "sheet__experiment")
    spans = spans.in_bulk([span for _, span in one.rows])
    of = Quantity.objects.in_bulk([column["of"] for column in one.columns if "of" in column])
    cells = _cells(one, runs, spans, of)
    groups = _groups(one, runs)
    columns = []
    for place, column in enumerate(one.columns):
        quantity = quantities.get(column["quantity"])
        if quantity is not None:
            cell = _grouped(cells[place], groups) if one.repeats else cells[place]
            u, shared = (part if np.any(part) else None for part in (cell.u, cell.shared))
            columns.append(Column(quantity, cell.values, u, shared))
    names = [_of_row(runs.get(run), spans.get(span)) for run, span in one.rows]
    return Rows(columns, [names[group[0]] for group in groups] if one.repeats else names)


def _of_row(run: Run | None, span: Span | None) -> str:
    return f"{run or 'a run that was removed'}, {span or 'a span that was removed'}"


@dataclass(frozen=True)
class _Cells:
    """Of one column a value a row, NaN where there is nothing, and its uncertainties."""

    values: np.ndarray
    u: np.ndarray
    shared: np.ndarray


def _cells(one: Harvest, runs: dict, spans: dict, of: dict) -> list[_Cells]:
    """Give the cells of each column."""
    count = len(one.rows)
    probes: dict[tuple[int, int], Finding] = {}
    for place, column in enumerate(one.columns):
        for row, (run, span) in enumerate(one.rows):
            if "kind" in column and run in runs and span in spans and column["of"] in of:
                probes[place, row] = Finding(
                    sheet=spans[span].sheet, span=spans[span], kind=column["kind"],
                    run=runs[run], quantity=of[column["of"]], details=column["details"],
                )  # fmt: skip
    answers = Answers(probes.values())
    found = []
    for place, column in enumerate(one.columns):
        values, u, shared = np.full(count, np.nan), np.zeros(count), np.zeros(count)
        for row, (run, span) in enumerate(one.rows):
            known = _known(column, runs.get(run), spans.get(span))
            if (place, row) in probes:
                known = _estimate(answers.of(probes[place, row]), column)
            values[row], u[row], shared[row] = known
        found.append(_Cells(values, u, shared))
    return found


def _known(column: dict, run: Run | None, span: Span | None) -> tuple[float, float, float]:
    if "place" in column and span is not None:
        return (span.lo + span.hi) / 2, 0.0, 0.0
    if "condition" in column and run is not None:
        for one in run.condition_values.all():
            if one.condition_id == column["condition"] and one.value is not None:
                return one.value, one.u or 0.0, 0.0
    return math.nan, 0.0, 0.0


def _estimate(answer: Answer, column: dict) -> tuple[float, float, float]:
    """Give a finding's value, its own uncertainty and what it shares with the other rows."""
    for one in answer.estimates:
        if one.key == column["key"]:
            own = one.own_uncertainty
            shared = sum(part for name, part in one.parts.items() if not name.startswith("fit "))
            return one.value, own if math.isfinite(own) else 0.0, shared
    return math.nan, 0.0, 0.0


def _groups(one: Harvest, runs: dict[int, Run]) -> list[list[int]]:
    """Put the rows of runs that repeat each other together."""
    if not one.repeats:
        return [[row] for row in range(len(one.rows))]
    places = {run: row for row, (run, _) in enumerate(one.rows)}
    found = repeats.groups([runs[run] for run, _ in one.rows if run in runs])
    return [[places[run.pk] for run in group] for group in found]


def _grouped(cells: _Cells, groups: list[list[int]]) -> _Cells:
    """Give the mean of each group, no surer than what is known of each of its members makes it:
    two that agree by chance are no better than two."""
    values, u, shared = (np.full(len(groups), fill) for fill in (np.nan, 0.0, 0.0))
    for place, rows in enumerate(groups):
        good = [row for row in rows if math.isfinite(cells.values[row])]
        if not good:
            continue
        told = describe(cells.values[good])
        known = float(np.linalg.norm(cells.u[good])) / told.count
        scatter = told.standard_error if told.count > 1 else 0.0
        values[place], u[place] = told.mean, max(scatter, known)
        shared[place] = float(cells.shared[good].mean())
    return _Cells(values, u, shared)
