"""The plan as it is typed on Record: read from the page, suggested from the last run, checked."""

from dataclasses import dataclass, field
from typing import Any

from django.db.models import QuerySet

from galena.bench.channel_display.display import Shown
from galena.core import numbers, plans
from galena.core.errors import PlanError
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan
from galena.core.trigger import Direction, Level
from galena.experiments.models import (
    ConditionValue,
    Experiment,
    Quantity,
    Run,
    Series,
    TypedPlan,
)
from galena.experiments.runs import KINDS
from galena.shell import requested
from galena.shell.prepared import prepared, prepared_objects

BYTES_A_READING = 16  # a value and, shared by an instrument's channels, a time stamp
KEY = "key"
DEFAULTS: dict[str, Any] = {
    "rate": "20", "duration": "60", "before": "0.1", "level": "", "event": "", "average": "1",
}  # fmt: skip

KEPT = (*DEFAULTS, "endless", "again", "channels", "typed")


def kinds() -> list[str]:
    """List the kinds of run that can be recorded."""
    return [key for key, kind in KINDS.items() if kind.is_recorded]


@dataclass
class PlanForm:
    """The plan as it stands on the page, with what is wrong in it by field.

    `event` is `key`, or a channel's key and a direction: `12:rising`. `typed` are the keys of
    the quantities that are typed with each reading.
    """

    plan: str = Run.Plan.STEADY
    rate: str = ""
    duration: str = ""
    endless: bool = False
    before: str = ""
    level: str = ""
    event: str = ""
    again: bool = False
    average: str = ""
    note: str = ""
    channels: list[int] = field(default_factory=list)
    typed: list[int] = field(default_factory=list)
    conditions: dict[int, str] = field(default_factory=dict)
    settings: dict[int, str] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)
    is_typed: bool = False  # by this person for this kind, before
    live: list[Shown] = field(default_factory=list)  # the channels that gave readings then

    def steady(self) -> SteadyPlan:
        """Give the steady plan. Raises PlanError."""
        return plans.steady(self.rate, None if self.endless else self.duration)

    def armed(self) -> ArmedPlan:
        """Give the armed plan. Raises PlanError."""
        rate = plans.parse_rate(self.rate)
        level = None
        if self.watched is not None:
            level = Level(plans.parse_level(self.level), self.direction)
        return ArmedPlan(
            rate,
            plans.parse_duration(self.duration),
            plans.parse_before(self.before, rate),
            level,
            self.again,
        )

    def stepwise(self) -> StepwisePlan:
        """Give the stepwise plan. Raises PlanError."""
        return StepwisePlan(plans.parse_average(self.average))

    @property
    def watched(self) -> int | None:
        """The channel that must pass the level; None for a key."""
        return requested.key_or_none(self.event.partition(":")[0])

    @property
    def direction(self) -> Direction:
        return "falling" if self.event.endswith("falling") else "rising"


def read(posted, experiment: Experiment, live: list[Shown], person) -> PlanForm:
    """Read what is typed; what is not on the page for this kind of plan is suggested."""
    return read_as(posted.get("plan", Run.Plan.STEADY), posted, experiment, live, person)


def read_as(kind: str, posted, experiment: Experiment, live: list[Shown], person) -> PlanForm:
    """Read what is typed as a plan of a kind."""
    kind = kind if kind in kinds() else Run.Plan.STEADY
    form = suggest(experiment, live, person, kind)
    other = posted.get("kind-shown", kind) != kind  # the fields are still those of another kind
    if not (other and form.is_typed):
        for name in DEFAULTS:
            if name in posted:
                setattr(form, name, posted[name][:60])
    form.note = posted.get("note", "")[:200]
    # Boxes that are not ticked send nothing: it means no where the page showed them.
    if "kind-shown" in posted or "channel" in posted:
        form.channels = requested.keys(posted.getlist("channel"))
    if not other:
        form.endless, form.again = "endless" in posted, "again" in posted
        if "kind-shown" in posted or "typed" in posted:
            form.typed = requested.keys(posted.getlist("typed"))
    for condition in experiment.conditions.all():
        if (name := f"condition-{condition.pk}") in posted:
            form.conditions[condition.pk] = posted[name][:80]
    entered = experiment.quantities_of(Quantity.Kind.ENTERED)
    typed = {one.pk: f"setting-{one.pk}" for one in entered}
    form.settings = {key: posted[name][:40] for key, name in typed.items() if name in posted}
    return form


