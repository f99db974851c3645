"""What counts as done in a step of a task: the step then ticks itself."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from datetime import datetime

from django.utils.timezone import localtime

from galena.bench.models import Zero
from galena.desk.findings.questions import QUESTIONS
from galena.desk.models import Finding
from galena.experiments.models import Run
from galena.experiments.runs import KINDS
from galena.lessons.models import Copy, HandIn, TypedAnswer

PAGES = {"bench": "Bench", "record": "Record", "desk": "Desk", "report": "Report"}


@dataclass
class Work:
    """What some groups have done: by the key of a copy, or of a group where that is said."""

    runs: dict[int, list[Run]] = field(default_factory=lambda: defaultdict(list))
    findings: dict[int, list[Finding]] = field(default_factory=lambda: defaultdict(list))
    zeros: dict[int, datetime] = field(default_factory=dict)  # by group
    hand_ins: dict[int, HandIn] = field(default_factory=dict)  # the newest, without its page
    answers: dict[int, int] = field(default_factory=dict)  # typed answers, by group


def work_of(copies: Iterable[Copy]) -> Work:
    """Look at the work of some groups, with as many queries as for one."""
    copies = list(copies)
    by_experiment = {copy.experiment_id: copy for copy in copies}
    by_group = {copy.group_id: copy for copy in copies}
    work = Work()
    for run in Run.objects.kept().filter(experiment__in=by_experiment).order_by("number"):
        work.runs[by_experiment[run.experiment_id].pk].append(run)
    found = Finding.objects.filter(sheet__experiment__in=by_experiment)
    for finding in found.select_related("sheet", "run").order_by("pk"):
        copy = by_experiment[finding.sheet.experiment_id]
        if finding.pk > copy.last_finding and not (finding.run and finding.run.removed_at):
            work.findings[copy.pk].append(finding)
    for zero in Zero.objects.filter(set_by__in=by_group, undone_at=None).order_by("-set_at"):
        work.zeros[zero.set_by_id] = zero.set_at
    for hand_in in HandIn.objects.filter(copy__in=copies).defer("page", "text").order_by("number"):
        work.hand_ins[hand_in.copy_id] = hand_in
    for answer in TypedAnswer.objects.filter(group__in=by_group):
        work.answers[answer.group_id] = work.answers.get(answer.group_id, 0) + 1
    return work


@dataclass(frozen=True)
class Done:
    """Something that counts as done; told: says that it is, or nothing."""

    words: str
    told: Callable[[Work, Copy], str]


def _zero(work: Work, copy: Copy) -> str:
    at = work.zeros.get(copy.group_id)
    return f"done {localtime(at):%H:%M}" if at is not None else ""


def _run(work: Work, copy: Copy) -> str:
    own = [run for run in work.runs[copy.pk]
           if KINDS[run.plan].is_recorded and run.started_by_id == copy.group_id]  # fmt: skip
    return _runs(own)


def _any_run(work: Work, copy: Copy) -> str:
    return _runs(work.runs[copy.pk])


def _runs(runs: list[Run]) -> str:
    if not runs:
        return ""
    return str(runs[0]) if len(runs) == 1 else f"{len(runs)} runs"


def _finding(kind: str) -> Callable[[Work, Copy], str]:
    def told(work: Work, copy: Copy) -> str:
        asked = [one for one in work.findings[copy.pk] if kind in ("", one.kind)]
        if not asked:
            return ""
        return "asked" if len(asked) == 1 else f"{len(asked)} findings"

    return told


def _report(work: Work, copy: Copy) -> str:
    hand_in = work.hand_ins.get(copy.pk)
    return "" if hand_in is None else f"handed in {localtime(hand_in.handed_in_at):%H:%M}"


def _answer(work: Work, copy: Copy) -> str:
    return "answered" if work.answers.get(copy.group_id) else ""


DONE: dict[str, Done] = {
    "zero": Done("an instrument is zeroed", _zero),
    "run": Done("a run is recorded", _run),
    "any-run": Done("a run is in their copy", _any_run),
    "finding": Done("something is asked", _finding("")),
    "answer": Done("a number is typed", _answer),
    "report": Done("the report is handed in", _report),
}


def choices() -> list[tuple[str, str]]:
    """List what can count as done, with a question of the Desk as `finding:<its key>`."""
    listed = [(key, done.words) for key, done in DONE.items()]
    asked = [(f"finding:{key}", f"“{question.ask}” is asked")
             for key, question in QUESTIONS.items() if question.of == "span"]  # fmt: skip
    return [*listed, *asked]


def told(key: str, work: Work, copy: Copy) -> str:
    """Say that a step is done and how; nothing where it is not, or nothing counts."""
    if key.startswith("finding:"):
        return _finding(key.partition(":")[2])(work, copy)
    return DONE[key].told(work, copy) if key in DONE else ""


@dataclass(frozen=True)
class Step:
    """A step of a task as a group sees it."""

    number: int
    page: str
    page_name: str
    text: str
    done: str
    told: str
    is_next: bool


def steps_of(steps: list[dict], work: Work, copy: Copy) -> list[Step]:
    """Give the steps of a task with what is done; the first that counts and is not is next."""
    listed, pointed = [], False
    for number, step in enumerate(steps, start=1):
        said = told(step["done"], work, copy)
        is_next = not pointed and bool(step["done"]) and not said
        pointed = pointed or is_next
        listed.append(
            Step(number, step["page"], PAGES.get(step["page"], ""), step["text"], step["done"],
                 said, is_next)
        )  # fmt: skip
    return listed
