"""The Bench: instruments, channel strips, zeros, matching, and the stream of live events."""

from typing import Any

import numpy as np
from asgiref.sync import sync_to_async
from django.db import connections
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from galena.bench import flows
from galena.bench.forms import ChannelForm, ToleranceForm
from galena.bench.live import strips
from galena.bench.live.answer import Events
from galena.bench.live.bench import BENCH
from galena.bench.live.feed import Feed
from galena.bench.models import Channel, Instrument
from galena.bench.places import flows as place_flows
from galena.bench.rigs.views import rigs_context
from galena.classroom.permissions import for_teachers, may_teach
from galena.core.noise import is_moving
from galena.core.second_look import zeros
from galena.core.statistics import mean_with_uncertainty
from galena.experiments.access import experiment_for
from galena.experiments.models import Stream
from galena.instruments.address import Address
from galena.instruments.discovery import Place
from galena.instruments.errors import InstrumentError
from galena.shell import fields, requested

SPEEDS = (9600, 19_200, 57_600, 115_200, 230_400, 921_600)
MOST_ZEROS = 100
LONGEST_TOPICS = 1000
NOTHING_TO_ZERO = (
    "{} gave no reading in the last two seconds, so there is nothing to zero at. Is its cable in?"
)


def page(request, experiment_id: int):
    """Show the Bench."""
    experiment = experiment_for(request, experiment_id)
    context = {"experiment": experiment, "tab": "bench"}
    context |= bench_context(experiment) | rigs_context(request)
    return render(request, "bench/page.html", context)


def strips_now(request, experiment_id: int):
    """Give instruments and strips as they are now."""
    return bench_answer(request, experiment_for(request, experiment_id))


@require_POST
@for_teachers
def look_again(request, experiment_id: int):
    """Look for instruments anew."""
    experiment = experiment_for(request, experiment_id)
    BENCH.look_again()
    return bench_answer(request, experiment)


@require_POST
@for_teachers
def connect(request, experiment_id: int):
    """Begin to read the instrument at one of the places found, a serial port at some speed."""
    experiment = experiment_for(request, experiment_id)
    wanted, speed = request.POST.get("address", ""), request.POST.get("speed", "")
    for listed in BENCH.places:
        if str(listed.address) == wanted:
            place = listed.address
            if place.kind == "serial" and speed:
                chosen = next((one for one in SPEEDS if str(one) == speed), None)
                if chosen is None:
                    return bench_answer(request, experiment, "This is no speed of a serial line.")
                before = _connected_at(place) or place
                if (trouble := _others_use(request, [one for one in BENCH.feeds.values()
                                                     if one.link.address == before])):  # fmt: skip
                    return bench_answer(request, experiment, trouble)
                BENCH.disconnect(before)
                place = Address(place.kind, place.place, chosen)
            BENCH.connect(place)
            if not listed.simulated:
                place_flows.keep(place, BENCH.known_ports.add(place))
            return bench_answer(request, experiment)
    return bench_answer(
        request, experiment, "Nothing is there any more. Look again, then choose from the list."
    )


@require_POST
@for_teachers
def name_instrument(request, experiment_id: int, instrument_id: int):
    """Give an instrument a name of its own."""
    experiment = experiment_for(request, experiment_id)
    instrument = get_object_or_404(Instrument, pk=instrument_id)
    channels = instrument.channels.values_list("pk", flat=True)
    if trouble := _others_use_channels(request, channels):
        return bench_answer(request, experiment, trouble)
    flows.name_instrument(instrument, request.POST.get("name", ""))
    BENCH.refresh()
    return bench_answer(request, experiment)


@require_POST
def zero(request, experiment_id: int, channel_id: int):
    """Zero a channel at the mean of its last two seconds."""
    experiment = experiment_for(request, experiment_id)
    channel = _channel(channel_id)
    if trouble := _others_use_channels(request, [channel_id]):
        return bench_answer(request, experiment, trouble)
    recent = _recent(channel)
    if recent is None:
        return bench_answer(request, experiment, NOTHING_TO_ZERO.format(channel.name))
    flows.zero([(channel, *mean_with_uncertainty(recent))], request.user)
    shown = BENCH.show(experiment).get(channel.pk)
    reason = zeros.why_not_zeroed(shown.unit, shown.symbol) if shown else ""
    odd = str(zeros.oddly_zeroed(channel.name, reason)) if reason else ""
    return _changed(request, experiment, _moving([(channel, recent)]) or odd)


