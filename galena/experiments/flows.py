"""All changes to experiments and their runs."""

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from galena.experiments.models import Condition, ConditionValue, Experiment, Run


def create(owner, title: str, conditions: list[tuple[str, str]] = ()) -> Experiment:
    """Make an experiment with conditions, each a name and a unit."""
    with transaction.atomic():
        experiment = Experiment.objects.create(owner=owner, title=title)
        Condition.objects.bulk_create(
            Condition(experiment=experiment, name=name, unit=unit) for name, unit in conditions
        )
    return experiment


def next_number(experiment: Experiment) -> int:
    """Give the number of the next run; the number of a removed run is not used again."""
    return (experiment.runs.aggregate(last=Max("number"))["last"] or 0) + 1


def hold_conditions(run: Run, values: dict[int, str]) -> None:
    """Keep the values of a run's conditions, given by the condition's key."""
    ConditionValue.objects.bulk_create(
        ConditionValue(run=run, condition=condition, text=values.get(condition.pk, "").strip())
        for condition in run.experiment.conditions.all()
    )


def show(run: Run, shown: bool) -> None:
    """Show a run in graphs, or hide it."""
    run.shown = shown
    run.save(update_fields=["shown"])
    touch(run.experiment)


def remove(run: Run) -> None:
    """Take a run out of the experiment; nothing of it is deleted, so this can be undone."""
    run.removed_at = timezone.now()
    run.save(update_fields=["removed_at"])
    touch(run.experiment)


def restore(run: Run) -> None:
    """Undo a removal."""
    run.removed_at = None
    run.save(update_fields=["removed_at"])
    touch(run.experiment)


def touch(experiment: Experiment) -> None:
    """Note that something of an experiment changed."""
    experiment.save(update_fields=["changed_at"])
