"""What the teacher's page of a lesson shows: who is where, what they have found, their reports."""

from __future__ import annotations

import math
from dataclasses import dataclass

from django.utils.timezone import localtime

from galena.classroom.models import Lesson, Person
from galena.lessons import answers_graph, summary
from galena.lessons.coming_in import word
from galena.lessons.done import Work, steps_of, work_of
from galena.lessons.everyone import Everyone, Given, of_question
from galena.lessons.live import PRESENCE
from galena.lessons.models import ClassQuestion, Copy, HandIn
from galena.recording.engine.recorder import RECORDER


@dataclass(frozen=True)
class Row:
    """A group on the teacher's page."""

    group: Person
    copy: Copy | None
    word: str
    runs: int
    where: str
    is_here: bool
    steps: str
    answer: Given | None
    answer_text: str
    is_odd: bool
    hand_in: HandIn | None
    report: str
    loans: list


def rows(lesson: Lesson, everyone: Everyone | None) -> list[Row]:
    """List the groups, in the order in which they came in."""
    groups = list(
        lesson.groups.select_related("copy__experiment", "copy__experiment__report").order_by("pk")
    )
    copies = [group.copy for group in groups if hasattr(group, "copy")]
    work = work_of(copies)
    loans: dict[int, list] = {}
    for loan in lesson.loans.filter(back_at=None).select_related("instrument"):
        loans.setdefault(loan.group_id, []).append(loan)
    answers = {given.group.pk: given for given in everyone.given} if everyone else {}
    odd = summary.odd_one(everyone) if everyone else None
    steps = lesson.task.steps
    return [
        _row(group, work, loans.get(group.pk, []), answers.get(group.pk), odd, everyone, steps)
        for group in groups
    ]


def _row(group, work: Work, loans, answer, odd, everyone, steps) -> Row:
    copy = getattr(group, "copy", None)
    runs = len(work.runs[copy.pk]) if copy else 0
    where, is_here = where_is(group, copy)
    hand_in = work.hand_ins.get(copy.pk) if copy else None
    return Row(
        group, copy, word(group), runs, where, is_here, _steps(steps, work, copy), answer,
        answers_graph.text_of(answer, everyone) if answer else "",
        odd is not None and answer is not None and odd.given.group.pk == group.pk,
        hand_in, _report(copy, hand_in), loans,
    )  # fmt: skip


def where_is(group: Person, copy: Copy | None) -> tuple[str, bool]:
    """Say where a group is, and whether it is there now."""
    if copy is not None and RECORDER.recordings.of(copy.experiment_id) is not None:
        return "recording now", True
    seen, away = PRESENCE.where(group.pk), PRESENCE.away_for(group.pk)
    page = f"now at {seen.page}" if seen and seen.page else "here"
    if away is None:
        return page, True
    if math.isinf(away):
        return "away", False
    minutes = max(1, round(away / 60))
    return f"away for {minutes} min", False


def _steps(steps: list[dict], work: Work, copy: Copy | None) -> str:
    counted = [step for step in steps_of(steps, work, copy) if step.done] if copy else []
    if not counted:
        return ""
    return f"{sum(bool(step.told) for step in counted)} of {len(counted)}"


def _report(copy: Copy | None, hand_in: HandIn | None) -> str:
    if hand_in is not None:
        at = hand_in.handed_back_at or hand_in.handed_in_at
        again = f" ({hand_in.number})" if hand_in.number > 1 else ""
        return f"{hand_in.state}{again} {localtime(at):%H:%M}"
    report = getattr(copy.experiment, "report", None) if copy else None
    return "writing" if report is not None and report.version > 1 else ""


def question_of(lesson: Lesson, key: int | None) -> ClassQuestion | None:
    """Give the question that is shown: the one asked for, or the newest."""
    questions = list(lesson.questions.all())
    wanted = [question for question in questions if question.pk == key]
    return wanted[0] if wanted else next(reversed(questions), None)


def answers_context(question: ClassQuestion | None, *, named: bool = True,
                    own: int | None = None, in_a_row: bool = False) -> dict:  # fmt: skip
    """Give what the column of everyone's answers shows."""
    if question is None:
        return {"question": None, "everyone": None}
    everyone = of_question(question)
    return {
        "question": question,
        "everyone": everyone,
        "graph": answers_graph.draw(everyone, named=named, own=own, in_a_row=in_a_row),
        "lines": summary.lines(everyone),
        "judgement": summary.judgement(everyone),
        "odd": summary.odd_one(everyone),
        "named": named,
        "missing": [given for given in everyone.given if not given.is_there],
        "left_out": [given for given in everyone.answered if given.reason],
    }
