"""Record: the plan, starting, waiting and stopping, and what is being recorded now."""

import time
from collections.abc import Callable

from django.db.models import QuerySet
from django.http import JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST

from galena.bench.channel_display.display import Shown
from galena.bench.live.bench import BENCH
from galena.core import symbols
from galena.core.errors import ConditionError, GalenaError, PlanError
from galena.core.second_look import Remark, zeros
from galena.experiments.access import experiment_for
from galena.experiments.errors import ExperimentError
from galena.experiments.models import Condition, Experiment, Quantity, Run
from galena.recording.engine.publishing import awaited
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Recording, RunInProgress, Stepping, Waiting, Wish
from galena.recording.plan import form as plan_form
from galena.recording.plan.form import KEY, PlanForm
from galena.shell.prepared import prepared_objects

ENTERED = Quantity.Kind.ENTERED


def panel(request, experiment_id: int):
    """Give the plan, or what is being recorded, as it is now; a POST keeps what is typed first."""
    experiment = experiment_for(request, experiment_id)
    if request.method == "POST":
        posted, live, person = request.POST, live_channels(experiment), request.user
        if (shown := posted.get("kind-shown")) in plan_form.kinds():
            before = plan_form.read_as(shown, posted, experiment, live, person)
            plan_form.keep(before, experiment, person)
        form = plan_form.read(posted, experiment, live, person)
        plan_form.keep(form, experiment, person)
        return _panel(request, experiment, form)
    return _panel(request, experiment, page_form(request, experiment))


@require_POST
def start(request, experiment_id: int):
    """Start a run as planned, or say what is wrong with the plan."""
    experiment = experiment_for(request, experiment_id)
    live = live_channels(experiment)
    form = plan_form.read(request.POST, experiment, live, request.user)
    RECORDER.recordings.set_trouble(experiment.pk, "")
    wish = Wish(experiment, form.channels, form.conditions, form.note, request.user)
    try:
        if form.plan == Run.Plan.ARMED:
            if form.watched is None and form.event != KEY:
                raise PlanError("event", "Choose what the run starts with: a channel, or a key.")
            RECORDER.arm(wish, form.armed(), form.watched)
        elif form.plan == Run.Plan.STEADY:
            RECORDER.start(wish, form.steady())
    except PlanError as error:
        form.errors[error.field] = str(error)
    except ConditionError as error:
        named = experiment.conditions.filter(name=error.name).first()
        form.errors[f"condition-{named.pk}" if named else "start"] = str(error)
    except GalenaError as error:
        form.errors["start"] = str(error)
    plan_form.keep(form, experiment, request.user, note=bool(form.errors))
    return _panel(request, experiment, form)


@require_POST
def press(request, experiment_id: int):
    """Have the event of an armed run happen now."""
    experiment = experiment_for(request, experiment_id)
    form = page_form(request, experiment)
    try:
        RECORDER.press(experiment.pk)
    except GalenaError as error:
        form.errors["start"] = str(error)
    return _panel(request, experiment, form)


@require_POST
def stop(request, experiment_id: int):
    """Stop what is recorded or waited for in this experiment."""
    experiment = experiment_for(request, experiment_id)
    RECORDER.stop(experiment.pk, str(request.user))
    return _panel(request, experiment, page_form(request, experiment))


def size(request, experiment_id: int):
    """Say how many readings a plan makes, while it is typed; a POST keeps it as well."""
    experiment = experiment_for(request, experiment_id)
    typed = request.POST if request.method == "POST" else request.GET
    form = plan_form.read(typed, experiment, [], request.user)
    if request.method == "POST":
        plan_form.keep(form, experiment, request.user)
    context = plan_form.size(form) | {"form": form}
    return render(request, "recording/_size.html", context)


