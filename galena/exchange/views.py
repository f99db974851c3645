"""Readings of a run or of all runs as files, and a copy of an experiment."""

from collections.abc import Callable
from functools import partial

from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import SeriesError, TableError
from galena.core.formats.comma_separated import file_name
from galena.exchange import duplicating, leaving, run_file, sending, working
from galena.exchange.formats import FORMATS, Format
from galena.exchange.working import WHILE_POLLED
from galena.experiments.access import experiment_for, run_for
from galena.shell import requested
from galena.shell.worker import WorkerError


@require_GET
def file_of_run(request, experiment_id: int, number: int, key: str):
    """Give a run as a file, with names, units and conditions in its head."""
    run = run_for(request, experiment_id, number)

    def file(chosen: Format) -> HttpResponseBase:
        name = file_name(run.experiment.title, f"run {run.number}", run.label)
        return sending.single(chosen, run_file.sheet_of(run), name)

    return _file(request, key, file)


@require_GET
def file_of_all(request, experiment_id: int, key: str):
    """Give all runs as one file: a sheet each, or a zip with a file each."""
    experiment = experiment_for(request, experiment_id)

    def file(chosen: Format) -> HttpResponseBase:
        runs = list(experiment.runs.kept())
        if not runs:
            raise TableError("There are no runs yet.")
        sheets = [run_file.sheet_of(run) for run in runs]
        names = sending.names_of(experiment.title, [(run.number, run.label) for run in runs])
        name = file_name(experiment.title, f"{len(runs)} runs")
        return sending.several(chosen, sheets, names, name)

    return _file(request, key, file)


def _file(request, key: str, file: Callable[[Format], HttpResponseBase]) -> HttpResponseBase:
    """Answer with a file in a format, or say why it cannot be made."""
    if key not in FORMATS:
        raise Http404
    try:
        return file(FORMATS[key])
    except SeriesError as error:
        context = {"title": "This run cannot be read", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    except TableError as error:
        context = {"title": "There is no such file", "message": str(error)}
        return render(request, "shell/error.html", context, status=422)
    except WorkerError as error:
        return requested.refused(request, str(error), "This file could not be made", status=503)


@require_GET
def file_of_experiment(request, experiment_id: int):
    """Give the experiment as one file; where that takes long, show how far it is."""
    experiment = experiment_for(request, experiment_id)
    key = f"leaving:{request.user.pk}:{experiment.pk}"
    wait = WHILE_POLLED if request.htmx else working.AT_ONCE
    work = working.of(key, partial(leaving.make, experiment), wait)
    if not work.is_done:
        context = {"experiment": experiment, "work": work, "again": request.path, "tab": "desk"}
        return render(request, "exchange/working.html", context)
    if work.error is not None:
        working.forget(key)
        context = {"title": "This experiment cannot be taken along now", "message": work.error}
        return render(request, "shell/error.html", context, status=409)
    if request.htmx:
        return HttpResponse(status=204, headers={"HX-Redirect": request.path})
    working.forget(key)
    name = file_name(experiment.title, f"{localtime():%Y-%m-%d}")
    path, folder = work.result
    return sending.made(path, folder, name + sending.ZIP_SUFFIX, sending.ZIP)


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
