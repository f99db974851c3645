"""What lessons put into registries of the apps below."""

from galena.classroom.models import Person
from galena.classroom.permissions import shows
from galena.experiments import docks
from galena.experiments.models import Experiment
from galena.experiments.runs import register
from galena.lessons.answers_table import Answers
from galena.lessons.models import Task
from galena.lessons.parts import register_parts

DESK = frozenset({"desk", "sheets", "desk-data", "desk-at", "ledger", "events", "rail"})


def register_all() -> None:
    """Register kinds of runs, parts of copies, docks, and who sees what."""
    register(Answers())
    register_parts()
    shows(_desks_shown)
    docks.register(docks.Dock("desk", "lessons/_showing.html", _showing))


def _desks_shown(person: Person, address: str) -> list[int]:
    """Give the experiments whose Desk the teacher shows to a group's lesson now."""
    if address not in DESK:
        return []
    tasks = Task.objects.filter(lesson=person.lesson_id, desk_shown=True, lesson__ended_at=None)
    return list(tasks.values_list("experiment", flat=True))


def _showing(experiment: Experiment) -> dict | None:
    """Give the lessons to which the Desk of an experiment is shown."""
    tasks = Task.objects.filter(experiment=experiment, desk_shown=True, lesson__ended_at=None)
    listed = list(tasks.select_related("lesson"))
    return {"shown_to": [task.lesson for task in listed]} if listed else None
