"""What the painter in the browser gets of a sheet: as much as can be seen, and no more."""

import json
import math
import struct

import numpy as np
from numpy.typing import NDArray

from galena.core import axes, series
from galena.core.decimate import BLOCK, column_edges, column_extremes, envelope
from galena.desk.models import SIDES, Graph, Sheet
from galena.desk.traces.drawn import Drawn, RunReadings, drawn
from galena.experiments.data.readings import Readings

MOST_COLUMNS = 4000
BLOCKS_PAY = 4 * BLOCK  # readings in a column from which on blocks are quicker
_ROOM_ALONG = 0.02  # of the readings' reach, before and behind them
MOST_ASIDE = 200  # pixel columns on which readings that were set aside are told apart


def x_limits(sheet: Sheet, runs: list[RunReadings]) -> tuple[float, float]:
    """Give limits of x that show all readings with a margin."""
    log = sheet.x_view.log
    if not runs:
        return (1.0, 10.0) if log else (0.0, 10.0)
    return axes.showing(_x_extremes(runs, log=log), log=log, room=_ROOM_ALONG)


def _x_extremes(runs: list[RunReadings], *, log: bool) -> list[tuple[float, float]]:
    ends = []
    for read in runs:
        x = read.readings.t
        first = int(np.searchsorted(x, 0.0, side="right")) if log else 0
        if first < x.size:
            ends.append((float(x[first]), float(x[-1])))
    return ends


def y_limits(runs: list[RunReadings], *, log: bool = False) -> tuple[float, float]:
    """Give limits of an upright axis that show all readings with a margin."""
    if log:
        return axes.showing([one.readings.extremes_above_zero for one in runs], log=True)
    return axes.showing([one.readings.extremes for one in runs])


def limits(runs: list[RunReadings], sheet: Sheet) -> dict[str, tuple[float, float]]:
    """Give limits of both axes that show all readings of some runs with a margin."""
    return {"x": x_limits(sheet, runs), "y": y_limits(runs)}


def encode(sheet: Sheet, lo: float | None, hi: float | None, columns: int) -> bytes:
    """Pack the readings of all graphs between lo and hi on so many pixel columns.

    Four bytes with the length of a JSON head, the head, then float32 arrays for each trace of
    the head. Few readings are `points`: x, y and, where it says so, uncertainties of y and x.
    Many are `columns`: the lowest and the highest of each of the columns from lo to hi. Numbers
    are given as (value - x0) / xs; on a logarithmic axis it is their decadic logarithm.
    """
    troubles: dict[tuple[int, int], str] = {}
    shown = drawn(sheet, troubles)
    log = sheet.x_view.log
    read = [drawn_run.read for drawn_run in shown]
    whole = x_limits(sheet, read)
    if lo is None or hi is None or not -math.inf < lo < hi < math.inf or (log and lo <= 0):
        lo, hi = whole
    columns = max(1, min(columns, MOST_COLUMNS))
    edges = column_edges(lo, hi, columns, log=log)
    views = {graph.pk: {s: graph.view(s) for s in SIDES} for graph in sheet.graphs.all()}
    head, parts = [], []
    for drawn_run in shown:
        trace = drawn_run.trace
        packed = _Packed(drawn_run.read.readings, edges, log, views[trace.graph_id][trace.side].log)
        heading, arrays = packed.parts()
        where = {"graph": trace.graph_id, "side": trace.side, "quantity": trace.quantity_id}
        head.append(where | {"number": drawn_run.read.run.number} | heading)
        parts += arrays
    graphs = [
        {"id": graph.pk, "trouble": _trouble(graph, troubles)}
        | {side: _whole(shown, graph.pk, side, views) for side in SIDES}
        | {"zero": {side: _from_zero(shown, graph.pk, side) for side in SIDES}}
        for graph in sheet.graphs.all()
    ]
    zero = axes.from_zero(_x_extremes(read, log=False), room=_ROOM_ALONG)
    text = json.dumps({
        "lo": lo, "hi": hi, "columns": columns, "x": whole, "graphs": graphs, "zero": zero,
        "runs": _runs(shown), "traces": head,
    }).encode()  # fmt: skip
    text += b" " * (-len(text) % 4)
    return struct.pack("<I", len(text)) + text + b"".join(parts)


def _trouble(graph: Graph, troubles: dict[tuple[int, int], str]) -> str:
    """Say why a formula of a graph could not be worked out for a run; the first reason."""
    own = {trace.quantity_id for trace in graph.traces.all()}
    return next((reason for (_, quantity), reason in troubles.items() if quantity in own), "")


def _runs(shown: list[Drawn]) -> list[dict]:
    """Give what the legend needs of each run that is drawn."""
    runs = {one.read.run.number: one.read.run for one in shown}
    return [{"number": n, "label": run.label, "marked": run.marked} for n, run in runs.items()]