def status(request, experiment_id: int):
    """Say what is being recorded, for whoever opens or wakes a page."""
    experiment = experiment_for(request, experiment_id)
    as_of = _moment()
    recording = RECORDER.recordings.of(experiment.pk)
    return JsonResponse(status_of(experiment, recording, as_of))


def live_channels(experiment: Experiment) -> list[Shown]:
    """List the channels that are on in an experiment and give readings now."""
    BENCH.show(experiment)
    return [strip.shown for strip in BENCH.strips_of(experiment)]


def page_form(request, experiment: Experiment) -> PlanForm:
    """Give the plan as it is typed on the page, or else as the last run suggests it."""
    live = live_channels(experiment)
    if "plan" in request.GET:
        return plan_form.read(request.GET, experiment, live, request.user)
    return plan_form.suggest(experiment, live, request.user)


def answer_panel(request, experiment: Experiment, change: Callable[[], None], prefix: str):
    """Make a change of what a plan can be described by; answer with the panel as it then is."""
    live = live_channels(experiment)
    form = plan_form.read(request.POST, experiment, live, request.user)
    plan_form.keep(form, experiment, request.user)
    typed = {key: request.POST.get(key, "") for key in request.POST if "-" in key}
    try:
        before = {one.pk for one in experiment.quantities_of(ENTERED)}
        change()
        form.typed += [one.pk for one in experiment.quantities_of(ENTERED) if one.pk not in before]
        typed = {}
    except ExperimentError as error:
        form.errors[f"{prefix}-{error.field}"] = str(error)
    return _panel(request, experiment, form, typed)


def _moment() -> int:
    """Give a time in microseconds that only grows, by which pages tell the newer of two answers.

    It is taken before one looks: an answer is never older than its moment says.
    """
    return time.monotonic_ns() // 1000


def status_of(experiment: Experiment, recording: Recording | None, as_of: int) -> dict:
    """Say what is being recorded or waited for in an experiment, ready for JSON."""
    trouble = RECORDER.recordings.trouble_of(experiment.pk)
    used = sorted(RECORDER.in_use(experiment.pk))
    status = {"recording": None, "phase": "", "trouble": trouble, "used": used, "as-of": as_of}
    if isinstance(recording, Waiting):
        return status | {"phase": "armed"} | awaited(recording)
    if isinstance(recording, Stepping):
        return status | {
            "phase": "stepwise", "stepping": recording.run.pk, "number": recording.run.number,
            "version": recording.version,
        }  # fmt: skip
    if isinstance(recording, RunInProgress):
        return status | {"phase": "recording"} | _recorded(experiment, recording)
    return status


