"""The Bench: instruments, channel strips, zeros, rigs, and the stream of live events."""

import json

from asgiref.sync import sync_to_async
from django.http import HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from galena.bench import flows
from galena.bench.live import BENCH, Feed
from galena.bench.models import Channel
from galena.core import numbers
from galena.core.errors import NumberError
from galena.core.statistics import describe
from galena.experiments.access import experiment_for
from galena.instruments.errors import InstrumentError


def page(request, experiment_id: int):
    """Show the Bench."""
    context = {"experiment": experiment_for(request, experiment_id), "tab": "bench"}
    context |= _bench_context() | {"rig": first_rig()}
    return render(request, "bench/page.html", context)


def strips(request, experiment_id: int):
    """Give instruments and strips as they are now."""
    return _bench(request, experiment_for(request, experiment_id))


@require_POST
def look_again(request, experiment_id: int):
    """Look for instruments anew."""
    experiment = experiment_for(request, experiment_id)
    BENCH.look_again()
    return _bench(request, experiment)


@require_POST
def connect(request, experiment_id: int):
    """Begin to read the instrument at one of the places found."""
    experiment = experiment_for(request, experiment_id)
    wanted = request.POST.get("address", "")
    for found in BENCH.found:
        if str(found.address) == wanted:
            BENCH.connect(found.address)
            return _bench(request, experiment)
    return _bench(
        request, experiment, "Nothing is there any more. Look again, then choose from the list."
    )


@require_POST
def zero(request, experiment_id: int, channel_id: int):
    """Zero a channel at the mean of its last two seconds."""
    experiment = experiment_for(request, experiment_id)
    channel = get_object_or_404(Channel.objects.prefetch_related("zeros"), pk=channel_id)
    found = BENCH.feed_of(channel.pk)
    raw = found[0].recent_raw(found[1]) if found else None
    if raw is None or raw.size == 0:
        trouble = (
            f"{channel.name} gave no reading in the last two seconds, so there is nothing to "
            "zero at. Is its cable in?"
        )
        return _bench(request, experiment, trouble)
    flows.zero(channel, describe(raw).mean, request.user)
    BENCH.refresh(channel.pk)
    return _bench(request, experiment)


@require_POST
def undo_zero(request, experiment_id: int, channel_id: int):
    """Take back the zero in force."""
    experiment = experiment_for(request, experiment_id)
    channel = get_object_or_404(Channel.objects.prefetch_related("zeros"), pk=channel_id)
    flows.undo_zero(channel)
    BENCH.refresh(channel.pk)
    return _bench(request, experiment)


@require_POST
def set_handle(request, experiment_id: int, feed: int):
    """Move a handle of a rig."""
    experiment_for(request, experiment_id)
    chosen = next((one for one in BENCH.feeds.values() if one.key == feed), None)
    trouble = ""
    if chosen is None:
        trouble = "This rig is gone. Load the page again."
    else:
        try:
            value = numbers.parse(request.POST.get("value", ""), "The handle", "40")
            handle = request.POST.get("handle", "")
            chosen.link.request(f"RIG:SET {handle[:40]},{value:.9g}")
        except (NumberError, InstrumentError) as error:
            trouble = str(error)
    return render(request, "bench/_rig.html", {"rig": rig_of(chosen), "trouble": trouble})


def rig(request, experiment_id: int):
    """Give the drawing and handles of the rig as they are now."""
    experiment_for(request, experiment_id)
    return render(request, "bench/_rig.html", {"rig": first_rig()})


def rig_drawing(request, experiment_id: int, feed: int):
    """Give the drawing of a rig as it stands now."""
    experiment_for(request, experiment_id)
    chosen = next((one for one in BENCH.feeds.values() if one.key == feed), None)
    if (found := rig_of(chosen)) is None:
        return HttpResponse("")
    return render(request, "bench/_rig_drawing.html", {"rig": found})


def first_rig() -> dict | None:
    """Give the rig whose instruments are plugged in, with its handles and state."""
    for feed in list(BENCH.feeds.values()):
        if (found := rig_of(feed)) is not None:
            return found
    return None


def rig_of(feed: Feed | None) -> dict | None:
    """Ask a stand-in about its rig; nothing for a real instrument or one that is gone."""
    if feed is None or feed.link.state.health != "well":
        return None
    try:
        key, _, name = feed.link.request("RIG:NAME?").partition(",")
        handles = json.loads(feed.link.request("RIG:HANDLE?"))
        state = json.loads(feed.link.request("RIG:STATE?"))
    except (InstrumentError, ValueError):
        return None
    settings = {handle["id"]: handle["value"] for handle in handles}
    return {
        "feed": feed.key,
        "key": key,
        "name": name,
        "handles": handles,
        "state": state,
        "drawing": _tank(state, settings) if key == "tide_tank" else {},
    }


def _tank(state: dict, settings: dict) -> dict:
    """Place the water of the Tide tank in its drawing: 0 to 500 mm on 100 units."""
    top = 120 - state["level"] / 5
    return {
        "top": round(top, 1),
        "height": round(120 - top, 1),
        "float": round(top - 2, 1),
        "flows": settings.get("pump", 0) > 0,
        "drains": settings.get("drain", 0) > 0 and state["level"] > 1,
    }


async def events(request, experiment_id: int):
    """Stream live events: the strips of the bench, its readings, and the experiment's run."""
    experiment = await sync_to_async(experiment_for)(request, experiment_id)
    allowed = {"strips", "readings", "runs"}
    wanted = set(request.GET.get("topics", "").split(",")) & allowed
    if "run" in request.GET:
        wanted.add(f"run:{experiment.pk}")
    response = StreamingHttpResponse(
        BENCH.hub.stream(frozenset(wanted)), content_type="text/event-stream"
    )
    response["Cache-Control"] = "no-store"
    response["X-Accel-Buffering"] = "no"
    return response


def _bench(request, experiment, trouble: str = ""):
    context = {"experiment": experiment, "trouble": trouble} | _bench_context()
    return render(request, "bench/_bench.html", context)


def _bench_context() -> dict:
    places = []
    for found in BENCH.found:
        feed = BENCH.feeds.get(found.address)
        places.append({"found": found, "feed": feed})
    feeds = [place["feed"] for place in places if place["feed"] is not None]
    fresh = {
        channel.pk: channel
        for channel in Channel.objects.filter(
            pk__in=[channel.pk for feed in feeds for channel in feed.channels]
        ).prefetch_related("zeros__set_by")
    }
    strips = [
        {"channel": fresh[channel.pk], "feed": feed}
        for feed in feeds
        for channel in feed.channels
        if channel.pk in fresh
    ]
    return {"places": places, "strips": strips}
