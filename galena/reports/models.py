from django.db import models

from galena.experiments.models import Experiment


class Report(models.Model):
    """The argument of an experiment: Markdown text with references to findings.

    `version` counts the changes, so that two people who write at once notice each other.
    """

    experiment = models.OneToOneField(Experiment, models.CASCADE)
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True)
    version = models.PositiveIntegerField(default=1)
    changed_at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.title
