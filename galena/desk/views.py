"""The Desk: thin answers to its gestures."""

from itertools import zip_longest

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils.html import format_html
from django.views.decorators.http import require_POST

from galena.core import numbers
from galena.core.errors import GalenaError, SeriesError
from galena.desk import figure, flows, ledger, window
from galena.desk.models import Finding, Sheet
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Series
from galena.experiments.readings import of_series
from galena.experiments.views import rail_context
from galena.shell.marks import as_json

ROWS = 200
GONE = "It was taken away in the meantime, perhaps in another window."


def page(request, experiment_id: int):
    """Show the Desk."""
    experiment = experiment_for(request, experiment_id)
    sheet = flows.first_sheet(experiment)
    context = rail_context(experiment) | _ledger_context(sheet)
    context |= {"tab": "desk", "marks": as_json(), "quantities": experiment.measured}
    return render(request, "desk/page.html", context)


def data(request, experiment_id: int):
    """Give the readings of a window for the painter."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    try:
        ends = [float(request.GET[end]) if end in request.GET else None for end in ("lo", "hi")]
        columns = int(request.GET.get("columns", "800"))
    except ValueError:
        return HttpResponse("lo and hi are numbers, columns a whole one.", status=400)
    try:
        packed = window.encode(sheet, *ends, columns)
    except SeriesError as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    response = HttpResponse(packed, content_type="application/octet-stream")
    response["Cache-Control"] = "no-store"
    return response


def at(request, experiment_id: int):
    """Read the runs at a place."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    try:
        x = float(request.GET.get("x", ""))
        step = int(request.GET.get("step", "0"))
        return JsonResponse(window.at(sheet, x, step))
    except SeriesError as error:
        return JsonResponse({"trouble": str(error)})
    except ValueError:
        return JsonResponse({"trouble": "x is a number, step a whole one."}, status=400)


def show_ledger(request, experiment_id: int):
    """Give the ledger as it is now."""
    return _ledger(request, flows.first_sheet(experiment_for(request, experiment_id)))


@require_POST
def choose_quantity(request, experiment_id: int):
    """Show another quantity."""
    experiment = experiment_for(request, experiment_id)
    sheet = flows.first_sheet(experiment)
    key = request.POST.get("quantity", "")
    chosen = get_object_or_404(experiment.quantities, pk=key if key.isdecimal() else 0)
    flows.choose_quantity(sheet, chosen)
    return _ledger(request, sheet)


@require_POST
def add_span(request, experiment_id: int):
    """Mark off a stretch."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    return _changed(request, sheet, lambda: flows.add_span(sheet, *_numbers(request, "lo", "hi")))


@require_POST
def change_span(request, experiment_id: int, span_id: int):
    """Move a span's ends, or take it away."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    return _moved_or_removed(request, sheet, sheet.spans, span_id, flows.move_span, "lo", "hi")


@require_POST
def ask(request, experiment_id: int, span_id: int):
    """Ask something of a span of every shown run."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    span = sheet.spans.filter(pk=span_id).first()
    if span is None:
        return _ledger(request, sheet, GONE)
    kind = request.POST.get("kind", "")

    def asked() -> None:
        runs = [one.run for one in window.shown_runs(sheet)]
        flows.ask(span, kind, sheet.quantity, runs)

    return _changed(request, sheet, asked)


@require_POST
def drop_finding(request, experiment_id: int, finding_id: int):
    """Take a finding away."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    finding = Finding.objects.filter(span__sheet=sheet, pk=finding_id).first()
    if finding is None:
        return _ledger(request, sheet, GONE)
    return _changed(request, sheet, lambda: flows.drop(finding, sheet.experiment))


@require_POST
def add_marker(request, experiment_id: int):
    """Point at a place."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    return _changed(request, sheet, lambda: flows.add_marker(sheet, *_numbers(request, "x")))


@require_POST
def change_marker(request, experiment_id: int, marker_id: int):
    """Move a marker, or take it away."""
    sheet = flows.first_sheet(experiment_for(request, experiment_id))
    return _moved_or_removed(request, sheet, sheet.markers, marker_id, flows.move_marker, "x")


def drawer(request, experiment_id: int, number: int):
    """Give a page of a run's readings."""
    run = run_for(request, experiment_id, number)
    measured = Series.objects.filter(stream__run=run).exclude(quantity=None)
    measured = list(measured.select_related("quantity", "stream__run"))
    try:
        read = zip(measured, of_series(measured), strict=True)
    except SeriesError as error:
        return HttpResponse(format_html('<p class="notice">{}</p>', error))
    found = [(series.quantity, one) for series, one in read if len(one)]
    try:
        first = max(0, int(request.GET.get("first", "0")))
    except ValueError:
        first = 0
    columns = [_column(run, quantity, one, first) for quantity, one in found]
    longest = max((len(one) for _, one in found), default=0)
    context = {
        "experiment": run.experiment,
        "run": run,
        "runs": run.experiment.runs.kept(),
        "columns": columns,
        "rows": zip_longest(*(cells for one in columns for cells in one["cells"]), fillvalue=""),
        "first": first,
        "count": longest,
        "last": min(first + ROWS, longest),
        "before": max(0, first - ROWS) if first else None,
        "after": first + ROWS if first + ROWS < longest else None,
    }
    return render(request, "desk/_readings.html", context)


def _column(run, quantity, found, first: int) -> dict:
    part = slice(first, first + ROWS)
    decimals = window.time_decimals(run)
    times = [numbers.fixed(t, decimals) for t in found.t[part].tolist()]
    values = [numbers.fixed(y, quantity.decimals) for y in found.y[part].tolist()]
    return {"quantity": quantity, "cells": [times, values]}


def picture(request, experiment_id: int):
    """Give a small picture of the experiment's graph for the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        made = figure.of_sheet(flows.first_sheet(experiment), size=(260, 130), bare=True)
    except SeriesError as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    return HttpResponse(figure.draw(made), content_type="image/svg+xml")


def _numbers(request, *names: str) -> list[float]:
    return [numbers.parse(request.POST.get(name, ""), f"The place ({name})") for name in names]


def _moved_or_removed(request, sheet: Sheet, things, key: int, move, *places: str) -> HttpResponse:
    thing = things.filter(pk=key).first()
    if thing is None:
        return _ledger(request, sheet, GONE)
    if "remove" in request.POST:
        return _changed(request, sheet, lambda: flows.drop(thing, sheet.experiment))
    return _changed(request, sheet, lambda: move(thing, *_numbers(request, *places)))


def _changed(request, sheet: Sheet, change) -> HttpResponse:
    try:
        change()
    except GalenaError as error:
        return _ledger(request, sheet, str(error))
    return _ledger(request, sheet)


def _ledger(request, sheet: Sheet, trouble: str = "") -> HttpResponse:
    context = _ledger_context(sheet)
    context["trouble"] = trouble or context["trouble"]
    return render(request, "desk/_ledger.html", context)


def _ledger_context(sheet: Sheet) -> dict:
    trouble = ""
    try:
        spans, markers = ledger.cards(sheet)
    except SeriesError as error:
        spans, markers, trouble = [], [], str(error)
    return {
        "experiment": sheet.experiment,
        "sheet": sheet,
        "trouble": trouble,
        "spans": spans,
        "markers": markers,
        "overlay": ledger.overlay(sheet, spans, markers),
    }
