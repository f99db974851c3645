"""What is asked of readings, and of other findings."""

from django.db import models

from galena.desk.models.annotations import Marker, Note, Span
from galena.desk.models.sheets import Graph, Sheet
from galena.experiments.models import Quantity, Run


class Finding(models.Model):
    """A question asked of a span, of a marker or two, or of other findings.

    Its answer is worked out when it is shown. `details` holds what the kind needs to be told;
    under `of` the keys of the findings that it is built on. `name` stands for it in formulas;
    `why` is what the person says to why a model makes sense.
    """

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="findings")
    span = models.ForeignKey(Span, models.CASCADE, null=True, related_name="findings")
    marker = models.ForeignKey(Marker, models.CASCADE, null=True, related_name="findings")
    second = models.ForeignKey(Marker, models.CASCADE, null=True, related_name="+")
    kind = models.CharField(max_length=30)
    run = models.ForeignKey(Run, models.CASCADE, null=True)
    quantity = models.ForeignKey(Quantity, models.CASCADE, null=True)
    details = models.JSONField(default=dict, blank=True)
    name = models.CharField(max_length=20, blank=True)
    why = models.TextField(blank=True)
    its_notes: list[Note]  # what stands on graphs of it, loaded for a ledger
    residual_graphs: list[Graph]  # the graphs of what its fit leaves over, loaded for a ledger

    class Meta:
        ordering = ["kind", "run__number", "pk"]

    def __str__(self) -> str:
        number = self.run.number if self.run else ""
        return ".".join(str(part) for part in (self.place, self.kind, number) if part)

    @property
    def place(self) -> str:
        """What it was asked of, in a word: the letter of a span, the number of a marker."""
        if self.span:
            return str(self.span)
        if self.marker:
            second = f"m{self.second}" if self.second else ""
            return f"m{self.marker}{second}"
        return self.name or "f"

    @property
    def is_built(self) -> bool:
        """Whether it is asked of other findings."""
        return bool(self.details.get("of"))

    @property
    def of(self) -> list[int]:
        """The keys of the findings that it is built on."""
        return [one[0] if isinstance(one, list) else one for one in self.details.get("of", [])]
