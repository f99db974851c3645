"""What of a run stands under the strip of a clip: its trace, and moments that can be recognised."""

from dataclasses import dataclass

import numpy as np

from galena.clips.models import Clip
from galena.clips.ties import clocks
from galena.core import symbols
from galena.core.decimate import envelope
from galena.core.numbers import fixed
from galena.desk.ledger.rows import rows
from galena.desk.models import Marker, Sheet
from galena.experiments import columns
from galena.experiments.models import Run

PLACED = ("peak", "trough", "halfway", "crossing")  # questions that are answered by a moment
WIDE = 500  # pixels that a trace is drawn on at least
DECIMALS = 4  # of times in s


@dataclass(frozen=True)
class Moment:
    """A moment of a run by its name, in s since t = 0."""

    name: str
    time: float

    @property
    def text(self) -> str:
        """The time as it is written."""
        return fixed(self.time, DECIMALS)


def moments(run: Run) -> list[Moment]:
    """List what can be recognised in a run: markers, and findings that tell a place in time."""
    sheets = list(Sheet.objects.filter(experiment=run.experiment_id, x=None))
    markers = Marker.objects.filter(sheet__in=sheets)
    told = [Moment(one.name or f"marker {one}", one.x) for one in markers]
    for sheet in sheets:
        for row in rows(sheet):
            finding, at = row.finding, row.answer.at
            if finding.run_id == run.pk and finding.kind in PLACED and at is not None:
                of = symbols.plain(finding.quantity.symbol) if finding.quantity else ""
                told.append(Moment(f"{row.label} of {of} in {finding.span}", float(at[0])))
    return sorted(told, key=lambda one: one.time)


def traced(clip: Clip, run: Run) -> dict:
    """Give a run for the strip: its traces as lines, its ends, and where it lies in the clip.

    Raises SeriesError where it cannot be read.
    """
    traces = []
    for block in columns.load([run])[run.pk].blocks:
        for column in block.columns.values():
            readings = column.readings
            good = np.isfinite(readings.y)
            t, y = readings.t[good], readings.y[good]
            if t.size < 2:
                continue
            t, y = envelope(t, y, float(t[0]), float(t[-1]), WIDE)
            quantity = column.quantity
            traces.append({
                "symbol": symbols.plain(quantity.symbol), "unit": quantity.unit,
                "t": np.round(t, 6).tolist(), "y": y.tolist(),
            })  # fmt: skip
    clock = clocks(clip).get(run.number)
    ends = [end for trace in traces for end in (trace["t"][0], trace["t"][-1])]
    return {
        "run": run.number, "traces": traces,
        "from": min(ends, default=0.0), "until": max(ends, default=1.0),
        "tie": None if clock is None else [clock.offset, clock.rate],
        "moments": [{"name": one.name, "time": one.time, "text": one.text} for one in moments(run)],
    }  # fmt: skip
