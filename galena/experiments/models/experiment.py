"""An experiment, its quantities and its conditions."""

from django.conf import settings
from django.db import models

from galena.core.conditions import Held, hold

ENTERED = "entered|"


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
        """What a graph can show: what was measured, and what is typed."""
        return [*self.measured, *self.entered]

    @property
    def entered(self) -> "models.QuerySet[Quantity]":
        """The quantities whose readings are typed."""
        return self.quantities.filter(source__startswith=ENTERED).order_by("pk")


class Quantity(models.Model):
    """A named column. `source` tells which channel of which instrument measures it.

    An entered quantity has the source `entered|SYMBOL`: its readings are typed.
    """

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="quantities")
    name = models.CharField(max_length=100)
    symbol = models.CharField(max_length=20)
    unit = models.CharField(max_length=60, blank=True)
    decimals = models.PositiveSmallIntegerField(default=2)
    source = models.CharField(max_length=200)
    used = models.BooleanField(default=True, help_text="whether its channel is on at the bench")

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
