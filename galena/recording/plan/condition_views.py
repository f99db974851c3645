"""What a run is described by: its conditions, and what is typed with each reading."""

from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from galena.experiments import flows
from galena.experiments.access import experiment_for
from galena.recording.plan.forms import NewCondition, NewEntered
from galena.recording.plan.views import answer_panel
from galena.shell import fields


@require_POST
def add(request, experiment_id: int):
    """Give the experiment a further condition."""
    experiment = experiment_for(request, experiment_id)

    def add_it() -> None:
        flows.add_condition(experiment, **fields.read(NewCondition, request.POST))

    return answer_panel(request, experiment, add_it, "condition")


@require_POST
def drop(request, experiment_id: int, key: int):
    """Take a condition away that no run has a value for."""
    experiment = experiment_for(request, experiment_id)
    condition = get_object_or_404(experiment.conditions, pk=key)
    return answer_panel(request, experiment, lambda: flows.drop_condition(condition), "condition")


@require_POST
def add_entered(request, experiment_id: int):
    """Give the experiment a quantity that is typed with each reading."""
    experiment = experiment_for(request, experiment_id)

    def add_it() -> None:
        flows.add_entered(experiment, **fields.read(NewEntered, request.POST))

    return answer_panel(request, experiment, add_it, "typed")


@require_POST
def drop_entered(request, experiment_id: int, key: int):
    """Take a typed quantity away that nothing was typed for."""
    experiment = experiment_for(request, experiment_id)
    quantity = get_object_or_404(experiment.entered, pk=key)
    return answer_panel(request, experiment, lambda: flows.drop_entered(quantity), "typed")
