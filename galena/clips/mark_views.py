"""What is measured in a clip is changed; each change is answered with the panel anew."""

from collections.abc import Callable

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST

from galena.clips import following, marking, ties, tracked_run
from galena.clips.forms import (
    DrawnAxes,
    DrawnPlane,
    DrawnScale,
    Pictures,
    SetMark,
    Steadiness,
    TiedMoment,
)
from galena.clips.models import Clip, TrackedObject
from galena.clips.panel import panel_context
from galena.clips.requests import clip_for, object_for
from galena.core.errors import GalenaError
from galena.experiments.access import run_for
from galena.shell import fields, requested


def _changed(request, clip: Clip, change: Callable[[], object], act: str) -> HttpResponse:
    """Do a change and show the panel; where it cannot be done, with the reason.

    An object that the change gives is the one that is marked next.
    """
    trouble, chosen = "", None
    try:
        changed = change()
        chosen = changed.pk if isinstance(changed, TrackedObject) else None
    except GalenaError as error:
        trouble = str(error)
    context = panel_context(request, clip, trouble, act, chosen)
    return render(request, "clips/_panel.html", context, status=422 if trouble else 200)


@require_POST
def scale(request, experiment_id: int, clip_id: int):
    """Say how long something in the picture is."""
    clip = clip_for(request, experiment_id, clip_id)

    def change() -> None:
        drawn = fields.read(DrawnScale, request.POST)
        ends = (drawn["x1"], drawn["y1"], drawn["x2"], drawn["y2"])
        marking.set_scale(clip, ends, drawn["length"], drawn["unit"])

    return _changed(request, clip, change, "scale")


@require_POST
def plane(request, experiment_id: int, clip_id: int):
    """Say how large a rectangle is that is seen at a slant, or do without one."""
    clip = clip_for(request, experiment_id, clip_id)

    def change() -> None:
        if "remove" in request.POST:
            marking.drop_plane(clip)
            return
        drawn = fields.read(DrawnPlane, request.POST)
        corners = [(drawn[f"x{corner}"], drawn[f"y{corner}"]) for corner in (1, 2, 3, 4)]
        marking.set_plane(clip, corners, drawn["width"], drawn["height"], drawn["unit"])

    return _changed(request, clip, change, "plane")


@require_POST
def axes(request, experiment_id: int, clip_id: int):
    """Put the origin, turn the axes, or turn one of them round."""
    clip = clip_for(request, experiment_id, clip_id)

    def change() -> None:
        drawn = fields.read(DrawnAxes, request.POST)
        key = request.POST.get("moves_with", "")
        marking.set_axes(
            clip, drawn["x"], drawn["y"], drawn["angle"],
            x_to_left="x_to_left" in request.POST, y_down="y_down" in request.POST,
            moves_with=object_for(clip, requested.key(key)) if key else None,
        )  # fmt: skip

    return _changed(request, clip, change, "axes")


@require_POST
def pictures(request, experiment_id: int, clip_id: int):
    """Choose which pictures are measured."""
    clip = clip_for(request, experiment_id, clip_id)

    def change() -> None:
        typed = fields.read(Pictures, request.POST)
        marking.choose_pictures(clip, typed["start"] - 1, typed["stop"] - 1, typed["every"])

    return _changed(request, clip, change, "marks")


@require_POST
def steady(request, experiment_id: int, clip_id: int):
    """Say how far a mark may be off."""
    clip = clip_for(request, experiment_id, clip_id)

    def change() -> None:
        marking.set_steadiness(clip, fields.read(Steadiness, request.POST)["u_mark"])

    return _changed(request, clip, change, "marks")


@require_POST
def objects(request, experiment_id: int, clip_id: int):
    """Name a further thing to be marked, rename one, or take it away."""
    clip = clip_for(request, experiment_id, clip_id)
    post = request.POST

    def change() -> TrackedObject | None:
        if "object" not in post:
            return marking.add_object(clip, post.get("name", ""))
        tracked = object_for(clip, requested.key(post["object"]))
        if "remove" in post:
            marking.drop_object(tracked)
            return None
        if "name" in post:
            marking.rename_object(tracked, post["name"])
        return tracked

    return _changed(request, clip, change, "marks")


