from django.conf import settings
from django.db import models

from galena.core.axes import Axis
from galena.core.symbols import plain
from galena.experiments.models import Experiment, Quantity, Run

SIDES = ("left", "right")


def axis_from(kept: dict) -> Axis:
    """Read an axis as it is kept: `lo`, `hi` and `log`, each where it was set."""
    return Axis(kept.get("lo"), kept.get("hi"), bool(kept.get("log")))


def axis_kept(axis: Axis) -> dict:
    """Write an axis as it is kept."""
    return {"lo": axis.lo, "hi": axis.hi, "log": axis.log}


class Sheet(models.Model):
    """One x quantity with graphs over it. Letters and numbers once given are not given again.

    Without an x quantity it goes over time. `x_axis` is kept as `axis_kept` writes it; `look`
    holds what was chosen of `lines`, `size`, `errors`, `legend` and `plain`.
    """

    experiment = models.ForeignKey(Experiment, models.CASCADE, related_name="sheets")
    place = models.PositiveIntegerField(default=0)
    title = models.CharField(max_length=200, blank=True)
    beside = models.BooleanField(default=False, help_text="shown beside the sheet in front")
    x = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")
    x_axis = models.JSONField(default=dict, blank=True)
    look = models.JSONField(default=dict, blank=True)
    spans_made = models.PositiveIntegerField(default=0)
    markers_made = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["place", "pk"]

    def __str__(self) -> str:
        return self.title or self.suggested

    @property
    def suggested(self) -> str:
        """What it is called as long as nobody gave it a title."""
        symbols = [trace.quantity.symbol for trace in self.traces]
        if not symbols:
            return "empty sheet"
        listed = ", ".join(plain(one) for one in dict.fromkeys(symbols))
        return f"{listed} over {plain(self.x_symbol)}"

    @property
    def traces(self) -> "list[Trace]":
        """What its graphs show, from the top on; `graphs__traces__quantity` may be prefetched."""
        return [trace for graph in self.graphs.all() for trace in graph.traces.all()]

    @property
    def quantities(self) -> list[Quantity]:
        """The quantities of its graphs, from the top on, each once."""
        return list(dict.fromkeys(trace.quantity for trace in self.traces))

    @property
    def quantity(self) -> Quantity | None:
        """The quantity of its first graph."""
        return next(iter(self.quantities), None)

    @property
    def x_symbol(self) -> str:
        return self.x.symbol if self.x else "t"

    @property
    def x_unit(self) -> str:
        return self.x.unit if self.x else "s"

    @property
    def x_view(self) -> Axis:
        return axis_from(self.x_axis)

    @property
    def lines(self) -> str:
        """Whether lines join readings: on, off, or where they are dense in time (auto)."""
        return self.look.get("lines", "auto")

    @property
    def size(self) -> float:
        """How large the marks are beside the usual size."""
        return self.look.get("size", 1.0)

    @property
    def errors(self) -> bool:
        return self.look.get("errors", True)

    @property
    def legend(self) -> bool:
        return self.look.get("legend", True)

    @property
    def plain(self) -> bool:
        """Whether it is drawn in black and white."""
        return self.look.get("plain", False)

    @property
    def layout(self) -> dict:
        """What the painter needs to know of it besides the readings."""
        graphs = [
            {"id": one.pk, "share": one.share, "title": one.title,
             "residual": one.residuals_of_id is not None}
            | {side: axis_kept(one.view(side)) for side in SIDES}
            | {"traces": [{"quantity": t.quantity_id, "side": t.side, "symbol": t.quantity.symbol}
                          for t in one.traces.all()]}
            for one in self.graphs.all()
        ]  # fmt: skip
        look = {"lines": self.lines, "size": self.size, "errors": self.errors}
        look |= {"legend": self.legend, "plain": self.plain}
        look["legendAt"] = self.look.get("legend_at")
        return {"x": axis_kept(self.x_view), "time": self.x_id is None, "graphs": graphs} | look


class Graph(models.Model):
    """Quantities over the sheet's x, on a left and a right axis; `share` is of the height.

    With `residuals_of` it shows what a fit leaves over of its one quantity.
    """

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="graphs")
    place = models.PositiveIntegerField(default=0)
    title = models.CharField(max_length=200, blank=True)
    share = models.FloatField(default=1.0)
    axes = models.JSONField(default=dict, blank=True)
    residuals_of = models.ForeignKey("Finding", models.CASCADE, null=True, related_name="residuals")

    class Meta:
        ordering = ["place", "pk"]

    def __str__(self) -> str:
        return self.title or ", ".join(plain(one.quantity.symbol) for one in self.traces.all())

    def view(self, side: str) -> Axis:
        """Give the axis of a side."""
        return axis_from(self.axes.get(side, {}))


class Trace(models.Model):
    """A quantity in a graph, on its left or its right axis."""

    graph = models.ForeignKey(Graph, models.CASCADE, related_name="traces")
    quantity = models.ForeignKey(Quantity, models.CASCADE, related_name="+")
    side = models.CharField(max_length=5, default="left", choices=[(one, one) for one in SIDES])

    class Meta:
        ordering = ["side", "pk"]
        constraints = [
            models.UniqueConstraint(fields=["graph", "quantity"], name="one_trace_a_quantity")
        ]

    def __str__(self) -> str:
        return f"{self.quantity.symbol} on the {self.side}"


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
    finding = models.ForeignKey("Finding", models.CASCADE, null=True, related_name="notes")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.text


class Span(models.Model):
    """A stretch of the x axis; its letter, or the name it was given. `asked` is the quantity that
    it was last asked of, or that of the graph on which it was marked off."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="spans")
    letter = models.CharField(max_length=4)
    name = models.CharField(max_length=40, blank=True)
    lo = models.FloatField()
    hi = models.FloatField()
    asked = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.letter


class Marker(models.Model):
    """One place on the x axis; `asked` as of a span."""

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="markers")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=40, blank=True)
    x = models.FloatField()
    asked = models.ForeignKey(Quantity, models.SET_NULL, null=True, related_name="+")

    class Meta:
        ordering = ["pk"]

    def __str__(self) -> str:
        return str(self.number)


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
