"""The drawer of rigs: which are plugged in, the drawing of one, its handles and its pace."""

from typing import cast

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from galena.bench.forms import HandleForm, PaceForm
from galena.bench.live.bench import BENCH
from galena.classroom.models import Person
from galena.classroom.permissions import for_teachers, may_teach
from galena.core.errors import GalenaError
from galena.experiments.access import experiment_for
from galena.instruments.errors import InstrumentError
from galena.instruments.rigs import RIGS
from galena.shell import fields

PACES = (1, 5, 20, 60)
IN_FRONT = "rig in front"  # kept in the session


def drawer(request, experiment_id: int):
    """Give the drawer as it is now, with the rig asked for in front."""
    experiment = experiment_for(request, experiment_id)
    if request.GET.get("rig") in RIGS:
        request.session[IN_FRONT] = request.GET["rig"]
    return _drawer(request, experiment)


@require_POST
@for_teachers
def plug(request, experiment_id: int, key: str):
    """Plug a rig in, or pull its cables out."""
    experiment = experiment_for(request, experiment_id)
    trouble = ""
    try:
        if key not in RIGS:
            trouble = "There is no such rig. Choose one from the list."
        elif request.POST.get("in") == "yes":
            BENCH.plug_in(key)
            request.session[IN_FRONT] = key
        else:
            BENCH.refuse_others(request.user, BENCH.feeds_of_rig(key))
            BENCH.unplug(key)
    except (InstrumentError, OSError) as error:
        trouble = str(error)
    return _drawer(request, experiment, trouble, choosing=True)


@require_POST
def set_handle(request, experiment_id: int, key: str):
    """Move a handle of a rig; the drawer stays as it is, with whatever is in the hand."""
    experiment = experiment_for(request, experiment_id)
    try:
        typed, rig = fields.read(HandleForm, request.POST), _rig(key)
        handle, value = typed["handle"], typed["value"]
        if handle not in {one["id"] for one in rig.handles}:
            raise InstrumentError("This rig has no such handle. Load the page again.")
        BENCH.refuse_others(request.user, BENCH.feeds_of_rig(key))
        rig.control.request(f"RIG:SET {handle},{value:.9g}")
    except GalenaError as error:
        return _drawer(request, experiment, str(error))
    return HttpResponse(status=204)


@require_POST
def set_pace(request, experiment_id: int, key: str):
    """Set how many of its seconds a rig lives in one of ours."""
    experiment = experiment_for(request, experiment_id)
    try:
        pace = fields.read(PaceForm, request.POST)["pace"]
        rig = _rig(key)
        feeds = BENCH.feeds_of_rig(key)
        BENCH.refuse_others(request.user, feeds)
        if any(feed.link.is_recording for feed in feeds):
            raise InstrumentError("A run is being recorded. Change the time factor after it.")
        rig.control.request(f"RIG:PACE {pace:.9g}")
        for feed in feeds:
            feed.link.rewatch()
    except GalenaError as error:
        return _drawer(request, experiment, str(error))
    return _drawer(request, experiment)


def drawing(request, experiment_id: int, key: str):
    """Give the drawing of a rig, whether it is plugged in or not, for a replay."""
    experiment_for(request, experiment_id)
    if key not in RIGS:
        raise Http404
    context = {"name": RIGS[key].name, "drawing": f"bench/rigs/{key}.html"}
    return render(request, "bench/_drawing.html", context)


def rigs_context(request: HttpRequest) -> dict:
    """Give what the drawer shows: the list of rigs, and the one in front with its handles."""
    person = cast(Person, request.user)
    plugged = BENCH.rigs_for(person)
    wanted = request.session.get(IN_FRONT, "")
    key = wanted if wanted in plugged else next(iter(plugged), "")
    listed = [{"key": one, "name": rig.name, "in": one in plugged} for one, rig in RIGS.items()]
    if not may_teach(person):
        listed = [rig for rig in listed if rig["in"]]
    return {"rigs": listed, "rig": _in_front(key), "paces": PACES}


def _in_front(key: str) -> dict | None:
    if not key:
        return None
    try:
        rig = BENCH.room.plugged[key]
        state, handles = rig.state, rig.handles
    except (KeyError, InstrumentError, ValueError):
        return None
    paces = [pace for pace in PACES if pace <= state["max_pace"]]
    return {
        "key": key,
        "name": rig.name,
        "state": state,
        "handles": handles,
        "paces": paces if len(paces) > 1 else [],
        "drawing": f"bench/rigs/{key}.html" if key in RIGS else "",
    }


def _rig(key: str):
    rig = BENCH.room.plugged.get(key)
    if rig is None:
        raise InstrumentError("This rig is not plugged in any more. Choose one in the drawer.")
    return rig


def _drawer(request, experiment, trouble: str = "", choosing: bool = False):
    context = rigs_context(request) | {"trouble": trouble, "choosing": choosing}
    return render(request, "bench/_rigs.html", context | {"experiment": experiment})
