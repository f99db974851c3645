"""All changes of sheets, graphs and axes."""

from django.db import transaction
from django.db.models import Max

from galena.core.axes import Axis, checked
from galena.desk.errors import DeskError
from galena.desk.models import SIDES, Graph, Note, Sheet, Trace, axis_kept
from galena.desk.sheets.loading import sheets_in
from galena.experiments import columns
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Quantity, Run

MOST_SHEETS, MOST_GRAPHS, MOST_TRACES = 20, 8, 8
FIRST_SHOWN = 3  # graphs of what a file brought
LEAST_SHARE = 0.15
LINES = ("auto", "on", "off")
SIZES = (0.6, 1.0, 1.5, 2.2)


def sheets_of(experiment: Experiment) -> list[Sheet]:
    """Give the experiment's sheets in order, with their graphs; there is always one.

    Where a calibration has made another quantity of what a graph showed, it shows that.
    """
    sheets = sheets_in(experiment)
    if not sheets:
        with transaction.atomic():  # holds the one write lock: two windows make one sheet
            if not experiment.sheets.exists():
                experiment.sheets.create(x=None).graphs.create()
        sheets = sheets_in(experiment)
    if _in_want(sheets, experiment):
        with (
            transaction.atomic()
        ):  # two windows repair one after the other: the second finds it done
            _repair(sheets_in(experiment), experiment)
        sheets = sheets_in(experiment)
    return sheets


def first_sheet(experiment: Experiment) -> Sheet:
    """Give the experiment's first sheet."""
    return sheets_of(experiment)[0]


def _in_want(sheets: list[Sheet], experiment: Experiment) -> bool:
    """Tell whether graphs show what has no readings, while something else has."""
    shown = experiment.shown
    obsolete = any(trace.quantity not in shown for sheet in sheets for trace in sheet.traces)
    return bool(shown) and (obsolete or not sheets[0].traces)


def _repair(sheets: list[Sheet], experiment: Experiment) -> None:
    """Have graphs show what has readings."""
    shown = experiment.shown
    with_readings = [one for one in shown if one.kind != Quantity.Kind.ENTERED] or shown
    for sheet in sheets:
        for trace in sheet.traces:
            if trace.quantity in shown:
                continue
            instead = _same_source(trace.quantity, shown) or _only(sheet, with_readings)
            others = Trace.objects.filter(graph=trace.graph_id, quantity=instead)
            if instead is not None and not others.exists():
                Trace.objects.filter(pk=trace.pk).update(quantity=instead)
    first = sheets[0]
    if not first.traces and with_readings:
        _begin(first, experiment, with_readings)


def _same_source(quantity: Quantity, shown: list[Quantity]) -> Quantity | None:
    source = quantity.source.split("|")[:4]
    return next((one for one in shown if one.source.split("|")[:4] == source), None)


def _only(sheet: Sheet, measured: list[Quantity]) -> Quantity | None:
    """Give another quantity where a sheet shows nothing but one that has no readings any more."""
    return measured[0] if measured and len(sheet.traces) == 1 else None


def _begin(sheet: Sheet, experiment: Experiment, quantities: list[Quantity]) -> None:
    graph = sheet.graphs.first() or sheet.graphs.create()
    if not sheet.spans_made and not sheet.markers_made:
        sheet.x = _x_of(experiment)
        sheet.save(update_fields=["x"])
    others = [one for one in quantities if one != sheet.x] or quantities
    graph.traces.create(quantity=others[0])


def _x_of(experiment: Experiment) -> Quantity | None:
    """Give what was typed with the readings, or stands first, where no run goes over time."""
    runs = experiment.runs.kept()
    if runs.of_kind(is_timed=True).exists():
        return None
    return next(iter([*experiment.entered, *experiment.measured]), None)


