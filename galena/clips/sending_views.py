"""A film is sent in pieces, and its preparing is watched."""

from django.http import JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from galena.clips import preparing, sending
from galena.clips.models import Clip
from galena.clips.requests import clip_for
from galena.core.errors import GalenaError
from galena.experiments.access import experiment_for
from galena.shell import pieces, requested

_FURTHEST = 10**12


@require_POST
def begin(request, experiment_id: int):
    """Begin to take a film, or go on with one that broke off: tells where it goes on."""
    experiment = experiment_for(request, experiment_id)
    post = request.POST
    try:
        size = requested.whole(post.get("size"), "The size", 0, _FURTHEST, otherwise=0)
        clip = sending.begin(
            experiment, post.get("name", ""), size, post.get("ticket", ""), request.user
        )
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    return JsonResponse({
        "piece": reverse("clip-piece", args=[experiment.pk, clip.pk]),
        "page": reverse("clip", args=[experiment.pk, clip.pk]),
        "sent": sending.sent(clip), "most": pieces.PIECE,
    })  # fmt: skip


@require_POST
def piece(request, experiment_id: int, clip_id: int):
    """Take a piece of a film; tells how many bytes have come."""
    clip = clip_for(request, experiment_id, clip_id)
    try:
        at = requested.whole(request.GET.get("at"), "The place", 0, _FURTHEST, otherwise=0)
        return JsonResponse({"sent": sending.take(clip, at, request)})
    except GalenaError as error:
        return JsonResponse({"trouble": str(error), "sent": sending.sent(clip)}, status=422)


@require_GET
def state(request, experiment_id: int, clip_id: int):
    """Tell how far a clip is: its state, and how many pictures are prepared."""
    clip = clip_for(request, experiment_id, clip_id)
    if clip.state == Clip.State.PREPARING:
        preparing.begin(clip)  # also one that a server left half prepared
    return JsonResponse({
        "state": clip.state, "trouble": clip.trouble, "pictures": preparing.progress(clip),
    })  # fmt: skip


@require_POST
def drop(request, experiment_id: int, clip_id: int):
    """Take a clip away."""
    clip = clip_for(request, experiment_id, clip_id)
    sending.drop(clip)
    return redirect("clips", experiment_id)
