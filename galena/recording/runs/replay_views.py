"""The readings of a run for those who missed them, and all that a replay needs."""

import numpy as np
from django.http import HttpResponse, JsonResponse
from django.urls import reverse

from galena.core import numbers
from galena.core.errors import SeriesError
from galena.experiments import columns
from galena.experiments.access import run_for
from galena.experiments.data.readings import of_series, rest_of
from galena.experiments.data.rows import Block
from galena.experiments.models import Quantity, Run, Series
from galena.shell import requested

FURTHEST = 10**12  # a reading that no run has
MOST = 200_000  # readings of a channel for a replay: of longer runs every so manieth is shown


def missed(request, experiment_id: int, number: int):
    """Give what is stored of a run from an index on, as the live feed would have sent it.

    With `every` only each so manieth reading.
    """
    return missed_of(request, run_for(request, experiment_id, number))


def missed_of(request, run: Run) -> HttpResponse:
    """Give the readings of a run from an index on."""
    first, place, every = (
        requested.whole(request.GET.get(name), name, lo, FURTHEST, otherwise=lo, clip=True)
        for name, lo in (("from", 0), ("stream", 0), ("every", 1))
    )
    streams = list(run.streams.all())
    if place >= len(streams):
        return HttpResponse("This run has no such stream.", status=404)
    measured = Series.objects.filter(stream=streams[place]).exclude(quantity=None)
    wanted = list(measured.select_related("quantity", "stream__run"))
    goes_on = run.is_growing
    readings = rest_of(wanted, first) if goes_on else of_series(wanted)
    part = slice(0 if goes_on else first, min(map(len, readings)), every)
    table = np.stack([readings[0].t[part], *(series.y[part] for series in readings)])
    response = HttpResponse(table.astype("<f8").tobytes(), content_type="application/octet-stream")
    response["X-First-Index"], response["X-Rows"] = str(first), str(len(table))
    return response


def replay(request, experiment_id: int, number: int):
    """Say what a run is made of, and how its rigs looked, so that it can be shown again."""
    run = run_for(request, experiment_id, number)
    head = replay_of(run, reverse("missed", args=[experiment_id, number]))
    if "trouble" not in head:
        head["scenes"] = [{"rig": scene.rig, "states": scene.states} for scene in run.scenes.all()]
    return JsonResponse(head)


def replay_of(run: Run, missed_url: str) -> dict:
    """Say what a run is made of, ready for JSON; its readings at a rate come from `missed_url`."""
    try:
        blocks = columns.load([run])[run.pk].blocks
    except SeriesError as error:
        return {"trouble": str(error)}
    with_times = [block for block in blocks if block.times is not None]
    streams = [
        _row_by_row(block) if block.stream is None
        else _at_a_rate(f"{missed_url}?stream={place}", block)
        for place, block in enumerate(with_times)
    ]  # fmt: skip
    ends = [end for stream in streams for end in stream.pop("ends")]
    if not ends:
        return {"trouble": f"Run {run.number} has no readings: nothing to replay."}
    return {
        "id": run.pk,
        "number": run.number,
        "from": min(ends),
        "until": max(ends),
        "before": run.details.get("before", 0),
        "event": run.details.get("event", ""),
        "streams": streams,
    }


def _at_a_rate(missed_url: str, block: Block) -> dict:
    """Say where the readings of an instrument are, of a long run every so manieth."""
    count = min((len(column.readings) for column in block.columns.values()), default=0)
    every = max(1, -(-count // MOST))
    return {
        "missed": f"{missed_url}&every={every}",
        "every": every,
        "readings": count,
        "decimals": _decimals_of_times(block.run),
        "quantities": _quantities(block),
        "ends": [float(block.times[0]), float(block.times[count - 1])] if count else [],
    }


def _row_by_row(block: Block) -> dict:
    """Give the rows of a table in the order in which they were taken."""
    order = np.argsort(block.times, kind="stable")
    t = block.times[order]
    return {
        "every": 1,
        "decimals": _decimals_of_times(block.run),
        "quantities": _quantities(block),
        "rows": [t.tolist(), *(_plain(one.readings.y[order]) for one in block.columns.values())],
        "ends": [float(t[0]), float(t[-1])] if t.size else [],
    }


def _decimals_of_times(run: Run) -> int:
    """Say how many decimals tell a row's time from the next one's; rows taken by hand need few."""
    interval = run.kind.interval(run)
    return 1 if interval is None else min(numbers.decimals_for_steps(interval), 6)


def _plain(values: np.ndarray) -> list[float | None]:
    return [None if value != value else value for value in values.tolist()]


def _quantities(block: Block) -> list[dict]:
    return [_quantity(column.quantity) for column in block.columns.values()]


def _quantity(quantity: Quantity) -> dict:
    return {
        "symbol": quantity.symbol,
        "name": quantity.name,
        "unit": quantity.unit,
        "decimals": quantity.decimals,
    }
