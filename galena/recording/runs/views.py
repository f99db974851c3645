"""The runs beside the trace, and what is known of each: seen, named, put in order, set aside."""

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from galena.bench.models import Calibration
from galena.core.errors import GalenaError
from galena.exchange.formats import FORMATS
from galena.experiments import flows, repeats
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Experiment, Run, Series
from galena.experiments.runs import judging
from galena.experiments.runs.kind import RunKind
from galena.experiments.views import rail_context
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import RunInProgress, Stepping
from galena.recording.runs import recalibrating
from galena.shell import requested
from galena.shell.marks import MARKS

GROUPED = "repeats grouped"  # kept in the session
CHANGED = '{"rail-changed": "", "run-list-changed": ""}'


def run_list(request, experiment_id: int):
    """Give the list of runs as it is now, with repeats together if that is wanted."""
    experiment = experiment_for(request, experiment_id)
    if "group" in request.GET:
        request.session[GROUPED] = request.GET["group"] == "on"
    return _run_list(request, experiment)


@require_POST
def show(request, experiment_id: int, number: int):
    """Show a run in graphs, or hide it."""
    run = run_for(request, experiment_id, number)
    flows.show(run, not run.shown)
    return _run_list(request, run.experiment)


def facts(request, experiment_id: int, number: int):
    """Give what is known of a run, and what can be done with it."""
    return answer_facts(request, run_for(request, experiment_id, number))


@require_POST
def describe(request, experiment_id: int, number: int):
    """Change a run's name, note and conditions."""
    run = run_for(request, experiment_id, number)
    conditions = run.experiment.conditions.all()
    typed = {one.pk: request.POST.get(f"condition-{one.pk}", "")[:80] for one in conditions}
    name, note = request.POST.get("name", ""), request.POST.get("note", "")
    wrong = flows.describe(run, name, note, typed)
    if wrong:
        run.name, run.note = name[:80], note[:200]
        return answer_facts(request, run, typed=typed, wrong=wrong)
    mark = request.POST.get("mark", "")
    if mark:
        flows.choose_mark(run, requested.whole(mark, "Marks", 1, len(MARKS)))
    return answer_facts(request, run, changed=True)


@require_POST
def unuse(request, experiment_id: int, number: int):
    """Mark a run as not to be used, with the reason, or use it again."""
    run = run_for(request, experiment_id, number)
    reason = request.POST.get("reason", "")
    if not run.unused and not reason.strip():
        return answer_facts(
            request, run, "Say why it is not to be used, so that it is known later."
        )
    flows.set_unused(run, reason)
    return answer_facts(request, run, changed=True)


@require_POST
def move(request, experiment_id: int, number: int):
    """Put a run earlier or later in the order of runs."""
    run = run_for(request, experiment_id, number)
    flows.move(run, -1 if request.POST.get("by") == "-1" else 1)
    return answer_facts(request, run, changed=True)


@require_POST
def remove(request, experiment_id: int, number: int):
    """Take a run out; the rail and the list offer to undo it."""
    run = run_for(request, experiment_id, number)
    if run.is_growing:
        return answer_facts(request, run, f"Run {number} is being recorded. Stop it first.")
    flows.remove(run)
    response = HttpResponse('<p class="mb-0" data-gone>It was removed.</p>')
    response["HX-Trigger"] = CHANGED
    return response


@require_POST
def recalibrate(request, experiment_id: int, number: int, series_id: int):
    """Have a finished run go by another calibration, or by none."""
    experiment, run = (
        experiment_for(request, experiment_id),
        run_for(request, experiment_id, number),
    )
    series = get_object_or_404(
        Series.objects.select_related("quantity", "stream__run").exclude(quantity=None),
        stream__run=run,
        pk=series_id,
    )
    wanted = request.POST.get("calibration", "")
    try:
        chosen = None
        if wanted:
            kept = Calibration.objects.kept().select_related("channel__instrument")
            chosen = get_object_or_404(kept, pk=requested.key(wanted))
        recalibrating.recalibrate(experiment, series, chosen)
        judging.look(run)
    except GalenaError as error:
        return answer_facts(request, run, str(error))
    return answer_facts(request, run, changed=True)


def answer_facts(
    request,
    run: Run,
    trouble: str = "",
    *,
    changed: bool = False,
    typed: dict[int, str] | None = None,
    wrong: dict[int, str] | None = None,
):
    runs = run.experiment.runs.kept().select_related("started_by").order_by("number")
    runs = list(runs.prefetch_related("condition_values__condition", "streams__series__quantity"))
    repeats.mark(runs)
    marked = next(one for one in runs if one.pk == run.pk)
    marked.name, marked.note = run.name, run.note  # as typed, where something else is wrong
    held = {one.condition_id: one.text for one in marked.condition_values.all()}
    context = {
        "marks": range(1, len(MARKS) + 1),
        "experiment": run.experiment,
        "run": marked,
        "fields": [
            {
                "condition": one,
                "value": (typed or held).get(one.pk, ""),
                "wrong": (wrong or {}).get(one.pk, ""),
            }
            for one in run.experiment.conditions.all()
        ],
        "corrections": recalibrating.corrections_of([marked])[marked.pk],
        "formats": [(key, key.upper()) for key in FORMATS],
        "trouble": trouble,
        "saved": changed,
    }
    status = 422 if trouble or wrong else 200
    response = render(request, "recording/_facts.html", context, status=status)
    if changed:
        response["HX-Trigger"] = CHANGED
    return response


def _run_list(request, experiment: Experiment):
    return render(request, "recording/_runs.html", runs_context(request, experiment))


def runs_context(request, experiment: Experiment) -> dict:
    """Give the runs with the count of their readings, in groups if that is wanted."""
    context = rail_context(experiment)
    runs = context["runs"]
    counts = _counts(runs)
    for run in runs:
        run.readings = counts.get(run.pk, 0)
    grouped = request.session.get(GROUPED, False)
    newest = sorted(runs, key=lambda run: (run.place, run.number), reverse=True)
    together = repeats.groups(sorted(runs, key=lambda run: run.number)) if grouped else [newest]
    held = RECORDER.recordings.of(experiment.pk)
    return context | {
        "groups": together,
        "grouped": grouped,
        "has_repeats": any(run.repeat_of for run in runs),
        "in_the_making": held.run.pk if isinstance(held, RunInProgress | Stepping) else None,
    }


def _counts(runs: list[Run]) -> dict[int, int]:
    """Count the readings of each run."""
    by_kind: dict[RunKind, list[Run]] = {}
    for run in runs:
        by_kind.setdefault(run.kind, []).append(run)
    return {key: count for kind, of_kind in by_kind.items()
            for key, count in kind.counts(of_kind).items()}  # fmt: skip
