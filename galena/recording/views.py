"""Record: the plan, starting and stopping, and what a watcher missed of a run."""

from dataclasses import dataclass

import numpy as np
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from galena.bench.live import BENCH
from galena.bench.models import Calibration
from galena.bench.rig_views import rigs_context
from galena.bench.setup import Shown
from galena.core import numbers, plans, second_look
from galena.core.errors import GalenaError, PlanError
from galena.experiments import readings
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Experiment, Series
from galena.experiments.views import rail_context
from galena.recording import recalibrating
from galena.recording.recorder import RECORDER
from galena.shell.marks import as_json

BYTES_A_READING = 16  # a value and, shared by an instrument's channels, a time stamp


@dataclass
class PlanForm:
    """The plan as it stands on the page, with what is wrong in it by field."""

    rate: str
    duration: str
    note: str
    channels: list[int]
    conditions: dict[int, str]
    errors: dict[str, str]


def page(request, experiment_id: int):
    """Show Record."""
    experiment = experiment_for(request, experiment_id)
    context = _runs_context(experiment) | _plan_context(experiment, _last_plan(experiment))
    context |= {"tab": "record", "marks": as_json()} | rigs_context(request)
    return render(request, "recording/page.html", context)


def run_list(request, experiment_id: int):
    """Give the list of runs as it is now."""
    return _run_list(request, experiment_for(request, experiment_id))


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
            chosen = get_object_or_404(kept, pk=int(wanted) if wanted.isdigit() else 0)
        recalibrating.recalibrate(experiment, series, chosen)
    except GalenaError as error:
        return _run_list(request, experiment, str(error))
    return _run_list(request, experiment)


def panel(request, experiment_id: int):
    """Give the plan, or what is being recorded, as it is now."""
    experiment = experiment_for(request, experiment_id)
    return _panel(request, experiment, _last_plan(experiment))


@require_POST
def start(request, experiment_id: int):
    """Start a run as planned, or say what is wrong with the plan."""
    experiment = experiment_for(request, experiment_id)
    form = _typed(request.POST, experiment)
    try:
        plan = plans.steady(form.rate, form.duration)
        RECORDER.start(experiment, plan, form.channels, form.conditions, form.note, request.user)
    except PlanError as error:
        form.errors[error.field] = str(error)
    except GalenaError as error:
        form.errors["start"] = str(error)
    return _panel(request, experiment, form)


@require_POST
def stop(request, experiment_id: int):
    """Stop the run of this experiment."""
    experiment = experiment_for(request, experiment_id)
    current = RECORDER.current
    if current is not None and current.run.experiment_id == experiment.pk:
        RECORDER.stop(current.run.pk, str(request.user))
    return _panel(request, experiment, _last_plan(experiment))


def size(request, experiment_id: int):
    """Say how many readings a plan makes, while it is typed."""
    experiment = experiment_for(request, experiment_id)
    form = _typed(request.GET, experiment)
    return render(request, "recording/_size.html", _size(form))


def missed(request, experiment_id: int, number: int):
    """Give what is stored of a run from an index on, as the live feed would have sent it."""
    run = run_for(request, experiment_id, number)
    try:
        first = max(0, int(request.GET.get("from", "0")))
        place = max(0, int(request.GET.get("stream", "0")))
    except ValueError:
        return HttpResponse("from and stream are whole numbers.", status=400)
    streams = list(run.streams.all())
    if place >= len(streams):
        return HttpResponse("This run has no such stream.", status=404)
    series = Series.objects.filter(stream=streams[place]).exclude(quantity=None)
    found = readings.of_series(list(series.select_related("quantity", "stream__run")))
    count = min(map(len, found))
    table = np.stack([found[0].t[first:count], *(one.y[first:count] for one in found)])
    response = HttpResponse(table.astype("<f8").tobytes(), content_type="application/octet-stream")
    response["X-First-Index"], response["X-Rows"] = str(first), str(len(table))
    return response


def status(request, experiment_id: int):
    """Say what is being recorded, for whoever opens or wakes a page."""
    experiment = experiment_for(request, experiment_id)
    return JsonResponse(_status(experiment))


def _run_list(request, experiment: Experiment, trouble: str = ""):
    context = _runs_context(experiment) | {"trouble": trouble}
    return render(request, "recording/_runs.html", context, status=422 if trouble else 200)


