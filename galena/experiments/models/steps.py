"""What was taken step by step, and how rigs looked meanwhile."""

from django.conf import settings
from django.db import models

from galena.experiments.models.experiment import Quantity
from galena.experiments.models.run import Run
from galena.experiments.models.series import Stream


class Step(models.Model):
    """A reading that was taken when a person said so: a row of a stepwise run.

    When it is taken again, the old one stays, with `replaced_at` set, under the same row number.
    """

    run = models.ForeignKey(Run, models.CASCADE, related_name="steps")
    row = models.PositiveIntegerField()
    taken_at = models.DateTimeField()
    taken_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    replaced_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["row", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["run", "row"],
                condition=models.Q(replaced_at=None),
                name="one_step_in_force_a_row",
            )
        ]

    def __str__(self) -> str:
        return f"row {self.row} of {self.run}"


class StepPart(models.Model):
    """Where the readings of a step are that one instrument gave: `count` from `first_index` on.

    `correlation_times` tells by the key of a quantity over how many readings the live ones before
    the step followed each other: in the few of the step itself that cannot be seen.
    """

    step = models.ForeignKey(Step, models.CASCADE, related_name="parts")
    stream = models.ForeignKey(Stream, models.CASCADE)
    first_index = models.BigIntegerField()
    count = models.PositiveIntegerField()
    correlation_times = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"{self.step} from {self.stream}"


class Entry(models.Model):
    """A typed value of a row of a stepwise run; a corrected one stays, with `replaced_at` set."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="entries")
    row = models.PositiveIntegerField()
    quantity = models.ForeignKey(Quantity, models.RESTRICT, related_name="entries")
    text = models.CharField(max_length=40)
    value = models.FloatField()
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    replaced_at = models.DateTimeField(null=True)

    class Meta:
        verbose_name_plural = "entries"
        ordering = ["row", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["run", "row", "quantity"],
                condition=models.Q(replaced_at=None),
                name="one_entry_in_force_a_cell",
            )
        ]

    def __str__(self) -> str:
        return f"{self.quantity.symbol} = {self.text}"


class Scene(models.Model):
    """How a rig looked while a run was recorded: its state at times, for replay."""

    run = models.ForeignKey(Run, models.CASCADE, related_name="scenes")
    rig = models.CharField(max_length=40)
    states = models.JSONField(help_text='{"t": [...], "name of a state": [...]}')

    def __str__(self) -> str:
        return f"{self.rig} during {self.run}"
