"""A file is brought; what was understood is shown; then it is taken in."""

import zipfile
from functools import partial
from pathlib import Path
from typing import Any

from django.db import transaction
from django.http import HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from galena.classroom.permissions import refuse_group
from galena.core.errors import GalenaError, TableError
from galena.exchange import arrivals, brought, joining, package, table_work, taken, working
from galena.exchange import table_page as pages
from galena.exchange.models import Arrival
from galena.exchange.taking_tables import take
from galena.exchange.working import WHILE_POLLED, Work
from galena.experiments import flows
from galena.experiments.access import experiment_for
from galena.experiments.models import Experiment
from galena.shell import pieces, requested
from galena.shell.worker import WORKERS

FURTHEST = 10**12
PATIENCE = 120.0  # s that a table may take to be understood


@require_http_methods(["GET", "POST"])
def bring(request):
    """Show where a file is brought, or keep a small one that came whole and go to look at it."""
    experiment = _meant(request)
    if request.method == "GET":
        return render(request, "exchange/bring.html", {})
    try:
        file = request.FILES.get("file")
        if file is None:
            raise TableError("Choose a file first.")
        came = arrivals.begin(file.name or "", file.size or 0, request.user, experiment)
        arrivals.add(came, 0, file)
    except GalenaError as error:
        context = {"experiment": experiment, "tab": "desk", "wrong": error}
        return render(request, "exchange/bring.html", context, status=422)
    return redirect("arrival", came.pk)


def _meant(request) -> Experiment | None:
    """Give the experiment that a file is brought to, if it is to one."""
    key = requested.key_or_none(request.POST.get("experiment"))
    if key is None:
        refuse_group(request.user)
        return None
    return experiment_for(request, key)


@require_POST
def begin(request):
    """Begin to take a file that is sent in pieces: tells where they go."""
    experiment = _meant(request)
    try:
        size = requested.whole(request.POST.get("size"), "The size", 0, FURTHEST, otherwise=0)
        came = arrivals.begin(request.POST.get("name", ""), size, request.user, experiment)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    return JsonResponse({
        "piece": reverse("arrival-piece", args=[came.pk]),
        "page": reverse("arrival", args=[came.pk]), "sent": 0, "most": pieces.PIECE,
    })  # fmt: skip


@require_POST
def piece(request, arrival_id: int):
    """Take a piece of a file; tells how many bytes have come."""
    came = _arrival(request, arrival_id)
    try:
        at = requested.whole(request.GET.get("at"), "The place", 0, FURTHEST, otherwise=0)
        return JsonResponse({"sent": arrivals.add(came, at, request)})
    except GalenaError as error:
        sent = pieces.come(arrivals.file_of(came))
        return JsonResponse({"trouble": str(error), "sent": sent}, status=422)


@require_GET
def bring_to(request, experiment_id: int):
    """Show where a file is brought to an experiment."""
    experiment = experiment_for(request, experiment_id)
    return render(request, "exchange/bring.html", {"experiment": experiment, "tab": "desk"})


def _arrival(request, arrival_id: int) -> Arrival:
    mine = Arrival.objects.select_related("experiment").filter(person=request.user)
    return get_object_or_404(mine, pk=arrival_id)


@require_GET
def arrival(request, arrival_id: int):
    """Show what was understood of a file, as soon as it was."""
    came = _arrival(request, arrival_id)
    if not arrivals.is_here(came):
        context = {
            "title": "This file broke off",
            "message": "Not all of it has come. Send it anew.",
        }
        return render(request, "shell/error.html", context, status=409)
    wait = WHILE_POLLED if request.htmx and "looking" in request.GET else working.AT_ONCE
    if _is_package(arrivals.file_of(came)):
        work = working.of(f"look:{came.pk}", partial(_look_at_package, came), wait)
        template, more = "exchange/experiment.html", {"brought": work.result}
    else:
        guesses = pages.guesses_of(request.GET)
        work = working.of(f"look:{came.pk}:{guesses}", partial(_look_at_table, came, guesses), wait)
        template = "exchange/table.html"
        more = pages.context(request.GET, guesses, work.result)
    return _worked(request, came, work, template, more)


def _worked(
    request, came: Arrival, work: Work, template: str, more: dict[str, Any]
) -> HttpResponseBase:
    """Show what came of work, how far it is, or why nothing came of it."""
    context = {"arrival": came, "experiment": came.experiment, "tab": "desk", "work": work} | more
    if not work.is_done:
        context |= {"again": _again(request)}
        return render(request, "exchange/working.html", context)
    if work.error is not None:
        context |= {"wrong": work.error}
        return render(request, template, context, status=422)
    return render(request, template, context)


def _again(request) -> str:
    asked = request.GET.copy()
    asked["looking"] = "yes"
    return f"{request.path}?{asked.urlencode()}"