def add_sheet(
    experiment: Experiment, x: Quantity | None, ys: list[Quantity], title: str = ""
) -> Sheet:
    """Make a further sheet, a graph for each quantity."""
    if len(sheets_of(experiment)) >= MOST_SHEETS:
        raise DeskError(f"There are {MOST_SHEETS} sheets already. Take one away first.")
    if not ys:
        raise DeskError("Choose at least one quantity for the upright axis.")
    place = (experiment.sheets.aggregate(Max("place"))["place__max"] or 0) + 1
    sheet = experiment.sheets.create(place=place, x=x, title=_title(title))
    for number, quantity in enumerate(ys[:MOST_GRAPHS]):
        sheet.graphs.create(place=number).traces.create(quantity=quantity)
    return sheet


def show_taken(experiment: Experiment, runs: list[Run]) -> Sheet:
    """Give the sheet that shows what a file brought; one is made where none does."""
    quantities = _quantities_of(runs[0])
    sheets = sheets_of(experiment)
    showing = next((one for one in sheets if set(one.quantities) & set(quantities)), None)
    timed = runs[0].kind.is_timed
    if showing is None and len(sheets) < MOST_SHEETS and quantities:
        x, ys = (None, quantities) if timed else (quantities[0], quantities[1:] or quantities)
        return add_sheet(experiment, x, ys[:FIRST_SHOWN])
    sheet = showing or sheets[0]
    if timed and experiment.runs.kept().count() == len(runs) and len(sheets) == 1:
        for quantity in quantities[len(sheet.graphs.all()) : FIRST_SHOWN]:
            if quantity not in sheet.quantities:
                add_graph(sheet, quantity)
    return sheet


def _quantities_of(run: Run) -> list[Quantity]:
    blocks = columns.of_run(run).blocks
    return [column.quantity for block in blocks for column in block.columns.values()]


def drop_sheet(sheet: Sheet) -> None:
    """Take a sheet away with all that lies on it; the last one stays."""
    if sheet.experiment.sheets.count() == 1:
        raise DeskError("This is the only sheet. Make another before you take it away.")
    sheet.delete()


def retitle(titled: Sheet | Graph, title: str) -> None:
    """Give a sheet or a graph a title; empty goes back to the suggested one."""
    titled.title = _title(title)
    titled.save(update_fields=["title"])


def set_beside(sheet: Sheet, beside: bool) -> None:
    """Show a sheet beside the one in front, or no longer; one at a time is beside."""
    sheet.experiment.sheets.exclude(pk=sheet.pk).filter(beside=True).update(beside=False)
    sheet.beside = beside
    sheet.save(update_fields=["beside"])


def choose_x(sheet: Sheet, quantity: Quantity | None, *, is_carried: bool = False) -> None:
    """Have the graphs go over another quantity, or over time (None).

    is_carried: whether the places marked on the x axis that there is have gone along. Raises
    DeskError where there are some that have not.
    """
    if quantity == sheet.x:
        return
    if is_carried:
        sheet.x, sheet.x_axis = quantity, {}
        sheet.save(update_fields=["x", "x_axis"])
        return
    if sheet.spans.exists() or sheet.markers.exists():
        raise DeskError(
            f"Spans and markers lie on {sheet.x_symbol}. Take them away before the graphs go "
            f"over {quantity.symbol if quantity else 't'}, or make another sheet of it."
        )
    if Note.objects.filter(graph__sheet=sheet).exists():
        raise DeskError("Notes are tied to places on this axis. Take them away first.")
    sheet.x, sheet.x_axis = quantity, {}
    sheet.save(update_fields=["x", "x_axis"])


def choose_quantity(sheet: Sheet, quantity: Quantity) -> None:
    """Have the sheet's first graph show a quantity and nothing else."""
    graph = sheet.graphs.first() or sheet.graphs.create()
    show(graph, {quantity: "left"})


def show(graph: Graph, sides: dict[Quantity, str]) -> None:
    """Have a graph show these quantities, each on the axis of its side."""
    if not sides:
        raise DeskError("A graph shows at least one quantity. To be rid of it, take it away.")
    if len(sides) > MOST_TRACES:
        raise DeskError(f"A graph shows at most {MOST_TRACES} quantities.")
    before = {trace.quantity_id: trace for trace in graph.traces.all()}
    for key, trace in before.items():
        if key not in {quantity.pk for quantity in sides}:
            trace.delete()
    for quantity, side in sides.items():
        Trace.objects.update_or_create(
            graph=graph, quantity=quantity, defaults={"side": side if side in SIDES else "left"}
        )
    after = {trace.quantity_id: trace.side for trace in graph.traces.all()}
    was = {key: trace.side for key, trace in before.items()}
    for side in SIDES:  # limits were for what the axis showed
        if {k for k, s in after.items() if s == side} != {k for k, s in was.items() if s == side}:
            graph.axes.pop(side, None)
    graph.save(update_fields=["axes"])


