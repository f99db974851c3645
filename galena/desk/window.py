"""What the painter in the browser gets of a sheet: as much as can be seen, and no more."""

import json
import math
import struct
from dataclasses import dataclass

import numpy as np

from galena.core import numbers, series
from galena.core.decimate import envelope
from galena.core.errors import SeriesError
from galena.core.ticks import widened
from galena.desk.models import Sheet
from galena.experiments.models import Quantity, Run, Series
from galena.experiments.readings import Readings, of_series

MOST_COLUMNS = 4000


@dataclass(frozen=True)
class RunReadings:
    """A shown run and its readings of the sheet's quantity."""

    run: Run
    readings: Readings


def shown_runs(sheet: Sheet) -> list[RunReadings]:
    """Give the shown runs that have measured the sheet's quantity; two queries in all."""
    if sheet.quantity_id is None:
        return []
    stored = (
        Series.objects.filter(
            stream__run__experiment=sheet.experiment_id,
            stream__run__removed_at=None,
            stream__run__shown=True,
            quantity=sheet.quantity_id,
        )
        .select_related("quantity", "stream__run")
        .prefetch_related("stream__run__condition_values__condition")
        .order_by("stream__run__number")
    )
    stored = list(stored)
    found = [
        RunReadings(one.stream.run, read)
        for one, read in zip(stored, of_series(stored), strict=True)
    ]
    return [one for one in found if len(one.readings)]


def limits(runs: list[RunReadings]) -> dict[str, list[float]]:
    """Give limits that show all readings with a margin."""
    if not runs:
        return {"x": [0.0, 10.0], "y": [0.0, 1.0]}
    y_lo = min(one.readings.extremes[0] for one in runs)
    y_hi = max(one.readings.extremes[1] for one in runs)
    x_lo = min(float(one.readings.t[0]) for one in runs)
    x_hi = max(float(one.readings.t[-1]) for one in runs)
    return {"x": list(widened(x_lo, x_hi, 0.02)), "y": list(widened(y_lo, y_hi))}


def encode(sheet: Sheet, lo: float | None, hi: float | None, columns: int) -> bytes:
    """Pack the readings between lo and hi on so many pixel columns.

    Four bytes with the length of a JSON head, the head, then for each run x and y as float32
    relative to the run's `x0` and `y0`: fine enough for pixels, and half the bytes.
    """
    runs = shown_runs(sheet)
    whole = limits(runs)
    if lo is None or hi is None or not -math.inf < lo < hi < math.inf:
        lo, hi = whole["x"]
    columns = max(1, min(columns, MOST_COLUMNS))
    head, parts = [], []
    for one in runs:
        t, y = one.readings.t, one.readings.y
        xs, ys = envelope(t, y, lo, hi, columns)
        x0, y0 = lo, float(ys[0]) if ys.size and math.isfinite(ys[0]) else 0.0
        part = series.inside(t, lo, hi)
        head.append(
            {
                "number": one.run.number,
                "label": one.run.label,
                "inside": part.stop - part.start,
                "n": int(xs.size),
                "x0": x0,
                "y0": y0,
            }
        )
        parts += [(xs - x0).astype("<f4").tobytes(), (ys - y0).astype("<f4").tobytes()]
    text = json.dumps({"lo": lo, "hi": hi, "limits": whole, "runs": head}).encode()
    text += b" " * (-len(text) % 4)
    return struct.pack("<I", len(text)) + text + b"".join(parts)


def time_decimals(run: Run) -> int:
    """Tell how many decimals a time of this run needs to be told from the next."""
    return numbers.decimals_for_steps(1 / run.rate)


def at(sheet: Sheet, x: float, step: int = 0) -> dict:
    """Read all shown runs at the reading nearest to x, or so many readings further on.

    Raises SeriesError where there is nothing to read.
    """
    runs = shown_runs(sheet)
    if not runs:
        raise SeriesError("No run is shown. Show one in the rail above.")
    offsets = [abs(one.readings.t[series.nearest(one.readings.t, x)] - x) for one in runs]
    leading = runs[int(np.argmin(offsets))]
    t = leading.readings.t
    place = min(max(series.nearest(t, x) + step, 0), t.size - 1)
    x = float(t[place])
    rows = []
    for one in runs:
        index = series.nearest(one.readings.t, x)
        near = abs(float(one.readings.t[index]) - x) <= 0.75 / one.run.rate
        if near:
            rows.append(reading(one, index, sheet.quantity))
    return {"x": x, "text": numbers.fixed(x, time_decimals(leading.run)), "rows": rows}


def reading(one: RunReadings, index: int, quantity: Quantity) -> dict:
    """Say what one reading is, as it is to be read."""
    y = float(one.readings.y[index])
    return {
        "number": one.run.number,
        "x": float(one.readings.t[index]),
        "y": y if math.isfinite(y) else None,
        "text": numbers.fixed(y, quantity.decimals),
    }
