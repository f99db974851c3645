"""Acts at the Desk, so that they can be undone."""

from django.conf import settings
from django.db import models

from galena.experiments.models import Experiment


class Change(models.Model):
    """One act of a person at the Desk, as rows before and after; see `history`."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="changes")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    label = models.CharField(max_length=120)
    about = models.CharField(max_length=40, blank=True, help_text="what further ones join it")
    made_at = models.DateTimeField(auto_now=True)
    undone = models.BooleanField(default=False)
    parts = models.JSONField()

    class Meta:
        ordering = ["pk"]
        indexes = [models.Index(fields=["experiment", "person", "undone"])]

    def __str__(self) -> str:
        return self.label
