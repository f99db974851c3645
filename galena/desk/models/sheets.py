"""Sheets, their graphs, and what each graph shows."""

from django.db import models

from galena.core.axes import Axis
from galena.core.symbols import plain
from galena.experiments.models import Experiment, Quantity

SIDES = ("left", "right", "third")  # the third axis stands beside the right one


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
    drawn_over: dict | None = None  # of a sheet beside the one in front: what its ledger draws

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
    def bends_lines(self) -> bool:
        """Whether a straight line is drawn bent in one of its graphs: over a logarithmic axis."""
        axes = [self.x_axis, *(one for graph in self.graphs.all() for one in graph.axes.values())]
        return any(axis_from(one).log for one in axes)

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
    """Quantities over the sheet's x, on up to three axes; `share` is of the height.

    With `residuals_of` it shows what a fit leaves over of its one quantity.
    """

    sheet = models.ForeignKey(Sheet, models.CASCADE, related_name="graphs")
    place = models.PositiveIntegerField(default=0)
    title = models.CharField(max_length=200, blank=True)
    share = models.FloatField(default=1.0)
    axes = models.JSONField(default=dict, blank=True)
    residuals_of = models.ForeignKey(
        "desk.Finding", models.CASCADE, null=True, related_name="residuals"
    )

    class Meta:
        ordering = ["place", "pk"]

    def __str__(self) -> str:
        return self.title or ", ".join(plain(one.quantity.symbol) for one in self.traces.all())

    def view(self, side: str) -> Axis:
        """Give the axis of a side."""
        return axis_from(self.axes.get(side, {}))


class Trace(models.Model):
    """A quantity in a graph, on one of its axes."""

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
