"""A film comes from a camera while it is made: it is begun, told about, and ended."""

import math

from django.http import JsonResponse
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from galena.clips import filming
from galena.clips.filming import Trip
from galena.clips.forms import Filmed
from galena.clips.requests import clip_for
from galena.core.errors import GalenaError
from galena.experiments.access import experiment_for
from galena.shell import fields, requested

_MOST_AT_ONCE = 20  # round trips that one request tells


@require_GET
def clock(request, experiment_id: int):
    """Tell the server's clock, for a browser that puts its own beside it."""
    experiment_for(request, experiment_id)
    return JsonResponse({"us": filming.server_us()})


@require_POST
def begin(request, experiment_id: int):
    """Begin to take a film from a camera."""
    experiment = experiment_for(request, experiment_id)
    try:
        clip = filming.begin(experiment, request.user)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    kept = [experiment.pk, clip.pk]
    return JsonResponse({
        "piece": reverse("clip-piece", args=kept), "filmed": reverse("clip-filmed", args=kept),
        "page": reverse("clip", args=kept),
    })  # fmt: skip


@require_POST
def filmed(request, experiment_id: int, clip_id: int):
    """Take what a browser tells of a film that it makes; with `done` the film has ended."""
    clip = clip_for(request, experiment_id, clip_id)
    try:
        told = fields.read(Filmed, request.POST)
        number = told["run"]
        run = clip.experiment.runs.filter(number=number).first() if number else None
        first = told["first"] if math.isfinite(told["first"]) else None
        filming.tell(clip, run, first, _trips(request.POST.get("trips", "")))
        if "done" in request.POST:
            filming.finish(clip)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    return JsonResponse({"us": filming.server_us()})


def _trips(text: str) -> list[Trip]:
    """Read round trips, each as sent, server, received."""
    trips = [part.split(",") for part in text.split(";")[:_MOST_AT_ONCE] if part]
    return [
        Trip(*(requested.number(one, "A time of a round trip") for one in trip))
        for trip in trips
        if len(trip) == 3
    ]
