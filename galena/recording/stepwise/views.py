"""The middle of Record for stepwise runs: the next setting, the live mean, the rows taken."""

from django.db.models import QuerySet
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from galena.core import numbers
from galena.core.errors import ConditionError, GalenaError, PlanError
from galena.core.stepping import next_setting
from galena.experiments.access import experiment_for, run_for
from galena.experiments.errors import CannotType
from galena.experiments.models import Experiment, Quantity, Run
from galena.experiments.runs import judging
from galena.experiments.runs.stepwise import Row, StepTable, tables, unchanged_rows
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Stepping, Wish
from galena.recording.plan import form as plan_form
from galena.recording.plan.views import live_channels, page_form
from galena.recording.runs import views as run_views
from galena.recording.stepwise import stepper
from galena.shell.prepared import prepared_objects

ENTERED = Quantity.Kind.ENTERED


def steps(request, experiment_id: int):
    """Give the rows as they are now."""
    return _steps(request, experiment_for(request, experiment_id))


@require_POST
def take(request, experiment_id: int):
    """Take a reading with the setting that is typed; the first one begins the run."""
    experiment = experiment_for(request, experiment_id)
    live = live_channels(experiment)
    form = plan_form.read_as(Run.Plan.STEPWISE, request.POST, experiment, live, request.user)
    quantities = [one for one in experiment.quantities_of(ENTERED) if one.pk in form.typed]
    wish = Wish(experiment, form.channels, form.conditions, form.note, request.user)
    try:
        remark = stepper.take(RECORDER, wish, form.stepwise(), quantities, form.settings)
    except (PlanError, ConditionError) as error:
        return _steps(request, experiment, form=form, trouble=str(error))
    except CannotType as error:
        return _steps(request, experiment, form=form, wrong=error.quantity, trouble=str(error))
    except GalenaError as error:
        return _steps(request, experiment, form=form, trouble=str(error))
    if "kind-shown" in request.POST:  # the plan is on the page only before the first reading
        plan_form.keep(form, experiment, request.user, note=False)
    return _steps(request, experiment, notice=remark, event="step-taken")


@require_POST
def again(request, experiment_id: int, number: int, row: int):
    """Take the reading of a row again, in its place."""
    run = run_for(request, experiment_id, number)
    try:
        stepper.take_again(RECORDER, run, row, request.user)
    except GalenaError as error:
        return _steps(request, run.experiment, trouble=str(error))
    return _steps(request, run.experiment, notice=f"Row {row} was taken again.", event="step-again")


@require_POST
def correct(request, experiment_id: int, number: int, row: int, quantity_id: int):
    """Correct what was typed in a row."""
    run = run_for(request, experiment_id, number)
    quantity = get_object_or_404(run.experiment.entered, pk=quantity_id)
    try:
        text = request.POST.get("value", "")[:40]
        stepper.correct(RECORDER, run, row, quantity, text, request.user)
        judging.look(run)
    except GalenaError as error:
        return _steps(request, run.experiment, run=run, trouble=str(error))
    response = _steps(request, run.experiment, run=run, notice=f"Row {row} was corrected.")
    response["HX-Trigger"] = run_views.CHANGED
    return response


@require_POST
def go_on(request, experiment_id: int, number: int):
    """Go on with a stepwise run, on another day perhaps."""
    run = run_for(request, experiment_id, number)
    try:
        stepper.go_on(RECORDER, run, request.user)
    except GalenaError as error:
        if _from_rows(request):
            return _steps(request, run.experiment, trouble=str(error))
        return run_views.answer_facts(request, run, str(error))
    if _from_rows(request):
        return _steps(request, run.experiment)
    return run_views.answer_facts(request, run, changed=True)


def _from_rows(request) -> bool:
    return request.headers.get("HX-Target") == "steps"