def add_graph(sheet: Sheet, quantity: Quantity) -> Graph:
    """Put a further graph under the others."""
    graphs = list(sheet.graphs.all())
    if len(graphs) >= MOST_GRAPHS:
        raise DeskError(f"A sheet holds {MOST_GRAPHS} graphs. Take one away, or make a sheet.")
    place = max((one.place for one in graphs), default=-1) + 1
    graph = Graph.objects.create(sheet=sheet, place=place)
    Trace.objects.create(graph=graph, quantity=quantity)
    return graph


def drop_graph(graph: Graph) -> None:
    """Take a graph away; the last one of a sheet stays."""
    if graph.sheet.graphs.count() == 1:
        raise DeskError("This is the only graph of its sheet. Take the sheet away instead.")
    graph.delete()


def move_graph(graph: Graph, by: int) -> None:
    """Move a graph up (-1) or down (1) among the others."""
    graphs = list(Graph.objects.filter(sheet=graph.sheet_id))
    place = next(i for i, other in enumerate(graphs) if other.pk == graph.pk)
    graphs.insert(min(max(place + by, 0), len(graphs) - 1), graphs.pop(place))
    for number, other in enumerate(graphs):
        other.place = number
    Graph.objects.bulk_update(graphs, ["place"])


def resize(sheet: Sheet, shares: dict[int, float]) -> None:
    """Give graphs other shares of the height."""
    graphs = list(sheet.graphs.all())
    for graph in graphs:
        share = shares.get(graph.pk, graph.share)
        if not LEAST_SHARE <= share <= 100:
            raise DeskError("A graph needs some height to be read. Make it higher.")
        graph.share = share
    Graph.objects.bulk_update(graphs, ["share"])


def set_axis(owner: Sheet | Graph, side: str, axis: Axis) -> None:
    """Give the x axis of a sheet, or the axis of a graph's side, other limits or a logarithm."""
    if isinstance(owner, Sheet):
        owner.x_axis = axis_kept(axis)
        owner.save(update_fields=["x_axis"])
    elif side in SIDES:
        owner.axes[side] = axis_kept(axis)
        owner.save(update_fields=["axes"])


def set_view(
    sheet: Sheet, along: dict[str, list | None], graphs: dict[int, dict[str, list | None]]
) -> None:
    """Keep the limits that a hand has moved; None shows all. Raises AxisError.

    along: the limits of x, where those were moved; graphs: those of each graph by side.
    """
    for limits in along.values():
        set_axis(sheet, "x", checked(*(limits or (None, None)), log=sheet.x_view.log))
    for graph in sheet.graphs.all():
        for side, limits in graphs.get(graph.pk, {}).items():
            if side in SIDES:
                log = graph.view(side).log
                graph.axes[side] = axis_kept(checked(*(limits or (None, None)), log=log))
        graph.save(update_fields=["axes"])
    touch(sheet.experiment)


def set_look(sheet: Sheet, look: dict) -> None:
    """Choose lines, size of the marks, error bars, legend and black-and-white."""
    kept = dict(sheet.look)
    if look.get("lines") in LINES:
        kept["lines"] = look["lines"]
    if look.get("size") in SIZES:
        kept["size"] = look["size"]
    for name in ("errors", "legend", "plain"):
        if isinstance(look.get(name), bool):
            kept[name] = look[name]
    if "legend_at" in look:
        kept["legend_at"] = look["legend_at"]
    sheet.look = kept
    sheet.save(update_fields=["look"])


def _title(title: str) -> str:
    line = " ".join(title.split())
    if len(line) > 200:
        raise DeskError("Keep the title to 200 characters.")
    return line