@require_POST
def undo_zero(request, experiment_id: int, channel_id: int):
    """Take back the zero in force."""
    experiment = experiment_for(request, experiment_id)
    channel = _channel(channel_id)
    if trouble := _others_use_channels(request, [channel_id]):
        return bench_answer(request, experiment, trouble)
    flows.undo_zero(channel)
    return _changed(request, experiment)


@require_POST
def zero_all(request, experiment_id: int):
    """Zero all channels shown, at the same moment; what gives no reading is told.

    Those whose quantity has a zero of its own, as temperatures in °C, are left as they are.
    """
    experiment = experiment_for(request, experiment_id)
    lent = BENCH.lent_from(experiment.pk)
    strips_here = BENCH.strips_of(experiment)
    shown = [one.shown for one in strips_here if one.shown.channel.pk not in lent]
    reasons = {one.name: why for one in shown
               if (why := zeros.why_not_zeroed(one.unit, one.symbol))}  # fmt: skip
    if trouble := _others_use_channels(request, [one.channel.pk for one in shown]):
        return bench_answer(request, experiment, trouble)
    recents = [(one.channel, _recent(one.channel)) for one in shown if one.name not in reasons]
    read = [(channel, recent) for channel, recent in recents if recent is not None]
    values = [(channel, *mean_with_uncertainty(recent)) for channel, recent in read]
    set_together = flows.zero(values, request.user)
    without = [channel.name for channel, recent in recents if recent is None]
    trouble = NOTHING_TO_ZERO.format(", ".join(without)) if without else _moving(read)
    trouble = trouble or zeros.left_as_they_are(reasons)
    if not shown:
        trouble = "No channel gives readings, so there is nothing to zero."
    return _changed(request, experiment, trouble, {"zeroed": set_together})


@require_POST
def undo_zeros(request, experiment_id: int):
    """Take back zeros that were set together."""
    experiment = experiment_for(request, experiment_id)
    chosen = requested.keys(request.POST.getlist("zero")[:MOST_ZEROS])
    if trouble := _others_use_channels(request, flows.channels_of_zeros(chosen)):
        return bench_answer(request, experiment, trouble)
    flows.undo_zeros_of(chosen)
    return _changed(request, experiment)


@require_POST
def reverse(request, experiment_id: int, channel_id: int):
    """Turn the direction of a channel round."""
    experiment = experiment_for(request, experiment_id)
    channel = _channel(channel_id)
    if trouble := _others_use_channels(request, [channel_id]):
        return bench_answer(request, experiment, trouble)
    flows.reverse(channel)
    return _changed(request, experiment)


@require_POST
def describe_channel(request, experiment_id: int, channel_id: int):
    """Set a channel's name, symbol, unit, decimals, or whether it is on, for this experiment."""
    experiment = experiment_for(request, experiment_id)
    _channel(channel_id)
    shown = BENCH.show(experiment).get(channel_id)
    if shown is None:
        return bench_answer(
            request, experiment, "This channel is gone. Plug its instrument in again."
        )
    try:
        described = fields.read(ChannelForm, request.POST, shown=shown)
    except requested.RequestError as error:
        return bench_answer(request, experiment, str(error))
    flows.describe(experiment, shown, **described)
    return _changed(request, experiment)


@require_POST
def match(request, experiment_id: int):
    """Show the strips on one common scale with a tolerance, or as before; nothing is stored."""
    experiment = experiment_for(request, experiment_id)
    if request.POST.get("on") == "no":
        BENCH.tolerances.pop(experiment.pk, None)
        return bench_answer(request, experiment)
    try:
        typed = fields.read(ToleranceForm, request.POST)
    except requested.RequestError as error:
        return bench_answer(request, experiment, str(error))
    BENCH.tolerances[experiment.pk] = typed["tolerance"]
    return bench_answer(request, experiment)


async def events(request, experiment_id: int):
    """Stream live events: the strips of the bench, its readings, a rig, the experiment's run."""
    experiment = await sync_to_async(experiment_for)(request, experiment_id)
    topics = set(request.GET.get("topics", "")[:LONGEST_TOPICS].split(","))
    mine = {"desk"} if _is_shown_only(request, experiment) else {"strips", "readings", "desk"}
    wanted = {f"{one}:{experiment.pk}" for one in topics & mine}
    wanted |= topics & {"runs"}
    rigs = BENCH.rigs_for(request.user)
    wanted |= {f"rig:{key}" for key in rigs if f"rig:{key}" in topics}
    if "run" in request.GET:
        wanted |= {f"run:{experiment.pk}", f"rail:{experiment.pk}"}
    await sync_to_async(BENCH.show)(experiment)
    await sync_to_async(connections.close_all)()  # a stream stays open for hours
    if request.user.is_group:
        wanted.add(f"group:{request.user.pk}")  # whoever has a page open is there
    return Events(request, frozenset(wanted))


