"""The answers to what was asked, kept in memory as long as nothing they depend on changes."""

import json
from collections.abc import Hashable, Iterable
from dataclasses import replace
from typing import Any

import numpy as np

from galena.core import series, units
from galena.core.budget import allowed
from galena.core.errors import GalenaError, SeriesError
from galena.core.fits.together import Set, fit_together
from galena.core.influence import Influence
from galena.desk.errors import DeskError
from galena.desk.findings.building import OfFindings
from galena.desk.findings.questions import FITS, QUESTIONS, Answer, Subject
from galena.desk.findings.questions.basis import Source
from galena.desk.findings.questions.fitted import model_of, stated, weights_of
from galena.desk.models import Finding, Span
from galena.desk.sheets import x_places
from galena.experiments.columns import Placed, over
from galena.experiments.data.cache import Cache
from galena.experiments.data.readings import Readings

RELATED = ("sheet__x", "sheet__experiment", "span", "marker", "second", "run", "quantity")
PATIENCE = 5.0  # seconds that one finding may take
DEEPEST = 8  # findings of findings of findings
MOST_KEPT = 1000  # answers in memory, of up to 10 kB each

_answers: Cache[Answer] = Cache(MOST_KEPT)


def answers(findings: list[Finding]) -> list[Answer]:
    """Work out what each question has for an answer now."""
    of_all = Answers(findings)
    return [of_all.of(one) for one in findings]


class Answers:
    """Answers to some findings and to all that they are built on, each worked out once."""

    def __init__(self, findings: Iterable[Finding]) -> None:
        self.findings = {_key(one): one for one in findings}
        self._load_what_is_used()
        self._answers: dict[Hashable, Answer] = {}
        self._subjects: dict[Hashable, Subject] = {}
        self._doing: list[Hashable] = []
        self._trouble = ""
        self._by_place: dict[tuple[int, int, int], Placed] = {}
        self._read()

    def of(self, finding: Finding) -> Answer:
        """Give the answer to a finding."""
        key = _key(finding)
        if key not in self._answers:
            if key in self._doing or len(self._doing) > DEEPEST:
                return Answer(trouble="This finding is built on itself. Remove one of them.")
            self._doing.append(key)
            try:
                self._answers[key] = self._work_out(finding)
            finally:
                self._doing.remove(key)
        return self._answers[key]

    def subject_of(self, finding: Finding) -> Subject:
        """Give what a question is asked of, with its readings. Raises DeskError."""
        key = _key(finding)
        if key not in self._subjects:
            self._subjects[key] = _subject(finding, self._readings_of(finding).readings)
        return self._subjects[key]

    def _load_what_is_used(self) -> None:
        for _ in range(DEEPEST):
            wanted = {pk for member in self.findings.values() for pk in member.of}
            shared = [member for member in self.findings.values() if member.details.get("shared")]
            missing = wanted - set(self.findings)
            if not (missing or shared):
                return
            wanted_ones = Finding.objects.filter(pk__in=missing)
            for member in shared:
                wanted_ones |= Finding.objects.filter(span=member.span_id, kind=member.kind,
                                                quantity=member.quantity_id)  # fmt: skip
            new = [
                member
                for member in wanted_ones.select_related(*RELATED)
                if member.pk not in self.findings
            ]
            if not new:
                return
            self.findings |= {member.pk: member for member in new}

    def _read(self) -> None:
        sheets = {one.sheet_id: one.sheet for one in self.findings.values()}
        try:
            for key, sheet in sheets.items():
                of_it = [one for one in self.findings.values() if one.sheet_id == key]
                pairs = [(one.run, one.quantity) for one in of_it if one.run and one.quantity]
                read = over(sheet.x, pairs)
                self._by_place |= {(key, *pair): one for pair, one in read.items()}
        except SeriesError as error:
            self._trouble = str(error)

    def _readings_of(self, finding: Finding) -> Placed:
        if self._trouble:
            raise DeskError(self._trouble)
        placed = self._by_place.get((finding.sheet_id, finding.run_id, finding.quantity_id))
        if placed is None:
            raise DeskError(f"Run {finding.run.number} has not both of this sheet's quantities.")
        return placed

    def _work_out(self, finding: Finding) -> Answer:
        if finding.kind not in QUESTIONS:
            return Answer(trouble="This question is not known any more. Remove it.")
        try:
            with allowed(PATIENCE):
                question = QUESTIONS[finding.kind]
                if question.build is not None:
                    return question.build(OfFindings(self, finding))
                if finding.details.get("shared") and not finding.details.get("by_hand"):
                    return self._together(finding)
                placed = self._readings_of(finding)
                return _answer(finding, placed)
        except GalenaError as error:
            return Answer(trouble=str(error))

    def _together(self, finding: Finding) -> Answer:
        """Fit all findings of a span together that share the same parameters."""
        shared = finding.details["shared"]
        group = [member for member in self.findings.values() if _shares(member, finding)]
        group.sort(key=lambda member: member.run.number)
        model = model_of(finding.kind, finding.details)
        subjects = [self.subject_of(member) for member in group]
        weights = [weights_of(member) for member in subjects]
        sets = [Set(member.inside.t, member.inside.y, u)
                for member, u in zip(subjects, weights, strict=True)]  # fmt: skip
        fixed = finding.details.get("fixed") or None
        start = finding.details.get("start") or None
        fits = fit_together(model, sets, shared, start=start, fixed=fixed)
        for member, of_it, u, fitted in zip(group, subjects, weights, fits, strict=True):
            answer = _without_residuals(stated(of_it, fitted, u))
            names = ", ".join(shared)
            self._answers[_key(member)] = answer.but(
                remark=f"{answer.remark}; {names} shared by all runs"
            )
        return self._answers[_key(finding)]

    def source(self, pk: int) -> Source:
        """Give a finding that another is built on. Raises DeskError where it is gone."""
        finding = self.findings.get(pk)
        if finding is None or (finding.run and finding.run.removed_at):
            raise DeskError("The finding that this is built on was taken away.")
        answer = self.of(finding)
        subject = self.subject_of(finding) if finding.run and finding.kind in FITS else None
        return Source(description(finding), answer, subject)

    def influence(self, pk: int, key: str) -> Influence | None:
        """Tell how a number of a finding changes with each of its readings, where it is known."""
        finding = self.findings[pk]
        question = QUESTIONS.get(finding.kind)
        if question is None or question.influence is None or finding.run is None:
            return None
        return question.influence(self.subject_of(finding), self.of(finding), key)

    def readings_key(self, pk: int) -> Hashable:
        """Name the readings that a finding is of."""
        finding = self.findings[pk]
        return finding.run_id, finding.quantity_id, finding.sheet.x_id


