"""The Desk: the page, its readings, and undo."""

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from galena.core.errors import GalenaError, SeriesError
from galena.desk import history
from galena.desk.drawing import figure, paper, window
from galena.desk.ledger import cards, rows
from galena.desk.page import responses
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces import readout
from galena.experiments.access import experiment_for
from galena.experiments.docks import docks_of
from galena.experiments.views import rail_context
from galena.shell import requested
from galena.shell.marks import as_json

MOST_COLUMNS, FURTHEST = 20_000, 10**12  # of pixels; a row that no run has


def page(request, experiment_id: int):
    """Show the Desk."""
    experiment = experiment_for(request, experiment_id)
    context = rail_context(experiment) | responses.sheets_context(request, experiment)
    return render(
        request,
        "desk/page.html",
        context
        | {"tab": "desk", "marks": as_json(experiment.chosen_marks)}
        | {"docks": docks_of("desk", experiment)},
    )


def data(request, experiment_id: int, sheet_id: int):
    """Give the readings of a window for the painter."""
    sheet = responses.sheet_as_it_is(request, experiment_id, sheet_id)
    if sheet is None:
        return HttpResponse(status=204)
    got = request.GET
    lo, hi = (requested.end(got[end], end) if end in got else None for end in ("lo", "hi"))
    columns = requested.whole(
        got.get("columns"), "Columns", 1, MOST_COLUMNS, otherwise=800, clip=True
    )
    try:
        packed = window.encode(sheet, lo, hi, columns)
    except SeriesError as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    response = HttpResponse(packed, content_type="application/octet-stream")
    response["Cache-Control"] = "no-store"
    return response


def at(request, experiment_id: int, sheet_id: int):
    """Read the graphs at a place."""
    sheet = responses.sheet_as_it_is(request, experiment_id, sheet_id)
    if sheet is None:
        return HttpResponse(status=204)
    try:
        if "row" in request.GET:
            number = requested.key(request.GET.get("run"))
            row = requested.whole(request.GET["row"], "Row", 0, FURTHEST, clip=True)
            return JsonResponse(readout.at_row(sheet, number, row))
        x = requested.number(request.GET.get("x"), "x")
        step = requested.whole(request.GET.get("step"), "Step", -1000, 1000, otherwise=0, clip=True)
        return JsonResponse(readout.at(sheet, x, step, free="free" in request.GET))
    except SeriesError as error:
        return JsonResponse({"trouble": str(error)})
    except requested.RequestError as error:
        return JsonResponse({"trouble": str(error)}, status=422)


def show_ledger(request, experiment_id: int, sheet_id: int):
    """Give the ledger of a sheet as it is now."""
    sheet = responses.sheet_or_none(request, experiment_id, sheet_id)
    if sheet is None:
        return HttpResponse(status=204)
    responses.open_card(request, sheet, requested.key_or_none(request.GET.get("open")))
    return responses.show_ledger(request, sheet)


def show_symbols(request, experiment_id: int, sheet_id: int):
    """List what a formula over the findings of a sheet can name."""
    sheet = responses.sheet_or_none(request, experiment_id, sheet_id)
    if sheet is None:
        return HttpResponse(status=204)
    ledger = cards.Ledger(sheet, [], [], [], rows.rows(sheet))
    return render(request, "desk/_symbols.html", {"ledger": ledger})


@require_POST
def undo(request, experiment_id: int):
    """Take the person's last act back."""
    return _acted(request, experiment_id, history.undo)


@require_POST
def redo(request, experiment_id: int):
    """Do again what the person undid last."""
    return _acted(request, experiment_id, history.redo)


def _acted(request, experiment_id: int, act):
    experiment = experiment_for(request, experiment_id)
    try:
        act(experiment, request.user)
    except GalenaError as error:
        return responses.show_sheets(request, experiment, str(error))
    response = responses.show_sheets(request, experiment)
    response["HX-Trigger-After-Settle"] = "table-changed"
    return response


def picture(request, experiment_id: int):
    """Give a small picture of the experiment's first graph for the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        drawing = figure.of_sheet(sheet_flows.first_sheet(experiment), size=(260, 130), bare=True)
    except SeriesError as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    return HttpResponse(paper.draw(drawing), content_type="image/svg+xml")
