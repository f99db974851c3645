"""A run and the values of its conditions."""

from django.conf import settings
from django.db import models

from galena.core.conditions import shown
from galena.core.plans import duration_in_words, rate_in_words
from galena.core.symbols import plain
from galena.experiments.models.experiment import Condition, Experiment
from galena.shell.marks import Mark, mark_of


class RunQuerySet(models.QuerySet):
    def kept(self) -> "RunQuerySet":
        """Leave out the removed runs."""
        return self.filter(removed_at=None)


class Run(models.Model):
    """One recording. `ending` says in a sentence why it ended other than as planned.

    `duration` is None where it went on until it was stopped; `rate` is None for a stepwise run.
    `details` holds what only its kind of plan has: for an armed run `event`, `before` and, for
    a level, `level`; for a stepwise one `average`. `remarks` is what the second look found:
    pairs of what was seen and what to do. `unused` is the reason why it is not to be used.
    """

    class Plan(models.TextChoices):
        STEADY = "steady", "steady"
        ARMED = "armed", "armed"
        STEPWISE = "stepwise", "stepwise"
        TYPED = "typed", "typed"
        HARVEST = "harvest", "harvest"

    class State(models.TextChoices):
        RECORDING = "recording", "recording"
        FINISHED = "finished", "finished"
        INTERRUPTED = "interrupted", "interrupted"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="runs")
    number = models.PositiveIntegerField()
    note = models.CharField(max_length=200, blank=True)
    state = models.CharField(max_length=12, choices=State, default=State.RECORDING)
    plan = models.CharField(max_length=8, choices=Plan, default=Plan.STEADY)
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
    def mark(self) -> Mark:
        return mark_of(self.marked)

    @property
    def marked(self) -> int:
        """The number of its mark: its own, unless another was chosen."""
        return self.marked_as or self.number

    @property
    def is_stepwise(self) -> bool:
        return self.plan == self.Plan.STEPWISE

    @property
    def is_typed(self) -> bool:
        """Whether it is a table that was not recorded: typed, or harvested from other runs."""
        return self.plan in (self.Plan.TYPED, self.Plan.HARVEST)

    @property
    def label(self) -> str:
        """Its name, conditions and note in a few words."""
        held = [value.shown for value in self.condition_values.all() if value.text]
        return " · ".join(part for part in (self.name, *held, self.note) if part)

    @property
    def planned(self) -> str:
        """Its plan in words."""
        if self.plan == self.Plan.HARVEST:
            return "harvested from findings"
        if self.is_typed:
            return "typed by hand"
        if self.is_stepwise:
            return (
                f"stepwise, each reading the mean of {duration_in_words(self.details['average'])}"
            )
        lasts = "until stopped" if self.duration is None else duration_in_words(self.duration)
        if self.plan == self.Plan.STEADY:
            between = "" if self.duration is None else "for "
            return f"{rate_in_words(self.rate)} {between}{lasts}"
        before = duration_in_words(self.details["before"])
        event = self.details["event"]
        return f"{rate_in_words(self.rate)}, {before} before and {lasts} after {event}"


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
