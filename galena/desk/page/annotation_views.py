"""Spans and markers: marked off, moved, named and taken away."""

from typing import TypeVar

from django.views.decorators.http import require_POST

from galena.desk.annotations import flows
from galena.desk.models import Marker, Sheet, Span
from galena.desk.page import asked_of, responses
from galena.desk.page.forms import MarkerPlace, SpanEnds
from galena.desk.sheets.flows import sheets_of
from galena.desk.sheets.loading import sheet_in
from galena.desk.traces import readout
from galena.experiments.access import experiment_for
from galena.experiments.models import Quantity
from galena.shell import fields, requested

Place = TypeVar("Place", Span, Marker)


@require_POST
def add_span(request, experiment_id: int, sheet_id: int):
    """Mark off a stretch."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)

    def act() -> None:
        lo, hi = _places(request, sheet, SpanEnds)
        span = flows.add_span(sheet, lo, hi, _of_graph(request, sheet))
        responses.open_card(request, sheet, span.pk)

    return responses.changed(request, sheet, "new span", act)


@require_POST
def add_marker(request, experiment_id: int, sheet_id: int):
    """Point at a place."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)

    def act() -> None:
        (x,) = _places(request, sheet, MarkerPlace)
        flows.add_marker(sheet, x, _of_graph(request, sheet))

    return responses.changed(request, sheet, "new marker", act)


@require_POST
def change_span(request, experiment_id: int, span_id: int):
    """Move a span's ends, name it, or take it away."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    act = lambda: flows.move_span(span, *_places(request, sheet, SpanEnds))  # noqa: E731
    return _changed(request, sheet, span, f"span {span}", act)


@require_POST
def change_marker(request, experiment_id: int, marker_id: int):
    """Move a marker, name it, or take it away."""
    marker, sheet = placed(request, experiment_id, Marker, marker_id)
    if marker is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    act = lambda: flows.move_marker(marker, *_places(request, sheet, MarkerPlace))  # noqa: E731
    return _changed(request, sheet, marker, f"marker {marker}", act)


def placed(request, experiment_id: int, kind: type[Place], key: int) -> tuple[Place | None, Sheet]:
    """Give a span or marker with its sheet; where it is gone, the sheet in front."""
    experiment = experiment_for(request, experiment_id)
    place = kind.objects.filter(sheet__experiment=experiment, pk=key).first()
    sheet = None if place is None else sheet_in(experiment, place.sheet_id)
    if place is None or sheet is None:
        return None, front_of(request, experiment)
    place.sheet = sheet
    if isinstance(place, Span):
        responses.open_card(request, place.sheet, place.pk)
    return place, place.sheet


def front_of(request, experiment) -> Sheet:
    return responses.front_of(request, experiment, sheets_of(experiment))


def _of_graph(request, sheet: Sheet) -> Quantity | None:
    """Give the first quantity of the graph on which something was pointed at or marked off."""
    wanted = requested.key_or_none(request.POST.get("graph"))
    graph = next((one for one in sheet.graphs.all() if one.pk == wanted), None)
    traces = [] if graph is None or graph.residuals_of_id else list(graph.traces.all())
    return traces[0].quantity if traces else None


def _changed(request, sheet: Sheet, place: Span | Marker, name: str, move):
    if "remove" in request.POST:
        act = lambda: flows.drop(place, sheet.experiment)  # noqa: E731
        return responses.changed(request, sheet, f"remove {name}", act)
    if "name" in request.POST:
        act = lambda: flows.rename(place, request.POST["name"])  # noqa: E731
        return responses.changed(request, sheet, f"name of {name}", act)
    return responses.changed(request, sheet, f"move {name}", move, about=f"move {name}")


def _places(request, sheet: Sheet, form: type[SpanEnds] | type[MarkerPlace]) -> list[float]:
    """Read places; those that a hand has put there come to rest on the nearest reading."""
    places = list(fields.read(form, request.POST).values())
    return readout.nearest(sheet, places) if "snap" in request.POST else places


@require_POST
def know(request, experiment_id: int, span_id: int):
    """Have a value be known for the readings of the shown runs that lie in a span."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    named, text = request.POST.get("named", ""), request.POST.get("text", "")

    def act() -> None:
        quantity = asked_of.quantity(sheet, request.POST)
        runs = asked_of.runs(sheet, quantity, request.POST)
        flows.know(span, quantity, [one.run for one in runs], named, text, request.user)

    return responses.changed(request, sheet, f"known in span {span}", act, whole=True)
