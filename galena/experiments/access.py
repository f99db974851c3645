"""The way to any experiment or run from a request: always through who may see it, and, where the
request changes something, through who may change it.
"""

from django.shortcuts import get_object_or_404

from galena.classroom.permissions import SAFE, owned_by, refuse_change, visible_to
from galena.experiments.models import Experiment, Run


def experiments_of(request):
    """List the experiments on the signed-in person's own list."""
    return owned_by(request.user, Experiment.objects.kept().select_related("owner"))


def experiment_for(request, experiment_id: int) -> Experiment:
    """Give the experiment, or answer that there is none.

    Raises NotYours where the request changes what the person may only see.
    """
    address = request.resolver_match.url_name if request.resolver_match else ""
    everything = Experiment.objects.kept().select_related("owner__lesson")
    seen = visible_to(request.user, everything, address)
    experiment = get_object_or_404(seen, pk=experiment_id)
    if request.method not in SAFE:
        refuse_change(request.user, experiment)
    return experiment


def run_for(request, experiment_id: int, number: int) -> Run:
    """Give a kept run of an experiment, or answer that there is none."""
    experiment = experiment_for(request, experiment_id)
    return get_object_or_404(experiment.runs.kept(), number=number)
