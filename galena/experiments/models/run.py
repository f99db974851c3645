"""A run and the values of its conditions."""

from typing import TYPE_CHECKING

from django.conf import settings
from django.db import models

from galena.core.conditions import shown
from galena.core.symbols import plain
from galena.experiments.models.experiment import Condition, Experiment
from galena.experiments.runs import KINDS
from galena.shell.marks import Mark, mark_of

if TYPE_CHECKING:
    from galena.experiments.runs.kind import RunKind


class RunQuerySet(models.QuerySet):
    def kept(self) -> "RunQuerySet":
        """Leave out the removed runs."""
        return self.filter(removed_at=None)

    def of_kind(self, **facts: bool) -> "RunQuerySet":
        """Keep the runs whose kind has these facts, as `is_timed=True`."""
        keys = [
            key
            for key, kind in KINDS.items()
            if all(getattr(kind, name) == fact for name, fact in facts.items())
        ]
        return self.filter(plan__in=keys)

    def growing(self) -> "RunQuerySet":
        """Keep the runs that are recorded now, here or where they were given from."""
        return self.filter(state__in=(Run.State.RECORDING, Run.State.FOLLOWING))


class Run(models.Model):
    """One recording. `ending` says in a sentence why it ended other than as planned.

    `duration` is None where it went on until it was stopped; `rate` is None for a stepwise run.
    `details` holds what only its kind of plan has: for an armed run `event`, `before` and, for
    a level, `level`; for a stepwise one `average`. `remarks` is what the second look found:
    pairs of what was seen and what to do. `unused` is the reason why it is not to be used. A run
    that was given while it was recorded is `following` until the recording has ended.
    """

    class Plan(models.TextChoices):
        STEADY = "steady", "steady"
        ARMED = "armed", "armed"
        STEPWISE = "stepwise", "stepwise"
        TYPED = "typed", "typed"

    class State(models.TextChoices):
        RECORDING = "recording", "recording"
        FOLLOWING = "following", "being recorded"
        FINISHED = "finished", "finished"
        INTERRUPTED = "interrupted", "interrupted"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="runs")
    number = models.PositiveIntegerField()
    note = models.CharField(max_length=200, blank=True)
    state = models.CharField(max_length=12, choices=State, default=State.RECORDING)
    plan = models.CharField(max_length=12, default=Plan.STEADY, help_text="a key of runs.KINDS")
    rate = models.FloatField(null=True, help_text="planned readings a second")
    duration = models.FloatField(null=True, help_text="planned, in seconds")
    details = models.JSONField(default=dict, blank=True)
    remarks = models.JSONField(default=list, blank=True)
    name = models.CharField(max_length=80, blank=True)
    unused = models.CharField(max_length=200, blank=True)
    place = models.PositiveIntegerField(default=0, help_text="in the order that people want")
    marked_as = models.PositiveSmallIntegerField(null=True, help_text="a mark chosen by hand")
    started_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    ending = models.CharField(max_length=300, blank=True)
    shown = models.BooleanField(default=True)
    removed_at = models.DateTimeField(null=True)

    repeat_of: "Run | None"  # set by repeats.mark

    objects = RunQuerySet.as_manager()

    class Meta:
        ordering = ["place", "number"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "number"], name="one_run_a_number"),
            models.UniqueConstraint(
                fields=["experiment"],
                condition=models.Q(state="recording"),
                name="one_run_recording_at_a_time",
            ),
        ]

    def __str__(self) -> str:
        return f"run {self.number}"

    @property
    def is_growing(self) -> bool:
        """Whether further readings come."""
        return self.state in (self.State.RECORDING, self.State.FOLLOWING)

    @property
    def mark(self) -> Mark:
        return mark_of(self.marked)

    @property
    def marked(self) -> int:
        """The number of its mark: its own, unless another was chosen."""
        return self.marked_as or self.number

    @property
    def kind(self) -> "RunKind":
        """What is the same for all runs of its kind."""
        return KINDS[self.plan]

    @property
    def label(self) -> str:
        """Its name, conditions and note in a few words."""
        held = [value.shown for value in self.condition_values.all() if value.text]
        return " · ".join(part for part in (self.name, *held, self.note) if part)

    @property
    def planned(self) -> str:
        """Its plan in words."""
        return self.kind.planned(self)


class ConditionValue(models.Model):
    """`value` and its standard uncertainty `u` are those of a number, in the condition's unit."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="condition_values")
    condition = models.ForeignKey(Condition, models.CASCADE)
    text = models.CharField(max_length=60, blank=True)
    value = models.FloatField(null=True)
    u = models.FloatField(null=True)

    class Meta:
        ordering = ["condition_id"]
        constraints = [
            models.UniqueConstraint(fields=["run", "condition"], name="one_value_a_condition")
        ]

    def __str__(self) -> str:
        named = plain(self.condition.symbol) or self.condition.name
        return f"{named} {shown(self.text)} {self.condition.unit}".strip()

    @property
    def shown(self) -> str:
        return str(self)
