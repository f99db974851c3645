"""Plans as they stand typed on Record."""

from django.conf import settings
from django.db import models

from galena.experiments.models.experiment import Experiment


class TypedPlan(models.Model):
    """What a person last typed for one kind of run of an experiment, whether it was run or not."""

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="typed_plans")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    kind = models.CharField(max_length=10)
    fields = models.JSONField(default=dict)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["experiment", "person", "kind"], name="one_plan_a_kind")
        ]

    def __str__(self) -> str:
        return f"{self.kind} plan of {self.person}"
