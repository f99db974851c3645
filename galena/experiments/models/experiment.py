"""An experiment, its quantities and its conditions."""

from typing import cast
from uuid import uuid4

from django.conf import settings
from django.db import models

from galena.core.conditions import Held, Kind, hold
from galena.shell.prepared import prepared, prepared_objects


def own_key() -> str:
    """Give a key that no other quantity has."""
    return uuid4().hex


class ExperimentQuerySet(models.QuerySet):
    def kept(self) -> "ExperimentQuerySet":
        """Leave out the removed ones."""
        return self.filter(removed_at=None)

    def removed(self) -> "ExperimentQuerySet":
        """Keep the removed ones only."""
        return self.exclude(removed_at=None)


class Experiment(models.Model):
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    title = models.CharField(max_length=200)
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    archived_at = models.DateTimeField(null=True)
    removed_at = models.DateTimeField(null=True)
    last_number = models.PositiveIntegerField(default=0, help_text="of runs deleted for good")

    objects = ExperimentQuerySet.as_manager()

    def __str__(self) -> str:
        return self.title

    @property
    def measured(self) -> "models.QuerySet[Quantity]":
        """The quantities of which a kept run has measured readings."""
        return _with_readings(self.quantities)

    @property
    def chosen_marks(self) -> dict[int, int]:
        """The marks that were chosen by hand, by the numbers of the runs."""
        chosen = prepared("chosen marks", _chosen_marks_of, self.pk)
        return {row["number"]: row["marked_as"] for row in chosen}

    @property
    def shown(self) -> "list[Quantity]":
        """What a graph can show: what was measured, what is typed, what a formula gives."""
        everything = self.every_quantity
        measured = {row["pk"] for row in prepared("measured", _measured_of, self.pk)}
        apart = (Quantity.Kind.MEASURED, Quantity.Kind.DERIVED)
        of_tables = [one for one in everything if one.kind not in apart]
        return [
            *(one for one in everything if one.pk in measured),
            *sorted(of_tables, key=lambda one: one.kind),
            *(one for one in everything if one.kind == Quantity.Kind.DERIVED),
        ]

    @property
    def every_quantity(self) -> "list[Quantity]":
        """All quantities, in the order in which they were made."""
        listed = prepared_objects("quantities", _quantities_of, self.pk)
        for quantity in listed:
            quantity.experiment = self
        return listed

    def quantities_of(self, kind: "Quantity.Kind") -> "list[Quantity]":
        """The quantities whose values come from there."""
        return [one for one in self.every_quantity if one.kind == kind]

    @property
    def entered(self) -> "models.QuerySet[Quantity]":
        """The quantities whose readings are typed."""
        return self.quantities.filter(kind=Quantity.Kind.ENTERED).order_by("pk")

    @property
    def derived(self) -> "models.QuerySet[Quantity]":
        """The quantities that formulas give."""
        return self.quantities.filter(kind=Quantity.Kind.DERIVED).order_by("pk")


def _with_readings(quantities) -> "models.QuerySet[Quantity]":
    kept = {"series__stream__run__removed_at": None}
    return quantities.filter(series__isnull=False, **kept).distinct().order_by("pk")


def _quantities_of(experiment: int) -> "models.QuerySet[Quantity]":
    return Quantity.objects.filter(experiment=experiment).order_by("pk")


def _chosen_marks_of(experiment: int) -> models.QuerySet:
    return Experiment(pk=experiment).runs.exclude(marked_as=None).values("number", "marked_as")


def _measured_of(experiment: int) -> models.QuerySet:
    return _with_readings(Quantity.objects.filter(experiment=experiment)).values("pk")


class Quantity(models.Model):
    """A named column. `kind` tells where its values come from.

    `source` tells which channel of which instrument measures it; for the other kinds it is a key.
    A derived one has a formula; its unit and its decimals follow from that unless somebody has
    chosen them. `u_rule` is a key of core.uncertainty_rules.RULES, with `u_absolute` in the
    quantity's unit and `u_relative` as a share of each reading.
    """

    class Kind(models.TextChoices):
        MEASURED = "measured", "measured"
        ENTERED = "entered", "entered"
        HARVESTED = "harvested", "harvested"
        DERIVED = "derived", "derived"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="quantities")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    decimals = models.PositiveSmallIntegerField(default=2)
    kind = models.CharField(max_length=12, default=Kind.MEASURED)
    source = models.CharField(max_length=200, default=own_key)
    used = models.BooleanField(default=True, help_text="whether its channel is on at the bench")
    formula = models.TextField(blank=True)
    unit_chosen = models.BooleanField(default=False, help_text="instead of the simplest one")
    decimals_chosen = models.BooleanField(default=False, help_text="instead of what is honest")
    u_rule = models.CharField(max_length=12, default="scatter")
    u_absolute = models.FloatField(null=True)
    u_relative = models.FloatField(null=True)
    u_calibration = models.BooleanField(default=True, help_text="whether calibration adds to it")

    class Meta:
        verbose_name_plural = "quantities"
        constraints = [
            models.UniqueConstraint(fields=["experiment", "source"], name="one_quantity_a_source")
        ]

    def __str__(self) -> str:
        return self.name

    @property
    def is_derived(self) -> bool:
        return self.kind == self.Kind.DERIVED


class Given(models.Model):
    """A constant of the experiment; `text` is its value as typed, `u` its standard uncertainty."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="givens")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    text = models.CharField(max_length=60)
    value = models.FloatField()
    u = models.FloatField(null=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "symbol"], name="one_given_a_symbol")
        ]

    def __str__(self) -> str:
        return self.name


class Condition(models.Model):
    """A named value that holds during a run; `choices` are those of a condition to choose."""

    class Kind(models.TextChoices):
        NUMBER = "number", "number"
        CHOICE = "choice", "choice"
        TEXT = "text", "text"

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="conditions")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20, blank=True)
    unit = models.CharField(max_length=60, blank=True)
    kind = models.CharField(max_length=8, choices=Kind, default=Kind.TEXT)
    choices = models.JSONField(default=list, blank=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(fields=["experiment", "name"], name="one_condition_a_name")
        ]

    def __str__(self) -> str:
        return self.name

    def hold(self, text: str) -> Held:
        """Read a value as typed; raises ConditionError."""
        kind = cast(Kind, self.kind)
        return hold(text, self.name, kind, self.unit, tuple(self.choices))
