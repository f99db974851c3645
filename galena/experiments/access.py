"""The way to any experiment or run from a request: always through who may see it."""

from django.shortcuts import get_object_or_404

from galena.classroom.permissions import visible_to
from galena.experiments.models import Experiment, Run


def experiments_of(request):
    """List the experiments that the signed-in person may see."""
    return visible_to(request.user, Experiment.objects.select_related("owner"))


def experiment_for(request, experiment_id: int) -> Experiment:
    """Give the experiment, or answer that there is none."""
    return get_object_or_404(experiments_of(request), pk=experiment_id)


def run_for(request, experiment_id: int, number: int) -> Run:
    """Give a kept run of an experiment, or answer that there is none."""
    experiment = experiment_for(request, experiment_id)
    return get_object_or_404(experiment.runs.kept(), number=number)