@require_POST
def marks(request, experiment_id: int, clip_id: int, object_id: int):
    """Mark a place, or take a mark away."""
    clip = clip_for(request, experiment_id, clip_id)
    tracked = object_for(clip, object_id)

    def change() -> None:
        placed = fields.read(SetMark, request.POST)
        if "remove" in request.POST:
            marking.unmark(tracked, placed["picture"])
        else:
            seen = requested.whole(request.POST.get("seen"), "The mark", 0, 10**15, otherwise=0)
            marking.refuse_unseen(tracked, placed["picture"], seen, request.user)
            marking.mark(tracked, placed["picture"], placed["x"], placed["y"], request.user)

    return _changed(request, clip, change, "marks")


@require_POST
def follow(request, experiment_id: int, clip_id: int, object_id: int):
    """Follow an object for some pictures; tells where it stopped and whether it is sure."""
    clip = clip_for(request, experiment_id, clip_id)
    tracked = object_for(clip, object_id)
    try:
        picture = requested.whole(request.POST.get("picture"), "The picture", 0, 1_000_000)
        marked, is_sure = following.follow_on(tracked, picture, request.user)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    last = marked[-1] if marked else picture
    is_done = not marked or last + clip.every > clip.stop or not is_sure
    told = ""
    if not is_sure:
        told = f"Unsure after picture {last + 1}: mark the next one by hand, then follow on."
    return JsonResponse({"last": last, "done": is_done, "told": told})


@require_POST
def undo(request, experiment_id: int, clip_id: int):
    """Undo what was marked last."""
    clip = clip_for(request, experiment_id, clip_id)
    return _changed(request, clip, lambda: marking.step_back(clip, request.user), "marks")


@require_POST
def redo(request, experiment_id: int, clip_id: int):
    """Do again what was undone last."""
    clip = clip_for(request, experiment_id, clip_id)
    return _changed(request, clip, lambda: marking.step_on(clip, request.user), "marks")


@require_POST
def speed(request, experiment_id: int, clip_id: int, object_id: int):
    """Have the speed of an object as a quantity."""
    clip = clip_for(request, experiment_id, clip_id)
    tracked = object_for(clip, object_id)
    return _changed(request, clip, lambda: tracked_run.add_speed(tracked), "marks")


@require_POST
def centre(request, experiment_id: int, clip_id: int):
    """Have the centre of mass of all objects as quantities."""
    clip = clip_for(request, experiment_id, clip_id)
    post = request.POST
    masses = {one.pk: post.get(f"mass-{one.pk}", "")[:60] for one in clip.tracked.all()}
    unit = post.get("unit", "")[:20].strip() or "kg"
    return _changed(request, clip, lambda: tracked_run.add_centre(clip, masses, unit), "marks")


@require_POST
def tie(request, experiment_id: int, clip_id: int):
    """Say which moment of a run a picture shows, untie a run, or count times as it does."""
    clip = clip_for(request, experiment_id, clip_id)
    run = run_for(request, experiment_id, requested.key(request.POST.get("run")))

    def change() -> None:
        if "remove" in request.POST:
            ties.untie(clip, run)
            return
        if "timed" in request.POST:
            ties.time_by(clip, run if request.POST["timed"] else None)
            return
        moment = fields.read(TiedMoment, request.POST)
        picture = min(moment["picture"], clip.count - 1)
        ties.tie(clip, run, moment["run_time"], float(clip.ticks[picture]) / 1e6)

    return _changed(request, clip, change, "tie")


@require_POST
def use(request, experiment_id: int, clip_id: int):
    """Have a clip be a run, and go to the Desk."""
    clip = clip_for(request, experiment_id, clip_id)
    response = _changed(request, clip, lambda: tracked_run.use_as_run(clip, request.user), "")
    if response.status_code == 200:
        response["HX-Redirect"] = reverse("desk", args=[experiment_id])
    return response
