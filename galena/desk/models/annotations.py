"""What is marked in graphs: spans, markers and notes."""

from django.db import models

from galena.desk.models.sheets import Graph, Sheet
from galena.experiments.models import Quantity


class Span(models.Model):
    """A stretch of the x axis; its letter, or the name it was given. `quantity` is the one that
    it was last asked of, or that of the graph on which it was marked off."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="spans")
    letter = models.CharField(max_length=4)
    name = models.CharField(max_length=40, blank=True)
    lo = models.FloatField()
    hi = models.FloatField()
    quantity = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.letter


class Marker(models.Model):
    """One place on the x axis; `quantity` as of a span."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="markers")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=40, blank=True)
    x = models.FloatField()
    quantity = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return str(self.number)


class Note(models.Model):
    """Words in a graph, tied to a place in its data; `dx`, `dy` lead from there to the words.

    The place is on the axes of x and of `side`; the way to the words is in heights of a line,
    to the right and upwards. With a finding its words and its place are those of the answer.
    """

    graph = models.ForeignKey(Graph, models.CASCADE, related_name="notes")
    side = models.CharField(max_length=5, default="left")
    text = models.CharField(max_length=300)
    x = models.FloatField()
    y = models.FloatField()
    dx = models.FloatField(default=3.0)
    dy = models.FloatField(default=2.0)
    finding = models.ForeignKey("desk.Finding", models.CASCADE, null=True, related_name="notes")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.text