def steps_context(
    request,
    experiment: Experiment,
    *,
    run: Run | None = None,
    form: plan_form.PlanForm | None = None,
    wrong: int | None = None,
    trouble: str = "",
    notice: str = "",
) -> dict:
    """Give the rows of the stepwise run in the making, or of the last one, and what comes next."""
    form = form or page_form(request, experiment)
    recording = RECORDER.recordings.of(experiment.pk)
    stepping = recording if isinstance(recording, Stepping) else None
    own = stepping is not None
    run = stepping.run if stepping else run or _last(experiment)
    table = tables([run]).get(run.pk) if run is not None else None
    typed = [one for one in experiment.quantities_of(ENTERED) if one.pk in form.typed]
    return {
        "experiment": experiment,
        "in_making": own,
        "version": f"{stepping.run.pk} {stepping.version}" if own else " ",
        "run": run,
        "table": table,
        "rows": _rows(table, live=own) if table else [],
        "fields": [
            {
                "quantity": one,
                "value": form.settings.get(one.pk, _next(table, one.pk) if own else ""),
                "wrong": one.pk == wrong,
            }
            for one in typed
        ],
        "live": _chosen(form, stepping),
        "trouble": trouble,
        "notice": notice,
        "points": _points(table),
    }


def _steps(request, experiment: Experiment, event: str = "steps-shown", **more):
    context = steps_context(request, experiment, **more)
    status = 422 if more.get("trouble") else 200
    response = render(request, "recording/_steps.html", context, status=status)
    response["HX-Trigger-After-Settle"] = event
    return response


def _chosen(form: plan_form.PlanForm, stepping: Stepping | None):
    """Give the channels that a reading is taken of: those of the run, or those ticked."""
    if stepping is not None:
        return [one for group in stepping.shown for one in group]
    return [one for one in form.live if one.channel.pk in form.channels] or form.live


def _last(experiment: Experiment) -> Run | None:
    kept = prepared_objects("last stepwise run", _last_stepwise, experiment.pk)
    return next(iter(kept), None)


def _last_stepwise(experiment: int) -> QuerySet[Run]:
    of_rows = Run.objects.kept().filter(experiment=experiment, plan=Run.Plan.STEPWISE)
    return of_rows.order_by("-number")[:1]


def _next(table: StepTable | None, key: int) -> str:
    if table is None:
        return ""
    return next_setting([row.entries[key].text for row in table.rows if key in row.entries])


def _rows(table: StepTable, *, live: bool) -> list[dict]:
    remarks = unchanged_rows(table, live=live)
    return [
        {
            "number": row.number,
            "entered": [_entered(row, one.pk) | {"quantity": one} for one in table.entered],
            "measured": [
                {
                    "text": _shown(row.taken, one),
                    "before": ", ".join(_shown(old, one) for old in row.earlier),
                }
                for one in table.measured
            ],
            "remark": remarks.get(place),
        }
        for place, row in enumerate(table.rows)
    ]


def _entered(row: Row, key: int) -> dict:
    entry = row.entries.get(key)
    before = [one.text for one in row.corrected if one.quantity_id == key]
    return {"text": entry.text if entry else "", "before": ", ".join(before)}


def _shown(taken, quantity) -> str:
    mean = taken.means.get(quantity.pk) if taken is not None else None
    if mean is None:
        return "–"
    if not mean.u > 0:
        return numbers.fixed(mean.value, quantity.decimals)
    return numbers.estimate(mean.value, mean.u)


def _points(table: StepTable | None) -> dict | None:
    """Give the first measured column over the first entered one, for the small graph."""
    if table is None or not table.entered or not table.measured:
        return None
    x, y = table.entered[0], table.measured[0]
    places = [
        [float(a), float(b)] if a == a and b == b else None
        for a, b in zip(table.readings(x).y, table.readings(y).y, strict=True)
    ]
    remarked = unchanged_rows(table)
    return {
        "x": [x.symbol, x.unit],
        "y": [y.symbol, y.unit],
        "number": table.run.number,
        "places": places,
        "odd": sorted(remarked),
    }
