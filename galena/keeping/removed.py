"""What was removed stays for thirty days, can be brought back, and then goes for good."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from galena.classroom.permissions import owned_by
from galena.clips import files
from galena.clips.models import Clip
from galena.core.errors import GalenaError
from galena.experiments import flows, given
from galena.experiments.models import Experiment, Run

STAYS = timedelta(days=30)


class RemovalError(GalenaError):
    """Something cannot be removed now."""


@dataclass(frozen=True)
class Gone:
    """How many were removed for good."""

    experiments: int
    runs: int


def experiments_of(person) -> QuerySet[Experiment]:
    """List the experiments that a person has removed, the latest first."""
    removed = Experiment.objects.removed().select_related("owner")
    return owned_by(person, removed).filter(owner__lesson=None).order_by("-removed_at")


def runs_of(person) -> QuerySet[Run]:
    """List the runs that were removed from experiments that are still there, the latest first."""
    mine = owned_by(person, Experiment.objects.kept()).filter(owner__lesson=None)
    removed = Run.objects.filter(experiment__in=mine).exclude(removed_at=None)
    return removed.select_related("experiment").order_by("-removed_at")


def goes_at(removed_at):
    """Tell when what was removed goes for good."""
    return removed_at + STAYS


def remove(experiment: Experiment) -> None:
    """Take an experiment away for thirty days. Raises RemovalError where it is in use."""
    if experiment.owner.is_group:
        raise RemovalError(
            "This is a group's copy: it goes with the group, from the lesson's page."
        )
    if experiment.runs.filter(state=Run.State.RECORDING).exists():
        raise RemovalError("A run is being recorded in it. Stop that first.")
    if experiment.tasks.filter(lesson__ended_at=None).exists():
        raise RemovalError("A lesson is being held with it. End the lesson first.")
    flows.remove_experiment(experiment)


def delete_experiment(experiment: Experiment) -> None:
    """Delete an experiment for good, with films that nothing else uses.

    Raises RemovalError where a lesson was held with it, which shows it still.
    """
    if experiment.tasks.exists():
        raise RemovalError("A lesson was held with it. Remove that lesson first.")
    folders = set(Clip.objects.filter(experiment=experiment).values_list("folder", flat=True))
    others = Clip.objects.exclude(experiment=experiment).filter(folder__in=folders)
    unused = folders - set(others.values_list("folder", flat=True))
    with transaction.atomic():
        given.delete(experiment)
        transaction.on_commit(lambda: _remove_films(unused))


def _remove_films(folders: set[str]) -> None:
    for folder in filter(None, folders):
        files.remove(folder)


def sweep() -> Gone:
    """Delete for good what was removed more than thirty days ago."""
    before = timezone.now() - STAYS
    old = Experiment.objects.removed().filter(removed_at__lt=before, tasks=None)
    experiments = list(old)
    for experiment in experiments:
        delete_experiment(experiment)
    runs = list(Run.objects.filter(removed_at__lt=before))
    for run in runs:
        given.delete_run(run)
    return Gone(len(experiments), len(runs))
