"""The way to any experiment or run from a request: always through who may see it, and, where the
request changes something, through who may change it.
"""

from django.db.models import QuerySet
from django.http import Http404
from django.shortcuts import get_object_or_404

from galena.classroom.permissions import SAFE, may_see, owned_by, refuse_change
from galena.experiments.models import Experiment, Run
from galena.shell.prepared import prepared_objects


def experiments_of(request):
    """List the experiments on the signed-in person's own list."""
    return owned_by(request.user, Experiment.objects.kept().select_related("owner"))


def experiment_for(request, experiment_id: int) -> Experiment:
    """Give the experiment, or answer that there is none.

    Raises NotYours where the request changes what the person may only see.
    """
    address = request.resolver_match.url_name if request.resolver_match else ""
    kept = prepared_objects("an experiment", _kept, experiment_id)
    if not kept or not may_see(request.user, kept[0], address):
        raise Http404("There is no such experiment.")
    (experiment,) = kept
    if request.method not in SAFE:
        refuse_change(request.user, experiment)
    return experiment


def _kept(experiment: int) -> QuerySet[Experiment]:
    kept = Experiment.objects.kept().filter(pk=experiment)
    return kept.select_related("owner__lesson")


def run_for(request, experiment_id: int, number: int) -> Run:
    """Give a kept run of an experiment, or answer that there is none."""
    experiment = experiment_for(request, experiment_id)
    return get_object_or_404(experiment.runs.kept(), number=number)
