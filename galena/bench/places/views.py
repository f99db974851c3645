"""Instruments in the network, whose addresses are typed."""

from django.views.decorators.http import require_POST

from galena.bench.live.bench import BENCH
from galena.bench.places import flows
from galena.bench.views import bench_answer
from galena.classroom.permissions import for_teachers
from galena.experiments.access import experiment_for
from galena.instruments import address as addresses
from galena.instruments.errors import InstrumentError


@require_POST
@for_teachers
def connect_typed(request, experiment_id: int):
    """Begin to read the instrument at an address that was typed, and keep it for the next start."""
    experiment = experiment_for(request, experiment_id)
    try:
        place = flows.read_address(request.POST.get("address", ""))
    except InstrumentError as error:
        return bench_answer(request, experiment, str(error))
    BENCH.add_typed(place)
    BENCH.connect(place)
    flows.keep(place, "")
    return bench_answer(request, experiment)


@require_POST
@for_teachers
def forget_typed(request, experiment_id: int):
    """Let an address that was typed go."""
    experiment = experiment_for(request, experiment_id)
    wanted = request.POST.get("address", "")
    place = next((one for one in BENCH.typed if str(one) == wanted), None)
    if place is None:
        return bench_answer(request, experiment, "This address is not on the list any more.")
    feed = BENCH.feeds.get(place)
    try:
        BENCH.refuse_others(request.user, [feed] if feed else [])
    except InstrumentError as error:
        return bench_answer(request, experiment, str(error))
    flows.forget(addresses.parse(wanted))
    BENCH.remove_typed(place)
    return bench_answer(request, experiment)
