"""The clips of an experiment, and the page on which one is measured."""

from urllib.parse import quote

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from galena.clips import files, filming, preparing
from galena.clips.models import Clip
from galena.clips.moments import traced
from galena.clips.panel import panel_context
from galena.clips.ranges import ranged
from galena.clips.requests import clip_for
from galena.core.errors import GalenaError
from galena.experiments.access import experiment_for, run_for
from galena.experiments.pictures import PICTURES
from galena.shell import requested


@require_GET
def listing(request, experiment_id: int):
    """List the clips of an experiment, and take a further one."""
    experiment = experiment_for(request, experiment_id)
    filming.settle(experiment)
    clips = experiment.clips.select_related("run", "made_by").defer("times")
    context = {"experiment": experiment, "clips": clips}
    return render(request, "clips/listing.html", context)


@require_GET
def page(request, experiment_id: int, clip_id: int):
    """Show a clip with what is measured in it, or how far it is prepared."""
    experiment = experiment_for(request, experiment_id)
    filming.settle(experiment)
    clip = clip_for(request, experiment_id, clip_id)
    if clip.state != Clip.State.READY:
        if clip.state == Clip.State.PREPARING:
            preparing.begin(clip)
        context = {"experiment": clip.experiment, "clip": clip}
        return render(request, "clips/waiting.html", context)
    return render(request, "clips/page.html", panel_context(request, clip))


@require_GET
def film(request, experiment_id: int, clip_id: int):
    """Give the working copy, or a part of it."""
    clip = clip_for(request, experiment_id, clip_id)
    return ranged(request, files.file_of(clip.folder, files.WORKING), "video/mp4")


@require_GET
def poster(request, experiment_id: int, clip_id: int):
    """Give a small picture of a clip."""
    clip = clip_for(request, experiment_id, clip_id)
    return ranged(request, files.file_of(clip.folder, files.POSTER), "image/jpeg")


@require_GET
def trace(request, experiment_id: int, clip_id: int, number: int):
    """Give a run for the strip under the picture, with moments that can be recognised."""
    clip = clip_for(request, experiment_id, clip_id)
    run = run_for(request, experiment_id, number)
    try:
        return JsonResponse(traced(clip, run))
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)


@require_GET
def picture(request, experiment_id: int, clip_id: int, kind: str):
    """Give a picture for a report as SVG: one with its marks, a strip, or all positions."""
    clip = clip_for(request, experiment_id, clip_id)
    number = requested.whole(
        request.GET.get("number"), "The picture", 1, max(1, clip.count), otherwise=clip.start + 1
    )
    try:
        drawn = PICTURES[f"clip {kind}"].drawn(clip.experiment, f"{clip.pk}/{number}")
    except GalenaError as error:
        return HttpResponse(str(error), status=422, content_type="text/plain; charset=utf-8")
    response = HttpResponse(drawn.svg, content_type="image/svg+xml")
    name = quote(f"{clip.name} {kind}.svg")
    response["Content-Disposition"] = f"attachment; filename*=UTF-8''{name}"
    return response
