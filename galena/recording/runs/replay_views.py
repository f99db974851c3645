"""The readings of a run for those who missed them, and all that a replay needs."""

import numpy as np
from django.http import HttpResponse, JsonResponse
from django.urls import reverse

from galena.core import numbers
from galena.core.errors import SeriesError
from galena.experiments.access import run_for
from galena.experiments.data import readings
from galena.experiments.models import Run, Series
from galena.experiments.runs.stepwise import tables
from galena.shell import requested

FURTHEST = 10**12  # a reading that no run has
MOST = 200_000  # readings of a channel for a replay: of longer runs every so manieth is shown


def missed(request, experiment_id: int, number: int):
    """Give what is stored of a run from an index on, as the live feed would have sent it.

    With `every` only each so manieth reading.
    """
    run = run_for(request, experiment_id, number)
    first, place, every = (
        requested.whole(request.GET.get(name), name, lo, FURTHEST, otherwise=lo, clip=True)
        for name, lo in (("from", 0), ("stream", 0), ("every", 1))
    )
    streams = list(run.streams.all())
    if place >= len(streams):
        return HttpResponse("This run has no such stream.", status=404)
    found = _of_stream(streams[place])
    count = min(map(len, found))
    part = slice(first, count, every)
    table = np.stack([found[0].t[part], *(one.y[part] for one in found)])
    response = HttpResponse(table.astype("<f8").tobytes(), content_type="application/octet-stream")
    response["X-First-Index"], response["X-Rows"] = str(first), str(len(table))
    return response


def replay(request, experiment_id: int, number: int):
    """Say what a run is made of, and how its rigs looked, so that it can be shown again."""
    run = run_for(request, experiment_id, number)
    try:
        streams = _stepwise(run) if run.is_stepwise else _timed(run)
    except SeriesError as error:
        return JsonResponse({"trouble": str(error)})
    ends = [end for one in streams for end in one.pop("ends")]
    if not ends:
        return JsonResponse({"trouble": f"Run {number} has no readings: nothing to replay."})
    return JsonResponse(
        {
            "id": run.pk,
            "number": number,
            "from": min(ends),
            "until": max(ends),
            "before": run.details.get("before", 0),
            "event": run.details.get("event", ""),
            "streams": streams,
            "scenes": [{"rig": one.rig, "states": one.states} for one in run.scenes.all()],
        }
    )


def _timed(run: Run) -> list[dict]:
    told = []
    for place, stream in enumerate(run.streams.all()):
        series, found = _series(stream), _of_stream(stream)
        count = min(map(len, found), default=0)
        every = max(1, -(-count // MOST))
        decimals = numbers.decimals_for_steps(1 / run.rate)
        told.append(
            {
                "missed": reverse("missed", args=[run.experiment_id, run.number])
                + f"?stream={place}&every={every}",
                "every": every,
                "decimals": min(decimals, 6),
                "quantities": [_quantity(one.quantity) for one in series],
                "ends": [float(found[0].t[0]), float(found[0].t[count - 1])] if count else [],
            }
        )
    return told


def _stepwise(run: Run) -> list[dict]:
    table = tables([run])[run.pk]
    columns = [table.readings(one) for one in (*table.entered, *table.measured)]
    t = columns[0].t if columns else np.empty(0)
    order = np.argsort(t, kind="stable")
    t = t[order]
    return [
        {
            "every": 1,
            "decimals": 1,
            "quantities": [_quantity(one) for one in (*table.entered, *table.measured)],
            "rows": [t.tolist(), *(_plain(one.y[order]) for one in columns)],
            "ends": [float(t[0]), float(t[-1])] if t.size else [],
        }
    ]


def _series(stream) -> list[Series]:
    found = Series.objects.filter(stream=stream).exclude(quantity=None)
    return list(found.select_related("quantity", "stream__run"))


def _of_stream(stream) -> list[readings.Readings]:
    return readings.of_series(_series(stream))


def _plain(values: np.ndarray) -> list[float | None]:
    return [None if value != value else value for value in values.tolist()]


def _quantity(quantity) -> dict:
    return {
        "symbol": quantity.symbol,
        "name": quantity.name,
        "unit": quantity.unit,
        "decimals": quantity.decimals,
    }
