"""Readings of a run or of all runs as files, and a copy of an experiment."""

from collections.abc import Callable
from functools import partial

from django.http import Http404
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.utils.timezone import localtime
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import for_teachers
from galena.core.errors import GalenaError, SeriesError, TableError
from galena.core.formats.comma_separated import file_name
from galena.core.formats.sheets import Sheet
from galena.exchange import duplicating, leaving, run_file, sending, working
from galena.exchange.formats import FORMATS
from galena.exchange.working import WHILE_POLLED, Work
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Experiment
from galena.shell import requested
from galena.shell.worker import WorkerError

Sheets = tuple[list[Sheet], list[str], str]  # tables, the names of their files, and of all


@require_GET
def file_of_run(request, experiment_id: int, number: int, key: str):
    """Give a run as a file, with names, units and conditions in its head."""
    run = run_for(request, experiment_id, number)

    def sheets() -> Sheets:
        name = file_name(run.experiment.title, f"run {run.number}", run.label)
        return [run_file.sheet_of(run)], [name], name

    return _file(request, run.experiment, key, f"run {number}", sheets)


@require_GET
def file_of_all(request, experiment_id: int, key: str):
    """Give all runs as one file: a sheet each, or a zip with a file each."""
    experiment = experiment_for(request, experiment_id)

    def sheets() -> Sheets:
        runs = list(experiment.runs.kept())
        if not runs:
            raise TableError("There are no runs yet.")
        names = sending.names_of(experiment.title, [(run.number, run.label) for run in runs])
        name = file_name(experiment.title, f"{len(runs)} runs")
        return [run_file.sheet_of(run) for run in runs], names, name

    return _file(request, experiment, key, "all", sheets)


def _file(
    request, experiment: Experiment, key: str, of: str, sheets: Callable[[], Sheets]
) -> HttpResponseBase:
    """Answer with a file in a format, or say why it cannot be made."""
    if key not in FORMATS:
        raise Http404
    chosen = FORMATS[key]

    def begun() -> Callable[[Work], sending.Made]:
        tables, names, name = sheets()
        sending.refuse_long(chosen, tables)
        return partial(sending.make, chosen, tables, names, name)

    try:
        if of != "all" and chosen.stream is not None:
            tables, _, name = sheets()
            return sending.streamed(chosen, tables[0], name)
        return _made(request, experiment, f"{of}:{key}", begun)
    except SeriesError as error:
        context = {"title": "This run cannot be read", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    except TableError as error:
        context = {"title": "There is no such file", "message": str(error)}
        return render(request, "shell/error.html", context, status=422)
    except WorkerError as error:
        return requested.refused(request, str(error), "This file could not be made", status=503)


def _made(
    request, experiment: Experiment, what: str, begun: Callable[[], Callable[[Work], sending.Made]]
) -> HttpResponseBase:
    """Send a file once it is made, and show how far it is meanwhile. Raises what its making did.

    begun: gathers what is needed, and gives the work; it is asked once.
    """
    key = f"leaving:{request.user.pk}:{experiment.pk}:{experiment.changed_at}:{what}"
    wait = WHILE_POLLED if request.htmx else working.AT_ONCE
    work = working.under_way(key, wait) or working.of(key, begun(), wait)
    if not work.is_done:
        context = {"experiment": experiment, "work": work, "again": request.path, "tab": "desk"}
        return render(request, "exchange/working.html", context)
    if request.htmx:  # it is sent to the window, not into the page
        context = {"experiment": experiment, "address": request.path, "tab": "desk"}
        return render(request, "exchange/made.html", context)
    working.forget(key)
    if work.error is not None:
        raise work.error
    return work.result.response()


@require_GET
def file_of_experiment(request, experiment_id: int):
    """Give the experiment as one file."""
    experiment = experiment_for(request, experiment_id)
    name = file_name(experiment.title, f"{localtime():%Y-%m-%d}") + sending.ZIP_SUFFIX
    try:
        return _made(request, experiment, "file", lambda: partial(leaving.make, experiment, name))
    except GalenaError as error:
        context = {"title": "This experiment cannot be taken along now", "message": error}
        return render(request, "shell/error.html", context, status=409)


@require_POST
@for_teachers
def duplicate(request, experiment_id: int):
    """Make a copy of an experiment and go to the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        duplicating.duplicate(experiment, request.user, runs="runs" in request.POST)
    except ValueError as error:
        context = {"title": "This experiment cannot be copied now", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    return redirect("experiments")
