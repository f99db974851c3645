"""Everyone's answers: one question asked of all copies, or numbers that the groups typed."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from galena.classroom.models import Person
from galena.core import pooling, units
from galena.core.errors import GalenaError, UnitError
from galena.core.numbers import decimals_for_steps, fixed
from galena.core.statistics import effective_count
from galena.desk.findings.answers import RELATED, Answers
from galena.desk.findings.questions import QUESTIONS, Answer, Estimate
from galena.desk.models import Finding, Span
from galena.experiments.models import Quantity, Run, Series
from galena.lessons.errors import LessonError
from galena.lessons.models import ClassQuestion

TYPED, NAMED = "typed", "named"
CALLED_FEW = 30  # degrees of freedom below which an uncertainty is itself uncertain


@dataclass(frozen=True)
class Given:
    """A group's answer, in the question's unit; `dof` are those of its uncertainty.

    origin: the key of what its readings are stored in, the same for all who worked on a shared
    run. trouble: why there is no answer. reason: why it is left out. text: as it was typed, where
    it was. stretch: the span in words; left_over:
    the standard deviation that its fit leaves over.
    """

    group: Person
    value: float = math.nan
    u: float = math.nan
    dof: float = math.inf
    origin: int | None = None
    run: str = ""
    trouble: str = ""
    reason: str = ""
    text: str = ""
    stretch: str = ""
    left_over: float = math.nan
    left_over_unit: str = ""

    @property
    def is_there(self) -> bool:
        return math.isfinite(self.value)


@dataclass(frozen=True)
class Everyone:
    """All answers to a question: those that are there, in the order of the groups."""

    question: ClassQuestion
    given: list[Given]
    shared: bool = False  # whether some rest on the same readings
    pooled: pooling.Pooled | None = field(default=None)
    all_pooled: pooling.Pooled | None = field(default=None)  # with those left out

    @property
    def answered(self) -> list[Given]:
        return [one for one in self.given if one.is_there]

    @property
    def counted(self) -> list[Given]:
        return [one for one in self.answered if not one.reason]


def of_question(question: ClassQuestion, groups: list[Person] | None = None) -> Everyone:
    """Ask a question of all copies as they are now."""
    if groups is None:
        groups = list(question.lesson.groups.select_related("copy__experiment").order_by("pk"))
    reasons = dict(question.left_out.values_list("group", "reason"))
    answered = _typed(question) if question.kind == TYPED else _asked(question, groups)
    given = [
        _with_reason(answered.get(group.pk) or Given(group), reasons.get(group.pk, ""))
        for group in groups
    ]
    everyone = Everyone(question, given)
    counted, answers = everyone.counted, everyone.answered
    return Everyone(
        question, given, _are_shared(counted), _pooled(counted),
        _pooled(answers) if len(answers) > len(counted) else None,
    )  # fmt: skip


def _with_reason(given: Given, reason: str) -> Given:
    return Given(**(vars(given) | {"reason": reason}))


def _typed(question: ClassQuestion) -> dict[int, Given]:
    return {
        answer.group_id: Given(
            answer.group, answer.value, math.nan if answer.u is None else answer.u,
            text=answer.text,
        )
        for answer in question.typed.select_related("group")
    }  # fmt: skip


def _asked(question: ClassQuestion, groups: list[Person]) -> dict[int, Given]:
    copies = {group.copy.experiment_id: group for group in groups if getattr(group, "copy", None)}
    findings = _findings(question, list(copies))
    answers = Answers(findings.values())
    origins = _origins({finding.run_id for finding in findings.values() if finding.run_id})
    given = {}
    for experiment, group in copies.items():
        finding = findings.get(experiment)
        if finding is None:
            given[group.pk] = Given(group, trouble=_not_asked(question))
        else:
            given[group.pk] = _given(question, group, finding, answers, origins)
    return given


def _not_asked(question: ClassQuestion) -> str:
    if question.kind == NAMED:
        return f"no finding is called {question.symbol}"
    return f"no span {question.details.get('span', '')} with readings"


def _findings(question: ClassQuestion, experiments: list[int]) -> dict[int, Finding]:
    """Give for each copy the finding that was asked there, or else the question of its span."""
    kept = Finding.objects.filter(sheet__experiment__in=experiments).select_related(*RELATED)
    kept = kept.exclude(run__removed_at__isnull=False)
    if question.kind == NAMED:
        found = kept.filter(name=question.symbol)
        return {finding.sheet.experiment_id: finding for finding in found.order_by("pk")}
    details = question.details
    asked = kept.filter(
        kind=question.kind, span__letter=details["span"], quantity__symbol=details["quantity"],
    )  # fmt: skip
    findings = {
        finding.sheet.experiment_id: finding
        for finding in asked.order_by("run__number", "pk")
        if not finding.details.get("by_hand")
    }
    missing = [key for key in experiments if key not in findings]
    return _probes(question, missing) | findings


def _probes(question: ClassQuestion, experiments: list[int]) -> dict[int, Finding]:
    """Ask the spans of copies where nobody has: of the newest run that is shown."""
    details = question.details
    spans = Span.objects.filter(sheet__experiment__in=experiments, letter=details["span"])
    newest = _newest_runs(experiments, details["quantity"])
    probes = {}
    for span in spans.select_related("sheet__x", "sheet__experiment").order_by("pk"):
        key = span.sheet.experiment_id
        if key in newest:
            run, quantity = newest[key]
            probes[key] = Finding(
                sheet=span.sheet, span=span, kind=question.kind, run=run, quantity=quantity,
                details=dict(details.get("told", {})),
            )  # fmt: skip
    return probes


def _newest_runs(experiments: list[int], symbol: str) -> dict[int, tuple[Run, Any]]:
    measured = Series.objects.filter(
        quantity__symbol=symbol, quantity__experiment__in=experiments,
        stream__run__removed_at=None, stream__run__shown=True,
    )  # fmt: skip
    measured = measured.select_related("quantity", "stream__run").order_by("stream__run__number")
    return {
        series.quantity.experiment_id: (series.stream.run, series.quantity) for series in measured
    }


def _origins(runs: set[int]) -> dict[int, int]:
    """Tell where the readings of each run are stored: by the first series of it."""
    series = Series.objects.filter(stream__run__in=runs, quantity=None).order_by("-pk")
    return {one.stream.run_id: one.holder_id for one in series.select_related("stream")}


def _given(
    question: ClassQuestion, group: Person, finding: Finding, answers: Answers, origins: dict
) -> Given:  # fmt: skip
    run = str(finding.run) if finding.run else ""
    answer = answers.of(finding)
    if answer.trouble:
        return Given(group, run=run, trouble=answer.trouble)
    estimate = _wanted(answer, question.details.get("number", ""))
    if estimate is None:
        return Given(group, run=run, trouble="this finding has no such number")
    if not question.unit:  # nobody had such a span yet when it was asked
        question.unit = str(estimate.unit)
        ClassQuestion.objects.filter(pk=question.pk, unit="").update(unit=question.unit)
    try:
        unit = units.parse(question.unit)
        factor, shift = units.affine(estimate.unit, unit)
    except UnitError:
        return Given(group, run=run, trouble=f"it is in {estimate.unit_text or 'no unit'}")
    return Given(
        group, estimate.value * factor + shift, estimate.uncertainty * abs(factor),
        _freedom(answers, finding, answer), origins.get(finding.run_id), run,
        stretch=_stretch(finding), **_left_over(finding, answer),
    )  # fmt: skip


def _stretch(finding: Finding) -> str:
    span, sheet = finding.span, finding.sheet
    if span is None:
        return ""
    decimals = decimals_for_steps((span.hi - span.lo) / 100)
    unit = f" {units.shown(sheet.x_unit)}" if sheet.x_unit else ""
    return f"{fixed(span.lo, decimals)} to {fixed(span.hi, decimals)}{unit}"


def _left_over(finding: Finding, answer: Answer) -> dict[str, Any]:
    if answer.fit is None or finding.quantity is None:
        return {}
    return {"left_over": float(answer.fit.residual_sd),
            "left_over_unit": units.shown(finding.quantity.unit)}  # fmt: skip


def _wanted(answer: Answer, key: str) -> Estimate | None:
    if not key:
        return answer.estimates[0] if answer.estimates else None
    return next((one for one in answer.estimates if one.key == key), None)


def _freedom(answers: Answers, finding: Finding, answer: Answer) -> float:
    """Give the degrees of freedom of an uncertainty; endless where it does not rest on a few
    readings, or nobody knows."""
    if answer.fit is not None:
        return float(answer.fit.dof) if answer.fit.dof > 0 else math.inf
    if finding.kind != "mean" or finding.run is None:
        return math.inf
    try:
        inside = answers.subject_of(finding).inside
        return max(1.0, effective_count(inside.y) - 1)
    except GalenaError:
        return math.inf


def _are_shared(given: list[Given]) -> bool:
    origins = [one.origin for one in given if one.origin is not None]
    return len(set(origins)) < len(origins)


def _pooled(given: list[Given]) -> pooling.Pooled | None:
    """Put answers together; those that rest on the same readings count as one."""
    if not given:
        return None
    values = np.array([one.value for one in given])
    us = np.array([one.u if math.isfinite(one.u) and one.u > 0 else math.nan for one in given])
    dof = np.array([one.dof for one in given])
    few = dof if np.all(np.isfinite(us)) and np.any(dof < CALLED_FEW) else None
    groups = [one.origin if one.origin is not None else -1 - k for k, one in enumerate(given)]
    return pooling.pool_shared(values, us, groups, dof=few)


def kinds() -> list[tuple[str, str]]:
    """List the questions that can be asked of a span of each copy."""
    return [(key, one.ask) for key, one in QUESTIONS.items() if one.of == "span" and not
            one.needs_telling() and one.answer is not None]  # fmt: skip


def completed(lesson, asked: dict[str, Any]) -> dict[str, Any]:
    """Fill in of a question of spans what was not typed: quantity, number and unit, as the
    lesson's experiment or the first copy that has such a span shows them. Raises LessonError."""
    details = dict(asked["details"])
    quantities = Quantity.objects.filter(experiment=lesson.task.experiment)
    named = quantities.filter(symbol=details["quantity"]) if details["quantity"] else quantities
    quantity = named.exclude(kind=Quantity.Kind.HARVESTED).order_by("kind", "-pk").first()
    if quantity is None:
        raise LessonError(f"There is no quantity “{details['quantity']}” here.", "quantity")
    details["quantity"] = quantity.symbol
    asked = asked | {"details": details}
    estimate = _example(lesson, asked)
    if estimate is not None:
        details["number"] = details["number"] or estimate.key
        words = asked["words"]
        if words == f"{QUESTIONS[asked['kind']].ask} of {details['span']}":
            asked["words"] = f"{estimate.name} of {details['span']}"
        return asked | {"details": details, "unit": asked["unit"] or str(estimate.unit)}
    return asked


def _example(lesson, asked: dict[str, Any]) -> Estimate | None:
    """Give the number that is asked for, as one of the copies or the original has it now."""
    experiments = [copy.experiment_id for copy in lesson.copies.all()]
    probe = ClassQuestion(lesson=lesson, **asked)
    for finding in _findings(probe, [*experiments, lesson.task.experiment_id]).values():
        answer = Answers([finding]).of(finding)
        if not answer.trouble and (estimate := _wanted(answer, asked["details"]["number"])):
            return estimate
    return None