def _is_package(path: Path) -> bool:
    try:
        with zipfile.ZipFile(path) as zipped:
            return "galena.json" in zipped.NameToInfo
    except (OSError, ValueError, zipfile.BadZipFile, NotImplementedError):
        with path.open("rb") as file:
            return b"galena.json" in file.read(4096) + _end_of(path)


def _end_of(path: Path) -> bytes:
    """Give the end of a file: a damaged experiment file has its list of names there."""
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - 100_000))
        return file.read()


def _look_at_package(came: Arrival, work: Work) -> brought.Brought:
    def looked_at(part: float) -> None:
        work.part = part

    return brought.look(arrivals.file_of(came), arrivals.folder(), looked_at)


def _look_at_table(came: Arrival, guesses: table_work.Guesses, work: Work) -> dict[str, Any]:
    path = arrivals.file_of(came)
    folder = arrivals.file_of(came, pages.folder_of(guesses))
    folder.mkdir(exist_ok=True)
    looked = WORKERS.do(
        table_work.look, str(path), str(folder), came.name, guesses, patience=PATIENCE
    )
    return looked | {"folder": str(folder)}


@require_POST
def take_table(request, arrival_id: int):
    """Make a run of a table, or several, as it was shown and changed."""
    came = _arrival(request, arrival_id)
    guesses = pages.guesses_of(request.POST)
    looked = working.of(
        f"look:{came.pk}:{guesses}", partial(_look_at_table, came, guesses), PATIENCE
    )
    more = pages.context(request.POST, guesses, looked.result)
    if looked.error is not None:
        return _worked(request, came, looked, "exchange/table.html", more)
    try:
        chosen = pages.chosen_of(request.POST, looked.result["parts"])
        title = pages.title_of(request.POST, came)
    except GalenaError as error:
        looked_wrong = Work(is_done=True, error=error, result=looked.result)
        return _worked(request, came, looked_wrong, "exchange/table.html", more)
    act = partial(_take_table, came, request.user, looked.result, chosen, title)
    return _taking(request, came, act)


def _take_table(
    came: Arrival, person, looked: dict[str, Any], chosen: list, title: str, work: Work
) -> str:  # fmt: skip
    """Take the parts of a table in; gives the address of where they are."""
    with transaction.atomic():
        experiment = came.experiment or flows.create(person, title)
        several, runs = len(looked["parts"]) > 1, []
        for place, (part, choice) in enumerate(zip(looked["parts"], chosen, strict=True)):
            if part["rows"] == 0 or choice is None:
                continue
            work.part = place / len(chosen)
            name = part["name"] if several else came.stem
            folder = Path(looked["folder"])
            runs.append(take(experiment, person, part, folder, place, choice, came.name, name))
        address = taken.shown(experiment, runs)
    arrivals.drop(came)
    return address


@require_POST
def take_experiment(request, arrival_id: int):
    """Make an experiment of a file, or bring its runs into the one it was brought to."""
    came = _arrival(request, arrival_id)
    into = came.experiment if "into" in request.POST else None
    if into is None:
        refuse_group(request.user)
    return _taking(request, came, partial(_take_experiment, came, request.user, into))


def _take_experiment(came: Arrival, person, into: Experiment | None, work: Work) -> str:
    def looked_at(part: float) -> None:
        work.part = part

    with arrivals.file_of(came).open("rb") as file:
        if into is not None:
            numbers = joining.join(file, into, person)
            address = taken.shown(into, list(into.runs.filter(number__in=numbers)))
        else:
            experiment = package.read(file, person, looked_at=looked_at)
            page = "desk" if experiment.runs.exists() else "bench"
            address = reverse(page, args=[experiment.pk])
    arrivals.drop(came)
    return address


def _taking(request, came: Arrival, act) -> HttpResponseBase:
    """Begin to take a file in, once; then go to where it is shown how far that is."""
    key = came.pk  # none is left once all was taken in
    working.of(f"taking:{request.user.pk}:{key}", act, 0.0)
    return redirect("taking-in", key)


@require_GET
def taking(request, arrival_id: int):
    """Show how far the taking in is; go to the Desk once it is done."""
    key = f"taking:{request.user.pk}:{arrival_id}"
    work = working.under_way(key, WHILE_POLLED if request.htmx else working.AT_ONCE)
    if work is None:
        return redirect("experiments")
    if not work.is_done:
        context = {"work": work, "again": request.path, "tab": "desk"}
        return render(request, "exchange/working.html", context)
    working.forget(key)
    if work.error is not None:
        context = {"wrong": work.error, "arrival_id": arrival_id}
        return render(request, "exchange/not_taken.html", context, status=422)
    if request.htmx:
        return HttpResponse(status=204, headers={"HX-Redirect": work.result})
    return redirect(work.result)


@require_POST
def leave(request, arrival_id: int):
    """Leave a file that was brought, and take it away."""
    came = _arrival(request, arrival_id)
    experiment = came.experiment
    working.forget(f"look:{came.pk}")
    arrivals.drop(came)
    return redirect("experiments") if experiment is None else redirect("desk", experiment.pk)
