from django.db import models

from galena.experiments.models import Experiment, Quantity, Run


class Sheet(models.Model):
    """One x quantity with a graph over it. Letters and numbers once given are not given again."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="sheets")
    quantity = models.ForeignKey(Quantity, models.SET_NULL, null=True)
    spans_made = models.PositiveIntegerField(default=0)
    markers_made = models.PositiveIntegerField(default=0)

    def __str__(self) -> str:
        return f"{self.quantity.symbol} over t" if self.quantity else "empty sheet"


class Span(models.Model):
    """A stretch of the x axis."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="spans")
    letter = models.CharField(max_length=4)
    lo = models.FloatField()
    hi = models.FloatField()

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.letter


class Marker(models.Model):
    """One place on the x axis."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="markers")
    number = models.PositiveIntegerField()
    x = models.FloatField()

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return str(self.number)


class Finding(models.Model):
    """A question asked of a span of one run's readings; its answer is worked out when shown."""

    span = models.ForeignKey(Span, models.CASCADE, related_name="findings")
    kind = models.CharField(max_length=20)
    run = models.ForeignKey(Run, models.CASCADE)
    quantity = models.ForeignKey(Quantity, models.CASCADE)

    class Meta:
        ordering = ["kind", "run__number", "pk"]
        constraints = [
            models.UniqueConstraint(
                fields=["span", "kind", "run", "quantity"], name="one_finding_a_question"
            )
        ]

    def __str__(self) -> str:
        return f"{self.span}.{self.kind}.{self.run.number}"