def _is_shown_only(request, experiment) -> bool:
    """Tell whether a group asks for what its teacher shows: their Desk, not their Bench."""
    return request.user.is_group and experiment.owner_id != request.user.pk


def _others_use(request, feeds) -> str:
    """Say who records with one of these instruments, if that is somebody else."""
    try:
        BENCH.refuse_others(request.user, feeds)
    except InstrumentError as error:
        return str(error)
    return ""


def _others_use_channels(request, channels) -> str:
    return _others_use(request, BENCH.feeds_of_channels(channels))


def _channel(channel_id: int) -> Channel:
    channels = Channel.objects.select_related("instrument").prefetch_related("zeros")
    return get_object_or_404(channels, pk=channel_id)


def _recent(channel: Channel) -> np.ndarray | None:
    """Give the raw readings of a channel's last two seconds, if there is a number among them."""
    place = BENCH.feed_of(channel.pk)
    if place is None:
        return None
    feed, column = place
    table = feed.recent()
    if column >= table.shape[1] or not np.isfinite(table[:, column]).any():
        return None
    return table[:, column]


def _moving(zeroed: list[tuple[Channel, np.ndarray]]) -> str:
    """Say which channels were not at rest while they were zeroed."""
    names = [channel.name for channel, recent in zeroed if is_moving(recent)]
    if not names:
        return ""
    was = "was" if len(names) == 1 else "were"
    return (
        f"{', '.join(names)} {was} still moving: a zero is the mean of two seconds. "
        "Zero again once it is steady."
    )


def _connected_at(place: Address) -> Address | None:
    """Give the address under which a serial port is open, whatever its speed."""
    return next(
        (one for one in BENCH.feeds if (one.kind, one.place) == ("serial", place.place)), None
    )


def _changed(request, experiment, trouble: str = "", further: dict | None = None):
    BENCH.refresh()
    return bench_answer(request, experiment, trouble, further)


def bench_answer(request, experiment, trouble: str = "", further: dict | None = None):
    context = {"experiment": experiment, "trouble": trouble} | bench_context(experiment)
    return render(request, "bench/_bench.html", context | (further or {}))


def bench_context(experiment) -> dict:
    """Give what the instruments' list and the strips show."""
    shown = BENCH.show(experiment)
    in_sight = BENCH.feeds_for(experiment.owner)
    feeds = {feed.link.address.where: feed for feed in in_sight}
    listed_places = BENCH.places if may_teach(experiment.owner) else []
    by_place: list[tuple[Place | None, Feed | None]] = [
        (listed, feeds.pop(listed.address.where, None)) for listed in listed_places
    ]
    by_place += [(None, feed) for feed in feeds.values()]
    measured = Stream.objects.filter(run__experiment=experiment).values_list("serial", flat=True)
    own_serials = set(measured)
    by_place.sort(key=lambda pair: not _has_measured(pair[1], own_serials))
    live = BENCH.strips_of(experiment)
    live.sort(key=lambda strip: not _has_measured(strip.feed, own_serials))
    places = []
    for listed, feed in by_place:
        address = feed.link.address if feed else listed.address
        place: dict[str, Any] = {"listed": listed, "feed": feed, "address": address}
        place["typed"] = address in BENCH.typed
        places.append(place)
        if feed is not None:
            own = [one for one in live if one.feed is feed]
            place["simulated"] = feed.simulated
            place["lent"] = BENCH.loans.holder_of(feed) if may_teach(experiment.owner) else None
            place["state"] = strips.state_of(feed, own)
            place["channels"] = [shown[one.pk] for one in feed.channels if one.pk in shown]
            if place["channels"]:
                place["instrument"] = place["channels"][0].channel.instrument
    alike = strips.most_alike(live)
    return {
        "places": [place for place in places if place["feed"] is not None],
        "ports": [place for place in places if place["feed"] is None],
        "strips": live,
        "tolerance": BENCH.tolerances.get(experiment.pk),
        "match_unit": alike[0].shown.unit if len(alike) > 1 else None,
        "usual_tolerance": float(f"{50 * alike[0].shown.resolution:.1g}") if alike else 1.0,
        "decimal_choices": range(7),
        "speeds": SPEEDS,
        "shape": BENCH.shape(experiment.pk),
    }


def _has_measured(feed: Feed | None, serials: set[str]) -> bool:
    """Tell whether an instrument is one of those whose serials are given."""
    identity = feed.link.identity if feed else None
    return identity is not None and identity.serial in serials
