"""Record as a whole: the plan, the trace or the rows, and the runs."""

from django.shortcuts import render

from galena.bench.rigs.views import rigs_context
from galena.experiments.access import experiment_for
from galena.experiments.docks import docks_of
from galena.experiments.models import Quantity
from galena.recording.plan.views import page_form, plan_context
from galena.recording.runs.views import runs_context
from galena.recording.stepwise.views import steps_context
from galena.shell.marks import as_json


def page(request, experiment_id: int):
    """Show Record."""
    experiment = experiment_for(request, experiment_id)
    form = page_form(request, experiment)
    context = steps_context(request, experiment, form=form)
    context |= plan_context(experiment, form) | runs_context(request, experiment)
    context |= {"tab": "record", "marks": as_json(experiment.chosen_marks)} | rigs_context(request)
    context |= {
        "formulas": experiment.quantities_of(Quantity.Kind.DERIVED),
        "docks": docks_of("record", experiment),
    }
    return render(request, "recording/page.html", context)
