"""The Desk: the page, its readings, and undo."""

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from galena.core.errors import GalenaError, SeriesError
from galena.desk import answers, figure, history, reading, sheets, window
from galena.experiments.access import experiment_for
from galena.experiments.views import rail_context
from galena.shell.marks import as_json


def page(request, experiment_id: int):
    """Show the Desk."""
    experiment = experiment_for(request, experiment_id)
    context = rail_context(experiment) | answers.sheets_context(request, experiment)
    return render(
        request,
        "desk/page.html",
        context | {"tab": "desk", "marks": as_json(experiment.chosen_marks)},
    )


def data(request, experiment_id: int, sheet_id: int):
    """Give the readings of a window for the painter."""
    sheet = answers.sheet_for(request, experiment_id, sheet_id)
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


def at(request, experiment_id: int, sheet_id: int):
    """Read the graphs at a place."""
    sheet = answers.sheet_for(request, experiment_id, sheet_id)
    try:
        if "row" in request.GET:
            number, row = int(request.GET.get("run", "")), int(request.GET["row"])
            return JsonResponse(reading.at_row(sheet, number, row))
        x = float(request.GET.get("x", ""))
        step = int(request.GET.get("step", "0"))
        return JsonResponse(reading.at(sheet, x, step, free="free" in request.GET))
    except SeriesError as error:
        return JsonResponse({"trouble": str(error)})
    except ValueError:
        return JsonResponse({"trouble": "x is a number, step a whole one."}, status=400)


def show_ledger(request, experiment_id: int, sheet_id: int):
    """Give the ledger of a sheet as it is now."""
    return answers.show_ledger(request, answers.sheet_for(request, experiment_id, sheet_id))


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
        return answers.show_sheets(request, experiment, str(error))
    response = answers.show_sheets(request, experiment)
    response["HX-Trigger-After-Settle"] = "table-changed"
    return response


def picture(request, experiment_id: int):
    """Give a small picture of the experiment's first graph for the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        made = figure.of_sheet(sheets.first_sheet(experiment), size=(260, 130), bare=True)
    except SeriesError as error:
        return HttpResponse(str(error), status=409, content_type="text/plain")
    return HttpResponse(figure.draw(made), content_type="image/svg+xml")