def _runs_context(experiment: Experiment) -> dict:
    """Give the runs, each with what is done to its raw readings."""
    context = rail_context(experiment)
    runs = list(context["runs"].prefetch_related("streams__series__quantity"))
    corrections = recalibrating.corrections_of(runs)
    for run in runs:
        run.corrections = corrections[run.pk]
    return context | {"runs": runs}


def _status(experiment: Experiment) -> dict:
    current = RECORDER.current
    if current is None or current.run.experiment_id != experiment.pk:
        return {"recording": None}
    return {
        "recording": current.run.pk,
        "number": current.run.number,
        "taken": current.count,
        "stored": current.written,
        "planned": current.plan.readings,
        "duration": current.plan.duration,
        "trouble": current.trouble or " ".join(current.missing),
        "streams": [
            {
                "quantities": [_quantity(series.quantity) for series in stored.values],
                "missed": reverse("missed", args=[experiment.pk, current.run.number]),
            }
            for stored in current.stored
        ],
    }


def _quantity(quantity) -> dict:
    return {"symbol": quantity.symbol, "unit": quantity.unit, "source": quantity.source}


def _panel(request, experiment: Experiment, form: PlanForm):
    status_code = 422 if form.errors else 200
    context = _plan_context(experiment, form)
    response = render(request, "recording/_panel.html", context, status=status_code)
    response["HX-Trigger-After-Settle"] = "plan-changed"
    return response


def _plan_context(experiment: Experiment, form: PlanForm) -> dict:
    current = RECORDER.current
    own = current is not None and current.run.experiment_id == experiment.pk
    channels = _channels(experiment)
    known = [one.channel.pk for one in channels]
    chosen = [one for one in form.channels if one in known] or known
    return {
        "experiment": experiment,
        "form": form,
        "channels": [{"shown": one, "chosen": one.channel.pk in chosen} for one in channels],
        "unzeroed": _never_zeroed([one for one in channels if one.channel.pk in chosen]),
        "conditions": [
            {"condition": one, "value": form.conditions.get(one.pk, "")}
            for one in experiment.conditions.all()
        ],
        "current": current if own else None,
        "status": _status(experiment),
        "busy": current if current is not None and not own else None,
    } | _size(form)


def _channels(experiment: Experiment) -> list[Shown]:
    """List the channels that are on in an experiment and give readings now."""
    BENCH.show(experiment)
    return [strip.shown for strip in BENCH.strips_of(experiment)]


def _never_zeroed(channels: list[Shown]) -> second_look.Remark | None:
    """Remark on force-like channels that were not zeroed before the run."""
    return second_look.never_zeroed(
        [
            one.name
            for one in channels
            if one.correction.zero is None and second_look.needs_zero(one.given_unit)
        ]
    )


def _size(form: PlanForm) -> dict:
    try:
        plan = plans.steady(form.rate, form.duration)
    except PlanError:
        return {"count": None}
    size = plan.readings * BYTES_A_READING * max(1, len(form.channels))
    shown = f"{size / 1e6:.1f} MB" if size >= 1e6 else f"{max(1, round(size / 1e3))} kB"
    return {"plan": plan, "count": numbers.grouped(plan.readings), "size": shown}


def _typed(posted, experiment: Experiment) -> PlanForm:
    return PlanForm(
        rate=posted.get("rate", "")[:60],
        duration=posted.get("duration", "")[:60],
        note=posted.get("note", "")[:200],
        channels=[int(one) for one in posted.getlist("channel") if one.isascii() and one.isdigit()],
        conditions={
            condition.pk: posted.get(f"condition-{condition.pk}", "")[:60]
            for condition in experiment.conditions.all()
        },
        errors={},
    )


def _last_plan(experiment: Experiment) -> PlanForm:
    """Suggest what the last run had; a first run gets 20 readings a second for a minute."""
    last = experiment.runs.prefetch_related("condition_values", "streams__series__quantity").last()
    if last is None:
        return PlanForm("20", "60", "", [], {}, {})
    sources = {
        "|".join(series.quantity.source.split("|")[:4])
        for stream in last.streams.all()
        for series in stream.series.all()
        if series.quantity
    }
    return PlanForm(
        rate=f"{last.rate:.9g}" if last.rate >= 1 else plans.duration_in_words(1 / last.rate),
        duration=plans.duration_in_words(last.duration).removesuffix(" s"),
        note="",
        channels=[one.channel.pk for one in _channels(experiment) if one.channel.source in sources],
        conditions={value.condition_id: value.text for value in last.condition_values.all()},
        errors={},
    )
