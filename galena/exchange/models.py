from django.conf import settings
from django.db import models


class Arrival(models.Model):
    """A file that was brought and waits to be looked at; `experiment` is where it was brought to.

    It lies in a folder of its own, and goes once it is taken in, or after a day.
    """

    person = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    experiment = models.ForeignKey(
        "experiments.Experiment", models.CASCADE, null=True, related_name="+"
    )
    name = models.CharField(max_length=150)
    folder = models.CharField(max_length=32)
    size = models.BigIntegerField(help_text="bytes")
    came_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name

    @property
    def stem(self) -> str:
        """Its name without what says which kind of file it is."""
        return self.name.rpartition(".")[0] or self.name