def description(finding: Finding) -> str:
    """Name a finding in words: line of A, run 1."""
    if finding.name:
        return finding.name
    label = QUESTIONS[finding.kind].ask if finding.kind in QUESTIONS else finding.kind
    where = f" of {finding.place}" if finding.span or finding.marker else ""
    return f"{label}{where}" + (f", run {finding.run.number}" if finding.run else "")


def details_of(finding: Finding) -> dict[str, Any]:
    """Give what a finding's question was told, with what is meant where it was not."""
    question = QUESTIONS.get(finding.kind)
    return (
        dict(finding.details) if question is None else question.completed_details(finding.details)
    )


def identity(finding: Finding) -> tuple[Hashable, ...]:
    """Give what findings have in common that ask the same of the same quantity."""
    question = QUESTIONS.get(finding.kind)
    inputs = () if question is None else question.identity(finding.details)
    return finding.kind, finding.quantity_id, *inputs


def _shares(finding: Finding, other: Finding) -> bool:
    """Tell whether a finding is fitted together with another."""
    return (
        finding.span_id == other.span_id
        and identity(finding) == identity(other)
        and finding.details.get("shared") == other.details.get("shared")
        and not finding.details.get("by_hand")
        and finding.run.removed_at is None
    )


def _key(finding: Finding) -> Hashable:
    return finding.pk or id(finding)


def _subject(finding: Finding, readings: Readings) -> Subject:
    sheet, quantity = finding.sheet, finding.quantity
    if finding.span:
        places: tuple[float, ...] = (finding.span.lo, finding.span.hi)
        part = series.inside(readings.t, *places)
        inside = readings.at(part).counted
        whole = readings.at(slice(max(0, part.start - 2), part.stop + 2)).counted
    elif finding.marker is None:
        places, inside = (), readings.counted
        whole = inside
    else:
        places = (finding.marker.x,) + ((finding.second.x,) if finding.second else ())
        whole = readings.counted
        inside = whole
    inside, whole = (replace(one, shared=one.shared_by_all, u_zero=0.0) for one in (inside, whole))
    return Subject(
        inside, whole, places, units.parse(sheet.x_unit), units.parse(quantity.unit),
        sheet.x_symbol, quantity.symbol, x_places.x_decimals(sheet, finding.run),
        quantity.decimals, details_of(finding), str(quantity.pk),
        harvested=finding.run is not None and finding.run.kind.is_summary,
    )  # fmt: skip


def _answer(finding: Finding, placed: Placed) -> Answer:
    """Give the answer to a question of readings; kept as long as neither changes."""
    key = (placed.version, *_identity(finding))
    answer = _answers.get(key)
    if answer is None:
        try:
            answer = QUESTIONS[finding.kind].answer(_subject(finding, placed.readings))
        except GalenaError as error:
            answer = Answer(trouble=str(error))
        answer = _without_residuals(answer)  # what is kept must not hold the run's arrays
        _answers.put(key, answer, 1)
    return answer


def _identity(finding: Finding) -> tuple[Hashable, ...]:
    """Give a finding as far as its answer depends on it."""
    sheet, quantity = finding.sheet, finding.quantity
    places = [
        (place.lo, place.hi) if isinstance(place, Span) else place.x
        for place in (finding.span, finding.marker, finding.second)
        if place is not None
    ]
    return (
        finding.kind, tuple(places), sheet.x_unit, sheet.x_symbol, quantity.unit,
        quantity.symbol, quantity.pk, quantity.decimals,
        x_places.x_decimals(sheet, finding.run),
        json.dumps(finding.details, sort_keys=True) if finding.details else "",
    )  # fmt: skip


def _without_residuals(answer: Answer) -> Answer:
    if answer.fit is None:
        return answer
    return replace(answer, fit=replace(answer.fit, residuals=np.empty(0)))
