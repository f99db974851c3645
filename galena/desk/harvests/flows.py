"""Harvesting: the same questions of many runs or spans are put into a table of its own."""

import math

from django.db import transaction
from django.utils import timezone

from galena.core.numbers import decimals_of_text
from galena.desk.errors import DeskError
from galena.desk.findings.answers import Answers
from galena.desk.findings.questions import Answer, Estimate
from galena.desk.harvests.kind import Harvested
from galena.desk.models import Finding, Harvest, Sheet, Span
from galena.experiments.flows import free_symbol, next_number, touch
from galena.experiments.models import Condition, ConditionValue, Quantity, Run

MOST_ROWS, MOST_COLUMNS = 1000, 24


def harvest(
    span: Span, findings: list[Finding], person, runs: list[Run], spans: list[Span],
    *, repeats: bool = False,
) -> Harvest:  # fmt: skip
    """Take the findings of a card over runs, or over several spans of one run, into a table.

    Raises DeskError where there is nothing to take.
    """
    questions = _questions(findings)
    if not questions:
        raise DeskError("Ask something of this span first: a harvest takes its findings.")
    pairs = [(run.pk, one.pk) for one in spans for run in runs]
    if not 1 <= len(pairs) <= MOST_ROWS:
        raise DeskError(f"A harvest has 1 to {MOST_ROWS} rows; here {len(pairs)} would be.")
    sheet, experiment = span.sheet, span.sheet.experiment
    answered = Answers(findings)
    with transaction.atomic():
        number = next_number(experiment)
        run = Run.objects.create(
            experiment=experiment, number=number, place=number, plan=Harvested.key,
            state=Run.State.FINISHED, started_at=timezone.now(), ended_at=timezone.now(),
            started_by=person, shown=True, name=_name(span, spans),
        )  # fmt: skip
        columns = [] if repeats else _places(sheet, span, spans)
        columns += _conditions(experiment, runs)
        for finding in questions:
            columns += _numbers(experiment, finding, answered.of(finding))
        harvested = Harvest.objects.create(
            run=run, rows=pairs, columns=columns[:MOST_COLUMNS], repeats=repeats
        )
        touch(experiment)
    return harvested


def _name(span: Span, spans: list[Span]) -> str:
    if len(spans) == 1:
        return f"harvest of {span.name or span}"
    return f"harvest of {spans[0]} to {spans[-1]}"


def _questions(findings: list[Finding]) -> list[Finding]:
    """Give one finding for each question that was asked."""
    by_question: dict[tuple, Finding] = {}
    for finding in findings:
        if finding.span_id and not finding.details.get("by_hand") and not finding.is_built:
            key = (finding.kind, finding.quantity_id, str(_details(finding)))
            by_question.setdefault(key, finding)
    return list(by_question.values())


def _details(finding: Finding) -> dict:
    """Give the details that go along to other runs: a start that one run had does not."""
    return {k: v for k, v in finding.details.items() if k not in ("by_hand", "shared", "start")}


def _places(sheet: Sheet, span: Span, spans: list[Span]) -> list[dict]:
    """Give the middle of each span as a column, where there are several."""
    if len(spans) < 2:
        return []
    quantity = _quantity(sheet.experiment, f"middle of the span, {sheet.x_symbol}",
                     f"{_letters(sheet.x_symbol)}_mid", sheet.x_unit, 2)  # fmt: skip
    return [{"quantity": quantity.pk, "place": True}]


def _conditions(experiment, runs: list[Run]) -> list[dict]:
    held = ConditionValue.objects.filter(run__in=runs, condition__experiment=experiment)
    with_value = set(held.exclude(value=None).values_list("condition_id", flat=True))
    columns = []
    for condition in Condition.objects.filter(pk__in=with_value):
        symbol = f"{_letters(condition.symbol or condition.name[:1])}_h"
        texts = held.filter(condition=condition).values_list("text", flat=True)
        decimals = max((decimals_of_text(text.partition("±")[0]) for text in texts), default=0)
        quantity = _quantity(experiment, condition.name, symbol, condition.unit, decimals)
        columns.append({"quantity": quantity.pk, "condition": condition.pk})
    return columns


def _numbers(experiment, finding: Finding, answer: Answer) -> list[dict]:
    if answer.trouble:
        return []
    columns = []
    for estimate in answer.estimates:
        letters = finding.quantity.symbol
        single = len(answer.estimates) == 1
        name = f"{finding.kind} of {letters}" if single else f"{estimate.name} of {letters}"
        if estimate.key == "x":
            symbol = f"{_letters(finding.sheet.x_symbol)}_{_letters(letters)}"
        elif estimate.key in ("mean", "y"):
            symbol = f"{_letters(letters)}_{finding.kind}"
        else:
            symbol = f"{_letters(estimate.key)}_{_letters(letters)}"
        quantity = _quantity(experiment, name, symbol, str(estimate.unit), _decimals(estimate))
        question = {"kind": finding.kind, "of": finding.quantity_id, "details": _details(finding)}
        columns.append({"quantity": quantity.pk, "key": estimate.key} | question)
    return columns


def _letters(symbol: str) -> str:
    """Give what of a symbol may stand before a subscript."""
    return "".join(one for one in symbol if one.isalnum()) or "q"


def _decimals(estimate: Estimate) -> int:
    u = estimate.uncertainty
    if estimate.decimals is not None and not (math.isfinite(u) and u > 0):
        return estimate.decimals
    if not (math.isfinite(u) and u > 0):
        return 3
    return min(9, max(0, 1 - math.floor(math.log10(u))))


def _quantity(experiment, name: str, symbol: str, unit: str, decimals: int) -> Quantity:
    return Quantity.objects.create(
        experiment=experiment, name=name[:100], symbol=free_symbol(experiment, symbol[:16]),
        unit=unit, decimals=decimals, kind=Quantity.Kind.HARVESTED,
    )  # fmt: skip
