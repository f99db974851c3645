"""Readings of several runs over any quantity or over time: timed, stepwise and typed runs alike."""

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from galena.experiments.asides import Stretches, asides, mask
from galena.experiments.models import Quantity, Run, Series
from galena.experiments.readings import Readings, of_series
from galena.experiments.shelf import Shelf
from galena.experiments.stepwise import Table, tables
from galena.experiments.typed import TypedTable, typed_tables

ROOM = 200_000_000  # bytes of readings in order of a measured x

_ordered: Shelf[Readings] = Shelf(ROOM)


@dataclass(frozen=True)
class Found:
    """Readings of a run, ascending in x, and what is the same as long as they are.

    `stream` is that which measured them, None for a typed or stepwise table.
    """

    readings: Readings
    version: Hashable
    stream: int | None = None


def over(
    x: Quantity | None, wanted: Iterable[tuple[Run, Quantity]]
) -> dict[tuple[int, int], Found]:
    """Give the readings of each run's quantity over x, or over time where x is None.

    Their `t` holds x. A run that does not have both is left out. By the keys of run and quantity.
    """
    pairs = {(run.pk, quantity.pk): (run, quantity) for run, quantity in wanted}
    runs = {run.pk: run for run, _ in pairs.values()}
    left_out = asides(runs.values())
    found = _timed(x, pairs, left_out)
    made: dict[int, Table | TypedTable] = {**tables(runs.values()), **typed_tables(runs.values())}
    for key, (run, quantity) in pairs.items():
        if run.pk not in made:
            continue
        one = _tabled(made[run.pk], x, quantity, left_out.get((run.pk, None), ()))
        if one is not None:
            found[key] = one
    return found


def _timed(
    x: Quantity | None,
    pairs: dict[tuple[int, int], tuple[Run, Quantity]],
    left_out: dict[tuple[int, int | None], Stretches],
) -> dict[tuple[int, int], Found]:
    runs = {run.pk for run, _ in pairs.values() if not (run.is_stepwise or run.is_typed)}
    if not runs:
        return {}
    quantities = {quantity.pk for _, quantity in pairs.values()} | ({x.pk} if x else set())
    stored = Series.objects.filter(stream__run__in=runs, quantity__in=quantities)
    stored = list(stored.select_related("quantity", "stream__run"))
    by_pair: dict[tuple[int, int], Found] = {}
    for one, read in zip(stored, of_series(stored), strict=True):
        stretches = left_out.get((one.stream.run_id, one.stream_id), ())
        version = (one.pk, one.correction, one.stream.scale, len(read), stretches)
        if stretches:
            read = replace(read, aside=mask(stretches, len(read)))
        by_pair[one.stream.run_id, one.quantity_id] = Found(read, version, one.stream_id)
    if x is None:
        return {key: one for key, one in by_pair.items() if key in pairs}
    return {
        key: _over_measured(by_pair[key[0], x.pk], by_pair[key])
        for key in pairs
        if key in by_pair and (key[0], x.pk) in by_pair
    }


def _over_measured(x: Found, y: Found) -> Found:
    """Put readings in order of what another channel read at the same times."""
    version = (x.version, y.version)
    read = _ordered.get(version)
    if read is None:
        places = x.readings.y
        if x.stream != y.stream and len(x.readings):
            times = (x.readings.t, x.readings.y)
            places = np.interp(y.readings.t, *times, left=np.nan, right=np.nan)
        count = min(places.size, len(y.readings))
        read = _in_order(y.readings.at(slice(0, count)), places[:count])
        _ordered.put(version, read, 2 * read.y.nbytes)
    return Found(read, version, y.stream)


def _tabled(
    table: Table | TypedTable, x: Quantity | None, quantity: Quantity, stretches: Stretches
) -> Found | None:
    known = table.quantities
    if quantity not in known or (x is not None and x not in known):
        return None
    column = table.readings(quantity)
    along = None if x is None else table.readings(x)
    places = column.t if along is None else along.y
    u_x = None if along is None else along.u
    column = replace(column, aside=mask(stretches, len(column)), u_x=u_x)
    read = _in_order(column, places)
    parts = [read.t, read.y, read.shared, read.u, read.aside, read.u_x]
    return Found(read, tuple(part.tobytes() for part in parts if part is not None))


def _in_order(readings: Readings, places: np.ndarray) -> Readings:
    """Put readings in order of x; those without a place on it are left out."""
    order = np.argsort(places, kind="stable")
    order = order[np.isfinite(places[order])]
    return replace(readings.at(order), t=places[order], rows=order)


def forget() -> None:
    """Throw away all that is in memory."""
    _ordered.clear()