def keep(form: PlanForm, experiment: Experiment, person, *, note: bool = True) -> None:
    """Keep what a person has typed for a kind of plan.

    note: whether the note is kept too; it belongs to the run that it was typed for.
    """
    fields = {name: getattr(form, name) for name in KEPT}
    if form.plan != Run.Plan.STEPWISE:  # no other page shows what is typed with each reading
        del fields["typed"]
    fields["conditions"] = {str(key): text for key, text in form.conditions.items()}
    fields["note"] = form.note if note else ""
    TypedPlan.objects.update_or_create(
        experiment=experiment, person=person, kind=form.plan, defaults={"fields": fields}
    )


def suggest(experiment: Experiment, live: list[Shown], person, kind: str = "") -> PlanForm:
    """Suggest what the person typed last, else what the last run had, or the last of a kind of
    plan for what that kind has."""
    kept = experiment.typed_plans.filter(person=person)
    typed = kept.filter(kind=kind).first() if kind else kept.order_by("-changed_at").first()
    form = _of_runs(experiment, live, kind or (typed.kind if typed is not None else ""))
    if typed is not None:
        _as_typed(form, typed.fields)
    return form


def _as_typed(form: PlanForm, fields: dict) -> None:
    for name in (*KEPT, "note"):
        if name in fields:
            setattr(form, name, fields[name])
    form.conditions |= {int(key): text for key, text in fields.get("conditions", {}).items()}
    form.is_typed = True


def _of_runs(experiment: Experiment, live: list[Shown], kind: str) -> PlanForm:
    last = next(iter(prepared_objects("last recorded run", _last_recorded, experiment.pk)), None)
    kind = kind or (last.plan if last else Run.Plan.STEADY)
    same = last
    if last is not None and last.plan != kind:
        same = experiment.runs.kept().filter(plan=kind).order_by("-number").first()
    form = PlanForm(plan=kind, live=live, **DEFAULTS)
    form.typed = [one.pk for one in experiment.quantities_of(Quantity.Kind.ENTERED)]
    if same is not None:
        _as_before(form, same, live)
    if last is not None:
        sources = {row["quantity__source"] for row in prepared("sources", _sources_of, last.pk)}
        form.channels = [one.channel.pk for one in live if one.source in sources]
        held = prepared("conditions of a run", _conditions_of, last.pk)
        form.conditions = {row["condition"]: row["text"] for row in held}
    return form


def _last_recorded(experiment: int) -> QuerySet[Run]:
    recorded = Run.objects.kept().of_kind(is_recorded=True).filter(experiment=experiment)
    return recorded.order_by("-number")[:1]


def _sources_of(run: int) -> QuerySet:
    return Series.objects.filter(stream__run=run, quantity__isnull=False).values("quantity__source")


def _conditions_of(run: int) -> QuerySet:
    return ConditionValue.objects.filter(run=run).values("condition", "text")


def _as_before(form: PlanForm, run: Run, live: list[Shown]) -> None:
    details = run.details
    if not run.kind.is_timed:
        form.average = plans.duration_in_words(details["average"]).removesuffix(" s")
        form.typed = list(dict.fromkeys(one.quantity_id for one in run.entries.all()))
        return
    form.rate = (
        plans.rate_as_typed(run.rate) if run.rate >= 1 else plans.duration_in_words(1 / run.rate)
    )
    if run.duration is None:
        form.endless = True
    else:
        form.duration = plans.duration_in_words(run.duration).removesuffix(" s")
    if run.plan == Run.Plan.ARMED:
        form.before = plans.duration_in_words(details["before"]).removesuffix(" s")
        form.again = bool(details.get("again"))
        form.event = KEY
        if "level" in details:
            watched = next((one for one in live if one.source == details.get("watched")), None)
            decimals = watched.decimals if watched is not None else None
            form.level = plans.level_text(details["level"], decimals)
            form.event = f"{watched.channel.pk}:{details['direction']}" if watched else ""


def size(form: PlanForm) -> dict:
    """Say how large a run will be; nothing where the plan is not one yet."""
    try:
        if form.plan == Run.Plan.STEPWISE:
            form.stepwise()
            return {"kind": form.plan, "count": None}
        plan = form.steady() if form.plan == Run.Plan.STEADY else form.armed()
    except PlanError:
        return {"count": None}
    channels = max(1, len(form.channels))
    if plan.duration is None:
        hour = plan.rate * 3600 * BYTES_A_READING * channels
        return {"plan": plan, "count": None, "hourly": _bytes(hour)}
    before = round(plan.before * plan.rate) if isinstance(plan, ArmedPlan) else 0
    return {
        "plan": plan,
        "count": numbers.grouped(plan.readings),
        "before": numbers.grouped(before) if before else "",
        "size": _bytes(plan.readings * BYTES_A_READING * channels),
    }


def _bytes(count: float) -> str:
    return f"{count / 1e6:.1f} MB" if count >= 1e6 else f"{max(1, round(count / 1e3))} kB"
