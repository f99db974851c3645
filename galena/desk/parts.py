"""What of the Desk goes along into a copy of an experiment."""

from typing import Any

from django.urls import reverse

from galena.desk.ledger.cards import of_sheet
from galena.desk.ledger.overlay import overlay
from galena.desk.models import Finding, Graph, Harvest, Marker, Note, Sheet, Span, Trace
from galena.desk.sheets.flows import show_taken
from galena.exchange import taken
from galena.exchange.parts import Belongs, Keys, Part, Point, register
from galena.experiments.models import Condition, Experiment, Quantity, Run

WORDS = Belongs.WORDS


def register_parts() -> None:
    """Have the Desk's rows copied with their experiment."""
    register(
        Part(Sheet, "experiment"),
        Part(Graph, "sheet__experiment"),  # those of what a fit leaves over come with the fits
        Part(Trace, "graph__sheet__experiment"),
        Part(Span, "sheet__experiment", WORDS),
        Part(Marker, "sheet__experiment", WORDS),
        Part(Finding, "sheet__experiment", WORDS, pointed={"details": _details}),
        Part(Note, "graph__sheet__experiment", WORDS),
        Part(Harvest, "run__experiment", WORDS, pointed={"rows": _rows, "columns": _columns}),
        bare=_bare, shown=_look_through,
    )  # fmt: skip
    taken.register(_shown)


def _shown(experiment: Experiment, runs: list[Run]) -> str:
    sheet = show_taken(experiment, runs)
    return f"{reverse('desk', args=[experiment.pk])}?front={sheet.pk}"


def _look_through(experiment: Experiment) -> None:
    """Ask all findings, and lay all sheets out. Raises where one cannot be shown."""
    for sheet in experiment.sheets.prefetch_related("graphs__traces__quantity"):
        str(sheet), sheet.layout
        overlay(of_sheet(sheet))


def _bare(copy: Experiment, keys: Keys) -> None:
    """Take away from the sheets of a copy without runs what was said of these."""
    graphs = Graph.objects.filter(sheet__experiment=copy)
    of_fits = Graph.objects.filter(pk__in=keys[Graph]).exclude(residuals_of=None)
    graphs.filter(pk__in=[keys[Graph][one.pk] for one in of_fits]).delete()
    Sheet.objects.filter(experiment=copy).update(spans_made=0, markers_made=0, x_axis={})
    graphs.update(axes={})


def _details(details: dict[str, Any], point: Point) -> dict[str, Any]:
    """Have a finding be built on the copies of what it is built on."""
    pointed = dict(details)
    if "of" in details:
        pointed["of"] = [_source(source, point) for source in details["of"]]
    if "symbols" in details:
        pointed["symbols"] = {
            symbol: _source(source, point) for symbol, source in details["symbols"].items()
        }
    return pointed


def _source(source: int | list, point: Point) -> int | list | None:
    """Point at a finding named by its key, or by a pair of it and the name of a number."""
    if isinstance(source, list):
        return [point(Finding, source[0]), *source[1:]]
    return point(Finding, source)


def _rows(rows: list[list], point: Point) -> list[list]:
    return [[point(Run, run), None if span is None else point(Span, span)] for run, span in rows]


def _columns(columns: list[dict[str, Any]], point: Point) -> list[dict[str, Any]]:
    named = (("quantity", Quantity), ("of", Quantity), ("condition", Condition))
    return [
        column | {name: point(model, column[name]) for name, model in named if name in column}
        for column in columns
    ]