def _recorded(experiment: Experiment, current: RunInProgress) -> dict:
    return {
        "recording": current.run.pk,
        "number": current.run.number,
        "taken": current.count,
        "stored": current.written,
        "planned": current.plan.readings if current.plan.duration is not None else None,
        "duration": current.plan.duration,
        "before": current.run.details.get("before", 0),
        "event": current.run.details.get("event", ""),
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


def _panel(request, experiment: Experiment, form: PlanForm, new: dict | None = None):
    context = plan_context(experiment, form) | {"new": _plain(new or {})}
    status_code = 422 if form.errors else 200
    response = render(request, "recording/_panel.html", context, status=status_code)
    response["HX-Trigger-After-Settle"] = "plan-changed"
    return response


def _plain(typed: dict) -> dict:
    """Name what was typed for a new condition or setting so that a template can say it."""
    return {key.replace("-", "_"): text for key, text in typed.items()}


def _conditions(experiment: Experiment, form: PlanForm, waiting: Waiting | None) -> list[dict]:
    """Give the fields of the conditions, and what an armed run holds of them."""
    held = {} if waiting is None else waiting.wish.conditions
    return [
        {
            "condition": condition,
            "value": form.conditions.get(condition.pk, ""),
            "wrong": form.errors.get(f"condition-{condition.pk}", ""),
            "held": held.get(condition.pk, ""),
        }
        for condition in prepared_objects("conditions", _conditions_of, experiment.pk)
    ]


def _conditions_of(experiment: int) -> QuerySet[Condition]:
    return Experiment(pk=experiment).conditions.all()


def plan_context(experiment: Experiment, form: PlanForm) -> dict:
    """Give what the panel of the plan shows."""
    channels = form.live
    keys = [one.channel.pk for one in channels]
    in_use = RECORDER.in_use(experiment.pk)
    chosen = [one for one in form.channels if one in keys] or keys
    chosen = [one for one in chosen if one not in in_use]
    held = [one for one in channels if one.channel.pk in chosen]
    as_of = _moment()
    recording = RECORDER.recordings.of(experiment.pk)  # once: the recorder goes on meanwhile
    status_now = status_of(experiment, recording, as_of)
    waiting = recording if isinstance(recording, Waiting) else None
    paces = _own_paces(channels)
    is_paced = bool(paces) and len(paces) == len({one.channel.instrument_id for one in channels})
    if is_paced:
        form.rate = f"{min(paces.values()):g}"  # no rate can be typed: it says what comes
    return {
        "experiment": experiment,
        "own_paces": paces,
        "is_paced": is_paced,
        "form": form,
        "kinds": plan_form.kinds(),
        "channels": [
            {"shown": one, "chosen": one.channel.pk in chosen}
            | {"used": in_use.get(one.channel.pk, "")}
            for one in channels
        ],
        "events": _events(channels),
        "level_unit": _level_unit(channels, form),
        "unzeroed": _never_zeroed(held),
        "conditions": _conditions(experiment, form, waiting),
        "entered": [
            {"quantity": quantity, "on": quantity.pk in form.typed}
            for quantity in experiment.quantities_of(ENTERED)
        ],
        "status": status_now,
        "current": recording if isinstance(recording, RunInProgress) else None,
        "waiting": waiting,
        "stepping": recording if isinstance(recording, Stepping) else None,
        "busy": _busy(keys, in_use),
        "wrong_condition": _first(form, "condition-", ("name", "symbol", "unit", "choices")),
        "wrong_typed": _first(form, "typed-", ("name", "symbol", "unit", "decimals")),
    } | plan_form.size(form)


def _own_paces(channels: list[Shown]) -> dict[str, float]:
    """Give the rates of the instruments that cannot be told one, by their names."""
    paces = {}
    for one in channels:
        place = BENCH.feed_of(one.channel.pk)
        if place is not None and place[0].link.own_rate:
            paces[str(one.channel.instrument)] = place[0].link.own_rate
    return paces


def _first(form: PlanForm, prefix: str, fields: tuple[str, ...]) -> str:
    return next((form.errors[prefix + one] for one in fields if prefix + one in form.errors), "")


def _events(channels: list[Shown]) -> list[dict]:
    return [
        {
            "value": f"{one.channel.pk}:{direction}",
            "label": f"{symbols.plain(one.symbol)} {verb} past",
        }
        for one in channels
        for direction, verb in (("rising", "rises"), ("falling", "falls"))
    ]


def _level_unit(channels: list[Shown], form: PlanForm) -> str:
    """Give the unit of the channel that is chosen to start the run: the first one at first."""
    first = channels[0].unit if channels and not form.event else ""
    return next((one.unit for one in channels if one.channel.pk == form.watched), first)


def _busy(keys: list[int], in_use: dict[int, str]) -> str:
    """Say who holds the instruments, where other runs hold all of them."""
    if not keys or any(one not in in_use for one in keys):
        return ""
    return ". ".join(dict.fromkeys(in_use[one] for one in keys)) + "."


def _never_zeroed(channels: list[Shown]) -> Remark | None:
    """Remark on force-like channels that were not zeroed before the run."""
    return zeros.never_zeroed(
        [
            one.name
            for one in channels
            if one.correction.zero is None and zeros.needs_zero(one.given_unit)
        ]
    )
