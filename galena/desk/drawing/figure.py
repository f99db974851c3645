"""What a graph shows on paper, in the list of experiments and for download."""

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from galena.core.decimate import envelope
from galena.desk.drawing import window
from galena.desk.ledger import cards, overlay
from galena.desk.models import SIDES, Graph, Sheet
from galena.desk.models import Trace as Shown
from galena.desk.traces.drawn import Drawn, drawn
from galena.shell.marks import FILLINGS, QUANTITY_DASHES, Mark, mark_of

LOWEST = 150  # pixels of a graph in a stack
FEW = 120  # readings up to which each gets its mark and no line joins them
Label = tuple[str, str]  # symbol and unit


@dataclass(frozen=True)
class Trace:
    """One run's readings of a quantity in the figure.

    filling: the place of the quantity among those of its graph; None where it is alone.
    """

    number: int
    label: str
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    marked: int
    aside: NDArray[np.bool_] | None = None
    u: NDArray[np.float64] | None = None
    side: str = "left"
    filling: int | None = None

    @property
    def mark(self) -> Mark:
        return mark_of(self.marked)

    @property
    def dash(self) -> tuple[float, ...]:
        """How its line is broken: as the run's mark says, or its quantity among several."""
        if self.filling is None:
            return self.mark.dash
        return QUANTITY_DASHES[self.filling % len(QUANTITY_DASHES)]


@dataclass(frozen=True)
class Upright:
    """An upright axis: what stands on it, its lowest and highest value."""

    labels: tuple[Label, ...]
    limits: tuple[float, float]
    log: bool = False


@dataclass(frozen=True)
class Figure:
    """A graph to be drawn; uprights: its axes by their sides, the left one always there.

    A curve of the axis of another side than the left says so as its `side`.
    """

    x_label: Label
    x_limits: tuple[float, float]
    uprights: dict[str, Upright]
    traces: tuple[Trace, ...]
    curves: tuple[dict, ...] = ()
    spans: tuple[tuple[str, float, float], ...] = ()
    x_log: bool = False
    size: tuple[int, int] = (640, 330)
    bare: bool = field(default=False)  # a small picture without words


def of_sheet(sheet: Sheet, *, size: tuple[int, int] = (640, 330), bare: bool = False) -> Figure:
    """Make the figure of a sheet's first graph as it stands, showing all readings."""
    graph = next((one for one in sheet.graphs.all() if one.residuals_of_id is None), None)
    shown = [one for one in drawn(sheet) if graph and one.trace.graph_id == graph.pk]
    x_limits = window.x_limits(sheet, [one.read for one in shown])
    spans = cards.of_sheet(sheet).spans if not bare else []
    return _of_graph(sheet, graph, shown, spans, x_limits, size, bare=bare)


def stack(
    sheet: Sheet, spans: list[cards.SpanCard] | None = None, *, width: int = 760, height: int = 470
) -> list[Figure]:
    """Make the figures of all graphs of a sheet, one under the other, with the limits they have.

    spans: the cards of its spans, where they are at hand.
    """
    graphs = list(sheet.graphs.all())
    everything = drawn(sheet)
    view = sheet.x_view
    lo, hi = window.x_limits(sheet, [one.read for one in everything])
    x_limits = (lo if view.lo is None else view.lo, hi if view.hi is None else view.hi)
    spans = cards.of_sheet(sheet).spans if spans is None else spans
    each = max(LOWEST, height // max(1, len(graphs)))
    figures = []
    for place, graph in enumerate(graphs):
        shown = [one for one in everything if one.trace.graph_id == graph.pk]
        drawing = _of_graph(sheet, graph, shown, spans, x_limits, (width, each))
        # letters stand over the first graph only; the stretches go through all
        letters = (
            drawing.spans if place == 0 else tuple(("", lo, hi) for _, lo, hi in drawing.spans)
        )
        figures.append(replace(drawing, uprights=_as_set(graph, drawing.uprights), spans=letters))
    return figures


def _as_set(graph: Graph, uprights: dict[str, Upright]) -> dict[str, Upright]:
    """Give the axes with the limits that a hand has set, where it has."""
    limited = {}
    for side, upright in uprights.items():
        view, (lo, hi) = graph.view(side), upright.limits
        limits = (lo if view.lo is None else view.lo, hi if view.hi is None else view.hi)
        limited[side] = replace(upright, limits=limits)
    return limited


def _of_graph(
    sheet: Sheet, graph: Graph | None, shown: list[Drawn], spans: list[cards.SpanCard],
    x_limits: tuple[float, float], size: tuple[int, int], *, bare: bool = False,
) -> Figure:  # fmt: skip
    traces = list(graph.traces.all()) if graph else []
    rows = [row for card in spans for row in card.rows]
    sides = {trace.quantity_id: trace.side for trace in traces}
    used = {row.finding.span_id for row in rows}
    return Figure(
        x_label=(sheet.x_symbol, sheet.x_unit),
        x_limits=x_limits,
        uprights=_uprights(graph, traces, shown),
        traces=tuple(_trace(one, traces, x_limits, size[0]) for one in shown),
        curves=tuple(
            one | {"side": sides[one["quantity"]]}
            for one in overlay.curves(sheet, rows) if one["quantity"] in sides
        ),
        spans=tuple(
            (card.span.letter, card.span.lo, card.span.hi) for card in spans if card.span.pk in used
        ),
        x_log=sheet.x_view.log,
        size=size,
        bare=bare,
    )  # fmt: skip


def told_apart(sheet: Sheet) -> list[tuple[Shown, str]]:
    """Give the quantities of a sheet's first graph with the filling of their marks, if several."""
    graph = next((one for one in sheet.graphs.all() if one.residuals_of_id is None), None)
    return [] if graph is None else filled(graph)


def filled(graph: Graph) -> list[tuple[Shown, str]]:
    """Give the quantities of a graph with the filling of their marks, if several."""
    traces = list(graph.traces.all())
    several = len(traces) > 1
    return [(trace, FILLINGS[place % len(FILLINGS)] if several else "")
            for place, trace in enumerate(traces)]  # fmt: skip


def _uprights(graph: Graph | None, traces: list[Shown], shown: list[Drawn]) -> dict[str, Upright]:
    uprights = {}
    for side in SIDES:
        of_side = [one for one in traces if one.side == side]
        if graph is None or (not of_side and side != "left"):
            continue
        log = graph.view(side).log
        labels = tuple((one.quantity.symbol, one.quantity.unit) for one in of_side)
        read = [one.read for one in shown if one.trace.side == side]
        uprights[side] = Upright(labels, window.y_limits(read, log=log), log)
    return uprights or {"left": Upright((), window.y_limits([]))}


def _trace(
    one: Drawn, traces: list[Shown], limits: tuple[float, float], width: int
) -> Trace:  # fmt: skip
    run, place = one.read.run, [trace.pk for trace in traces].index(one.trace.pk)
    side, filling = one.trace.side, place if len(traces) > 1 else None
    readings = one.read.readings if len(one.read.readings) <= FEW else one.read.readings.counted
    x, y, aside = readings.t, readings.y, readings.aside
    if x.size > FEW:
        x, y = envelope(x, y, limits[0], limits[1], min(250, width // 2))
        aside = None
    return Trace(
        run.number, run.label, x, y, run.marked, aside, side=side, filling=filling
    )  # fmt: skip
