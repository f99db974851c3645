from django.conf import settings
from django.db import models

from galena.experiments.models import Experiment


class Report(models.Model):
    """The argument of an experiment: Markdown text with references to findings.

    `version` counts the changes, so that people who write at once notice each other. `frozen` is
    what each number is shown as where they are kept as they were, by its reference; `printed` what
    they were when it was last taken along.
    """

    experiment = models.OneToOneField(Experiment, models.CASCADE)
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True)
    version = models.PositiveIntegerField(default=1)
    changed_at = models.DateTimeField(auto_now=True)
    frozen = models.JSONField(null=True)
    frozen_at = models.DateTimeField(null=True)
    printed = models.JSONField(default=dict, blank=True)

    def __str__(self) -> str:
        return self.title


class Version(models.Model):
    """The report as it was after a while of writing by one person."""

    report = models.ForeignKey(Report, models.CASCADE, related_name="versions")
    title = models.CharField(max_length=200)
    text = models.TextField(blank=True)
    begun_at = models.DateTimeField()
    made_at = models.DateTimeField()
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return f"{self.title} of {self.made_at:%Y-%m-%d %H:%M}"


class Opening(models.Model):
    """A text that reports of a person can begin with."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    name = models.CharField(max_length=60)
    text = models.TextField()

    class Meta:
        ordering = ["name", "pk"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_opening_a_name")]

    def __str__(self) -> str:
        return self.name
