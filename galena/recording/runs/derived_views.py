"""Formulas worked out while a run is recorded, and afterwards, for the traces on Record."""

import math

import numpy as np
from django.http import JsonResponse

from galena.core import numbers, units
from galena.core.decimate import envelope
from galena.core.errors import GalenaError
from galena.experiments import columns
from galena.experiments.access import run_for
from galena.experiments.data.readings import Readings
from galena.experiments.models import Quantity
from galena.shell import requested

MOST = 8  # formulas shown at once
ACROSS = 1000  # pixel columns that readings are told apart on


def derived(request, experiment_id: int, number: int):
    """Give what formulas make of a run as far as it is stored: the traces and the last values."""
    run = run_for(request, experiment_id, number)
    keys = requested.keys(request.GET.getlist("quantity"))[:MOST]
    wanted = list(run.experiment.derived.filter(pk__in=keys))
    troubles: dict[tuple[int, int], str] = {}
    try:
        placed = columns.over(None, [(run, quantity) for quantity in wanted], troubles)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error), "quantities": []})
    listed = []
    for quantity in wanted:
        key = (run.pk, quantity.pk)
        read = placed[key].readings if key in placed else None
        trouble = troubles.get(key, "" if read is not None else "not all of it is measured here")
        listed.append(_described(quantity, read, trouble))
    return JsonResponse({"trouble": "", "quantities": listed})


def _described(quantity: Quantity, read: Readings | None, trouble: str) -> dict:
    unit = units.shown(quantity.unit)
    listed = {"key": quantity.pk, "symbol": quantity.symbol, "unit": unit, "trouble": trouble}
    if read is None or not len(read):
        return listed | {"t": [], "y": [], "text": "–"}
    lo, hi = float(read.t[0]), float(read.t[-1])
    t, y = envelope(read.t, read.y, lo, hi, ACROSS) if hi > lo else (read.t, read.y)
    return listed | {"t": t.tolist(), "y": _plain(y), "text": _last(quantity, read)}


def _last(quantity: Quantity, read: Readings) -> str:
    """Write the last value that is a number; a rate has none yet where its window is not full."""
    finite = np.flatnonzero(np.isfinite(read.y[-200:]))
    if not finite.size:
        return "–"
    place = len(read) - min(len(read), 200) + int(finite[-1])
    return numbers.fixed(float(read.y[place]), quantity.decimals)


def _plain(values: np.ndarray) -> list[float | None]:
    return [value if math.isfinite(value) else None for value in values.tolist()]
