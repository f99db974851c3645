"""An experiment, its quantities and its conditions."""

from django.conf import settings
from django.db import models

from galena.core.conditions import Held, hold

ENTERED, DERIVED, HARVESTED = "entered|", "derived|", "harvest|"


class Experiment(models.Model):
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    title = models.CharField(max_length=200)
    created_at = models.DateTimeField(auto_now_add=True)
    changed_at = models.DateTimeField(auto_now=True)
    archived_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return self.title

    @property
    def measured(self) -> "models.QuerySet[Quantity]":
        """The quantities of which a kept run has measured readings."""
        kept = {"series__stream__run__removed_at": None}
        return self.quantities.filter(series__isnull=False, **kept).distinct().order_by("pk")

    @property
    def chosen_marks(self) -> dict[int, int]:
        """The marks that were chosen by hand, by the numbers of the runs."""
        chosen = self.runs.exclude(marked_as=None)
        return dict(chosen.values_list("number", "marked_as"))

    @property
    def shown(self) -> "list[Quantity]":
        """What a graph can show: what was measured, what is typed, what a formula gives."""
        return [*self.measured, *self.entered, *self.harvested, *self.derived]

    @property
    def entered(self) -> "models.QuerySet[Quantity]":
        """The quantities whose readings are typed."""
        return self.quantities.filter(source__startswith=ENTERED).order_by("pk")

    @property
    def harvested(self) -> "models.QuerySet[Quantity]":
        """The quantities that are columns of harvests."""
        return self.quantities.filter(source__startswith=HARVESTED).order_by("pk")

    @property
    def derived(self) -> "models.QuerySet[Quantity]":
        """The quantities that formulas give."""
        return self.quantities.filter(source__startswith=DERIVED).order_by("pk")


class Quantity(models.Model):
    """A named column. `source` tells which channel of which instrument measures it.

    An entered quantity has the source `entered|SYMBOL`: its readings are typed. A derived one
    has the source `derived|KEY` and a formula; its unit and its decimals follow from that
    unless somebody has chosen them. `u_rule` is a key of core.uncertainty_rules.RULES, with
    `u_absolute` in the quantity's unit and `u_relative` as a share of each reading.
    """

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="quantities")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    decimals = models.PositiveSmallIntegerField(default=2)
    source = models.CharField(max_length=200)
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
    def is_entered(self) -> bool:
        return self.source.startswith(ENTERED)

    @property
    def is_derived(self) -> bool:
        return self.source.startswith(DERIVED)

    @property
    def kind(self) -> str:
        """Where its values come from, in a word."""
        if self.source.startswith(HARVESTED):
            return "harvested"
        return "derived" if self.is_derived else "entered" if self.is_entered else "measured"


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
        return hold(text, self.name, self.kind, self.unit, tuple(self.choices))
