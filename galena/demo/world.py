"""The Skerry Point Field School: its people, its experiments and its plugged-in rig."""

import contextlib
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor

from django.conf import settings
from django.db import connections

from galena.classroom.models import Lesson, Person
from galena.classroom.views import DEMO_TEACHER
from galena.core.errors import GalenaError
from galena.demo import (
    analyses,
    films,
    formulas,
    harvests,
    lesson,
    recordings,
    straightened,
    written,
)
from galena.experiments import flows as experiment_flows
from galena.experiments.models import Experiment
from galena.lessons import removing

RECORDED = (
    ("Tide tank", (("pump", "mL/s"), ("drain", "")), recordings.tide_tank),
    ("Lamp over distance", (), recordings.lamp_rail),
    ("Falling magnet", (), recordings.magnet_tube),
    ("Cocoa with and without a lid", (), recordings.cocoa),
    ("Wing in the wind duct", (), recordings.wind_duct),
    ("Two horns", (), recordings.two_horns),
    ("Rock pool", (), recordings.rock_pool),
    ("Shaft spring", (), recordings.shaft_spring),
    ("Lantern-room cell", (), recordings.lantern_cell),
    ("Wells running together", (), recordings.linked_wells),
    ("Slipway soap", (), recordings.slipway_soap),
    ("Beam edge", (), recordings.beam_edge),
)
TO_TRY: tuple[tuple[str, list[tuple[str, str]]], ...] = (
    ("Linked wells", [("area of well 1", "m^2"), ("area of well 2", "m^2")]),
    ("Grow-shelf lamps", []),
    ("Tide tank, to try", [("pump", "mL/s"), ("drain", "")]),
)
TYPED = "Gangway"
ANALYSED: dict[str, Callable[[Experiment, Person], None]] = {
    "Tide tank": analyses.tide_tank,
    "Lamp over distance": analyses.lamp,
    "Wing in the wind duct": harvests.wing,
    "Shaft spring": formulas.shaft_spring,
    "Lantern-room cell": formulas.lantern_cell,
    "Wells running together": formulas.linked_wells,
    "Cocoa with and without a lid": formulas.cocoa,
    "Falling magnet": harvests.magnet,
    "Two horns": harvests.horns,
    "Slipway soap": analyses.soap,
    "Beam edge": analyses.beam,
    TYPED: analyses.gangway,
}
STRAIGHTENED: dict[str, Callable[[Experiment, Person], None]] = {
    "Lamp over distance": straightened.lamp,
    "Cocoa with and without a lid": straightened.cocoa,
    "Wing in the wind duct": straightened.wing,
    TYPED: straightened.gangway,
}
FILMED: dict[str, Callable[[Experiment, Person], object]] = {"Shaft spring": films.shaft_spring}
LAST = TO_TRY[-1][0]
AT_ONCE = 4  # rigs that record side by side


def build() -> None:
    """Make the demo world unless it is there already: people, then experiments.

    The experiment made last tells that it is whole; one that was broken off is made anew.
    """
    if Experiment.objects.filter(owner__username=DEMO_TEACHER, title=LAST).exists():
        return
    print("Building the demo world: its runs are recorded, this takes about a minute.", flush=True)
    ada = Person.objects.filter(username=DEMO_TEACHER).first()
    if ada is None:
        ada = Person.objects.create_user(DEMO_TEACHER, first_name="Ada")
    for held in Lesson.objects.filter(teacher=ada):
        removing.remove_lesson(held)
    Experiment.objects.filter(owner=ada).delete()
    experiments = [
        experiment_flows.create(ada, title, list(conditions)) for title, conditions, _ in RECORDED
    ]
    with ThreadPoolExecutor(AT_ONCE) as pool:
        doing = [
            pool.submit(_in_thread, record, recording, ada)
            for recording, (_, _, record) in zip(experiments, RECORDED, strict=True)
        ]
        for task in doing:
            task.result()
    typed = experiment_flows.create(ada, TYPED)
    for experiment in (*experiments, typed):
        for work in (ANALYSED, STRAIGHTENED, FILMED):
            if experiment.title in work:
                work[experiment.title](experiment, ada)
        written.write(experiment, ada)
    seeds = experiment_flows.create(ada, films.SYCAMORE)
    films.sycamore_seeds(seeds, ada)
    written.write(seeds, ada)
    lesson.hold(experiments[0], ada)
    for title, conditions in TO_TRY:
        experiment_flows.create(ada, title, conditions)


def _in_thread(
    record: Callable[[Experiment, Person], None], experiment: Experiment, who: Person
) -> None:
    try:
        record_whole(record, experiment, who)
    finally:
        connections.close_all()


def record_whole(
    record: Callable[[Experiment, Person], None], experiment: Experiment, who: Person
) -> None:
    """Record an experiment; again from the start where the machine was too busy for it."""
    names = [name for title, held, _ in RECORDED if title == experiment.title for name, _ in held]
    for again in (True, True, False):
        try:
            record(experiment, who)
        except (AssertionError, GalenaError, TimeoutError) as error:
            if not again:
                raise
            print(f"{experiment.title} is recorded again: {error}", flush=True)
            _empty(experiment, names)
        else:
            return


def _empty(experiment: Experiment, names: list[str]) -> None:
    """Take all away that a recording has made, but for the conditions there were before."""
    experiment.runs.all().delete()
    experiment.quantities.all().delete()
    experiment.conditions.exclude(name__in=names).delete()


@contextlib.contextmanager
def plugged_in() -> Iterator[None]:
    """Build the world, and have the server plug a rig in."""
    build()
    settings.GALENA_RIGS = settings.GALENA_RIGS or ["tide_tank"]
    yield