def _on_side(shown: list[Drawn], graph: int, side: str) -> list[RunReadings]:
    return [one.read for one in shown if (one.trace.graph_id, one.trace.side) == (graph, side)]


def _whole(shown: list[Drawn], graph: int, side: str, views: dict) -> tuple[float, float]:
    return y_limits(_on_side(shown, graph, side), log=views[graph][side].log)


def _from_zero(shown: list[Drawn], graph: int, side: str) -> tuple[float, float]:
    return axes.from_zero([one.readings.extremes for one in _on_side(shown, graph, side)])


class _Packed:
    """One run of a trace, as much of it as a window shows."""

    def __init__(
        self, readings: Readings, edges: NDArray[np.float64], x_log: bool, y_log: bool
    ) -> None:
        self.edges, self.x_log, self.y_log = edges, x_log, y_log
        inside = series.inside(readings.t, float(edges[0]), float(edges[-1]))
        self.inside = inside.stop - inside.start
        self.readings = readings
        self.unseen = self._unseen(readings, inside)
        ends = np.searchsorted(readings.gaps, (inside.start, inside.stop))
        self.gaps = int(ends[1] - ends[0])

    def _unseen(self, readings: Readings, inside: slice) -> int:
        """Count the readings in the window that a logarithmic axis cannot show."""
        if self.y_log:
            return int(np.count_nonzero(readings.y[inside] <= 0))
        if self.x_log:
            return int(np.searchsorted(readings.t, 0.0, side="right"))
        return 0

    def parts(self) -> tuple[dict, list[bytes]]:
        """Give what the head says of it, and its arrays."""
        few = self.inside <= 2 * (self.edges.size - 1)
        heading, arrays = self._points(self.readings) if few else self._columns()
        heading |= {"inside": self.inside, "unseen": self.unseen, "gaps": self.gaps}
        return heading, arrays

    def _points(self, readings: Readings) -> tuple[dict, list[bytes]]:
        part = series.inside(readings.t, float(self.edges[0]), float(self.edges[-1]))
        # One beyond each end, so that a line leaves the picture in the right direction.
        part = slice(max(0, part.start - 1), part.stop + 1)
        seen = readings.at(part)
        x, x0, xs = _scaled(self._x(seen.t))
        y, y0, ys = _scaled(self._y(seen.y))
        heading = {"kind": "points", "n": int(x.size), "x0": x0, "xs": xs, "y0": y0, "ys": ys}
        arrays = [x, y]
        for name, u in (("u_y", seen.combined), ("u_x", seen.u_x)):
            if u is not None and np.nanmax(u, initial=0.0) > 0:
                heading[name] = True
                arrays.append(u)
        heading["aside"] = [] if seen.aside is None else np.flatnonzero(seen.aside).tolist()
        return heading, [one.astype("<f4").tobytes() for one in arrays]

    def _columns(self) -> tuple[dict, list[bytes]]:
        counted = self.readings.counted
        y = counted.y
        if self.y_log:
            y = np.where(y > 0, y, np.nan)
        many = self.inside > BLOCKS_PAY * (self.edges.size - 1) and y is self.readings.y
        blocks = self.readings.blocks if many else None
        lows, highs = column_extremes(counted.t, y, self.edges, blocks)
        both, y0, ys = _scaled(self._y(np.concatenate((lows, highs))))
        heading = {"kind": "columns", "n": int(lows.size), "y0": y0, "ys": ys}
        arrays = [both.astype("<f4").tobytes()]
        if self.readings.aside is not None:
            aside = self.readings.at(self.readings.aside)
            lo, hi = float(self.edges[0]), float(self.edges[-1])
            x, y = envelope(aside.t, aside.y, lo, hi, MOST_ASIDE)
            more, points = self._points(Readings(x, y))
            heading["apart"] = more
            arrays += points
        return heading, arrays

    def _x(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        return _logarithm(x) if self.x_log else x

    def _y(self, y: NDArray[np.float64]) -> NDArray[np.float64]:
        return _logarithm(y) if self.y_log else y


def _logarithm(values: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.log10(values, out=np.full(values.shape, np.nan), where=values > 0)


def _scaled(values: NDArray[np.float64]) -> tuple[NDArray[np.float64], float, float]:
    """Take origin and size out, so that float32 is fine enough for pixels; gives both as well."""
    finite = values[np.isfinite(values)]
    if not finite.size:
        return values, 0.0, 1.0
    lo, hi = float(finite.min()), float(finite.max())
    middle = lo / 2 + hi / 2
    size = max(hi / 2 - lo / 2, 5e-324)
    size = size if size > 1e-300 * max(1.0, abs(middle)) else 1.0
    with np.errstate(over="ignore"):
        return (values - middle) / size, middle, size
