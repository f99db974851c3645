"""Readings of a run as a file, and a copy of an experiment."""

from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_POST

from galena.core.errors import SeriesError
from galena.core.formats.comma_separated import file_name
from galena.exchange import duplicating, run_file
from galena.exchange.formats import FORMATS
from galena.experiments.access import experiment_for, run_for
from galena.shell import requested
from galena.shell.worker import WORKERS, WorkerError

LONG = 20_000  # readings from which the writing would hold up the live feed


def file_of_run(request, experiment_id: int, number: int, key: str):
    """Give a run as a file, with names, units and conditions in its head."""
    run = run_for(request, experiment_id, number)
    if key not in FORMATS:
        raise Http404
    chosen = FORMATS[key]
    try:
        columns, head = run_file.columns_of(run), run_file.head_of(run)
    except SeriesError as error:
        context = {"title": "This run cannot be read", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    is_long = max((column.numbers.size for column in columns), default=0) > LONG
    try:
        written = (
            WORKERS.do(chosen.write, head, columns) if is_long else chosen.write(head, columns)
        )
    except WorkerError as error:
        return requested.refused(request, str(error), "This file could not be made", status=503)
    name = file_name(run.experiment.title, f"run {run.number}", run.label) + chosen.suffix
    response = HttpResponse(written, content_type=chosen.media_type)
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


@require_POST
def duplicate(request, experiment_id: int):
    """Make a copy of an experiment and go to the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        duplicating.duplicate(experiment, request.user, runs="runs" in request.POST)
    except ValueError as error:
        context = {"title": "This experiment cannot be copied now", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    return redirect("experiments")
