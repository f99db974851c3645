"""The list of experiments, a new one, and the rail of runs."""

from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from galena.experiments import flows
from galena.experiments.access import experiment_for, experiments_of
from galena.experiments.forms import NewExperiment
from galena.experiments.models import Experiment


def listing(request):
    """List the experiments that the person may see, the last changed first."""
    experiments = experiments_of(request).prefetch_related("runs").order_by("-changed_at")
    shown = [
        {"experiment": one, "runs": sum(run.removed_at is None for run in one.runs.all())}
        for one in experiments
    ]
    return render(request, "experiments/list.html", {"shown": shown})


@require_http_methods(["GET", "POST"])
def new(request):
    """Make an experiment and go to its Bench."""
    form = NewExperiment(request.POST or None)
    if request.method == "POST" and form.is_valid():
        experiment = flows.create(
            request.user, form.cleaned_data["title"], form.cleaned_data["conditions"]
        )
        return redirect("bench", experiment.pk)
    status = 422 if form.errors else 200
    return render(request, "experiments/new.html", {"form": form}, status=status)


@require_POST
def show_run(request, experiment_id: int, number: int):
    """Show or hide a run in the graphs."""
    experiment = experiment_for(request, experiment_id)
    run = experiment.runs.kept().filter(number=number).first()
    if run is None:
        return _rail(request, experiment, gone=number)
    flows.show(run, not run.shown)
    return _rail(request, experiment)


@require_POST
def remove_run(request, experiment_id: int, number: int):
    """Take a run out; the rail offers to undo it."""
    experiment = experiment_for(request, experiment_id)
    run = experiment.runs.kept().filter(number=number).first()
    if run is None:
        return _rail(request, experiment, gone=number)
    if run.state == run.State.RECORDING:
        return _rail(request, experiment, trouble=f"Run {number} is being recorded. Stop it first.")
    flows.remove(run)
    return _rail(request, experiment, removed=run)


@require_POST
def restore_run(request, experiment_id: int, number: int):
    """Undo a removal."""
    experiment = experiment_for(request, experiment_id)
    flows.restore(get_object_or_404(experiment.runs, number=number))
    return _rail(request, experiment)


def rail(request, experiment_id: int):
    """Give the rail as it is now."""
    return _rail(request, experiment_for(request, experiment_id))


def _rail(request, experiment: Experiment, removed=None, gone: int = 0, trouble: str = ""):
    if gone:
        trouble = f"Run {gone} was removed in the meantime, perhaps in another window."
    context = rail_context(experiment) | {"removed": removed, "trouble": trouble}
    response = render(request, "experiments/_rail.html", context)
    response["HX-Trigger-After-Settle"] = "runs-changed"
    return response


def rail_context(experiment: Experiment) -> dict:
    """Give what the rail of runs shows."""
    runs = experiment.runs.kept().prefetch_related("condition_values__condition", "streams")
    return {"experiment": experiment, "runs": runs.select_related("started_by")}
