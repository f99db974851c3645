"""What was typed or pasted as whole columns, and which readings were set aside."""

from django.conf import settings
from django.db import models

from galena.core.stretches import Stretch
from galena.experiments.models.experiment import Quantity
from galena.experiments.models.run import Run
from galena.experiments.models.series import Stream


class TypedColumn(models.Model):
    """A typed column of a run as it was after one change; the one in force is not replaced.

    In a typed table `texts` are the cells as typed, one a line. Beside measured readings, those of
    `stream` where there is one, `stretches` say from which row to which a text holds. The digits
    that were typed are kept.
    """

    run = models.ForeignKey(Run, models.CASCADE, related_name="typed_columns")
    quantity = models.ForeignKey(Quantity, models.RESTRICT, related_name="typed_columns")
    texts = models.TextField(blank=True)
    stream = models.ForeignKey(Stream, models.CASCADE, null=True, related_name="typed_columns")
    stretches = models.JSONField(default=list, blank=True)
    change = models.CharField(max_length=120, blank=True, help_text="what was done, in words")
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)
    replaced_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["run", "quantity"],
                condition=models.Q(replaced_at=None),
                name="one_typed_column_in_force",
            )
        ]

    def __str__(self) -> str:
        return f"{self.quantity.symbol} of {self.run}"

    @property
    def cells(self) -> list[str]:
        """The cells as typed, from the first row on."""
        return self.texts.split("\n") if self.texts else []

    @property
    def known(self) -> list[Stretch]:
        """From which row to which a text holds."""
        return [(first, last, text) for first, last, text in self.stretches]


class Aside(models.Model):
    """Readings that are left out of every calculation, from `first` to `last`, with the reason.

    They are rows of the stream's readings; without a stream, rows of a typed or stepwise table.
    """

    run = models.ForeignKey(Run, models.CASCADE, related_name="asides")
    stream = models.ForeignKey(Stream, models.CASCADE, null=True, related_name="asides")
    first = models.BigIntegerField()
    last = models.BigIntegerField()
    reason = models.CharField(max_length=200)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.reason
