"""What is read at a place of a sheet: of every graph and every shown run."""

import math

import numpy as np

from galena.core import numbers, series
from galena.core.errors import SeriesError
from galena.core.units import shown as unit_shown
from galena.desk.models import Sheet
from galena.desk.sheets.x_places import place, x_decimals
from galena.desk.traces.drawn import Drawn, RunReadings, drawn
from galena.experiments.models import Quantity


def at_row(sheet: Sheet, number: int, row: int) -> dict:
    """Read all graphs at a row of a run's table; SeriesError where the sheet does not show it."""
    for drawn_run in drawn(sheet):
        rows = drawn_run.read.readings.rows
        if drawn_run.read.run.number != number:
            continue
        places_of_row = np.flatnonzero(rows == row) if rows is not None else np.array([row])
        if places_of_row.size and places_of_row[0] < len(drawn_run.read.readings):
            return at(sheet, float(drawn_run.read.readings.t[places_of_row[0]]))
    raise SeriesError("This row is not in the graphs of this sheet.")


def at(sheet: Sheet, x: float, step: int = 0, *, free: bool = False) -> dict:
    """Read all graphs and shown runs at the reading nearest to x, or so many readings further on.

    Where it is free, the place is x itself, and the line between two readings is read.
    Raises SeriesError where there is nothing to read.
    """
    shown = drawn(sheet)
    if not shown:
        raise SeriesError("No run is shown. Show one in the rail above.")
    along = [one.read.readings.t for one in shown]
    offsets = [abs(places[series.nearest(places, x)] - x) for places in along]
    leading = shown[int(np.argmin(offsets))].read
    t = leading.readings.t
    if not free:
        x = float(t[min(max(series.nearest(t, x) + step, 0), t.size - 1)])
    decimals = x_decimals(sheet, leading.run) + (1 if free else 0)
    text, unit = place(sheet, x, decimals, float(max(one.read.readings.t[-1] for one in shown)))
    rows = [row for one in shown if (row := _row(one, x, free)) is not None]
    return {"x": x, "text": text, "unit": unit, "rows": rows, "free": free}


def nearest(sheet: Sheet, places: list[float]) -> list[float]:
    """Move places to the nearest readings of the shown runs; as they are where there is none."""
    along = [one.read.readings.t for one in drawn(sheet)]
    moved = []
    for x in places:
        near = [float(t[series.nearest(t, x)]) for t in along]
        moved.append(min(near, key=lambda place: abs(place - x), default=x))
    return moved


def _row(drawn_run: Drawn, x: float, free: bool) -> dict | None:
    where = {"graph": drawn_run.trace.graph_id, "side": drawn_run.trace.side}
    where |= {
        "symbol": drawn_run.read.quantity.symbol,
        "quantity": drawn_run.read.quantity.pk,
        "unit": unit_shown(drawn_run.read.quantity.unit),
    }
    if free:
        return _between(drawn_run.read, x, where)
    index = series.nearest(drawn_run.read.readings.t, x)
    if not drawn_run.read.has_near(index, x):
        return None
    return where | reading(drawn_run.read, index, drawn_run.read.quantity)


def _between(read: RunReadings, x: float, where: dict) -> dict | None:
    t = read.readings.t
    if not t[0] <= x <= t[-1]:
        return None
    y = float(np.interp(x, t, read.readings.y))
    text = numbers.fixed(y, read.quantity.decimals)
    return where | {"number": read.run.number, "x": x, "y": _finite(y), "text": text}


def reading(read: RunReadings, index: int, quantity: Quantity) -> dict:
    """Say what one reading is, as it is to be read."""
    y = float(read.readings.y[index])
    text = numbers.fixed(y, quantity.decimals)
    u = read.readings.combined
    if u is not None and u[index] > 0:
        text = numbers.estimate(y, float(u[index]))
    aside = read.readings.aside is not None and bool(read.readings.aside[index])
    rows = read.readings.rows
    return {
        "row": index if rows is None else int(rows[index]),
        "number": read.run.number,
        "marked": read.run.marked,
        "x": float(read.readings.t[index]),
        "y": _finite(y),
        "text": text,
        "aside": aside,
    }


def _finite(value: float) -> float | None:
    return value if math.isfinite(value) else None
