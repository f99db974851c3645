"""How a teacher wants straightening to go in an experiment."""

from django.db import models

from galena.experiments.models import Experiment


class Guidance(models.Model):
    """Whether a shape is to be chosen before anything is said of the readings."""

    experiment = models.OneToOneField(Experiment, models.CASCADE, related_name="guidance")
    shape_first = models.BooleanField(default=False)

    def __str__(self) -> str:
        return "a shape first" if self.shape_first else "free"
