"""Tables that are harvested from findings."""

from django.db import models

from galena.experiments.models import Run


class Harvest(models.Model):
    """The same questions of many runs or spans: a table with one row each, worked out when shown.

    rows: pairs of the keys of a run and a span, in order; a row once there keeps its place.
    columns: of each its quantity, and what is asked: kind, quantity, details and the number.
    repeats: runs with equal conditions are one row, their mean with its standard error.
    """

    run = models.OneToOneField(Run, models.CASCADE, related_name="harvest")
    rows = models.JSONField(default=list)
    columns = models.JSONField(default=list)
    repeats = models.BooleanField(default=False)

    def __str__(self) -> str:
        return f"harvest of {self.run}"
