"""What is kept: what the disk is used by, backups, and what was removed."""

from datetime import datetime
from pathlib import Path

from django.conf import settings
from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import FileResponse, Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import for_managers, for_teachers
from galena.core.errors import GalenaError
from galena.experiments import flows
from galena.experiments.access import experiment_for
from galena.keeping import backups, removed, usage
from galena.shell import disk, requested

BY_HAND = "made by hand"
BY_HAND_KEPT = 7
OWN_ADDRESSES = ("127.0.0.1", "::1")


@require_GET
@for_teachers
def kept(request):
    """Show what is kept, and how much room is left."""
    return _page(request)


@require_POST
@for_managers
def back_up(request):
    """Make a backup now, without films: those never change."""
    folder = Path(settings.DATA_DIR)
    target = folder / backups.FOLDER / backups.own_name(BY_HAND, datetime.now())
    try:
        made = backups.make(folder, target, BY_HAND, with_clips=False)
        backups.keep_some(folder, BY_HAND, BY_HAND_KEPT)
    except GalenaError as error:
        return _page(request, trouble=str(error))
    return _done(request, f"The backup is made: {disk.in_words(made.size)}.")


@require_GET
@for_managers
def backup_file(request, name: str):
    """Give one of the backups, to be kept on another disk."""
    path = next(
        (one for one in backups.own_backups(Path(settings.DATA_DIR)) if one.name == name), None
    )
    if path is None:
        raise Http404("There is no such backup any more.")
    if not (request.is_secure() or request.META.get("REMOTE_ADDR") in OWN_ADDRESSES):
        raise PermissionDenied(
            "A backup holds the server’s key and what passwords are checked by: fetch it on the "
            "computer itself, or by https."
        )
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)


@require_POST
@for_teachers
def remove(request, experiment_id: int):
    """Take an experiment away; it can be brought back for thirty days."""
    experiment = experiment_for(request, experiment_id)
    try:
        removed.remove(experiment)
    except removed.RemovalError as error:
        return requested.refused(request, str(error), "It was not removed", status=409)
    return _done(request, f"“{experiment}” is removed. It can be brought back for thirty days.")


@require_POST
@for_teachers
def bring_back(request, experiment_id: int):
    """Bring an experiment back into the list."""
    experiment = get_object_or_404(removed.experiments_of(request.user), pk=experiment_id)
    flows.bring_back(experiment)
    return _done(request, f"“{experiment}” is in the list of experiments again.")


@require_POST
@for_teachers
def bring_run_back(request, run_id: int):
    """Bring a run back into its experiment."""
    run = get_object_or_404(removed.runs_of(request.user), pk=run_id)
    flows.restore(run)
    return _done(request, f"Run {run.number} is in “{run.experiment}” again.")


@require_POST
@for_teachers
def delete(request, experiment_id: int):
    """Delete a removed experiment for good, before its thirty days are over."""
    experiment = get_object_or_404(removed.experiments_of(request.user), pk=experiment_id)
    title = str(experiment)
    try:
        removed.delete_experiment(experiment)
    except removed.RemovalError as error:
        return _page(request, trouble=str(error))
    return _done(request, f"“{title}” is deleted for good.")


def _done(request, word: str):
    """Say what was done, on the page as it is loaded anew: going back repeats nothing."""
    messages.success(request, word)
    return redirect("kept")


def _page(request, *, trouble: str = ""):
    folder = Path(settings.DATA_DIR)
    manages = request.user.is_staff
    listed = backups.own_backups(folder) if manages else []
    context = {
        "place": "kept",
        "trouble": trouble or disk.warning(),
        "uses": [(use.words, disk.in_words(use.size))
                 for use in (usage.uses(folder) if manages else [])],
        "free": disk.in_words(disk.free()),
        "folder": folder if manages else "",
        "backups": [(path.name, path.name.removesuffix(backups.ENDING),
                     disk.in_words(path.stat().st_size)) for path in listed],
        "experiments": [(one, removed.goes_at(one.removed_at))
                        for one in removed.experiments_of(request.user)],
        "runs": [(one, removed.goes_at(one.removed_at)) for one in removed.runs_of(request.user)],
        "now": timezone.now(),
    }  # fmt: skip
    return render(request, "keeping/kept.html", context, status=422 if trouble else 200)
