"""Spans, markers and notes go along when a sheet goes over another quantity.

They are of readings: where those lie on the new axis, there they lie.
"""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.desk.errors import DeskError
from galena.desk.models import Note, Sheet
from galena.desk.sheets.flows import choose_x
from galena.experiments.columns import over
from galena.experiments.models import Quantity, Run

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Places:
    """Where the readings of a run lie on the axis before and on the new one; shape (n,) each."""

    before: Floats
    after: Floats

    def stretch(self, lo: float, hi: float) -> tuple[float, float] | None:
        """Give the ends on the new axis of what lay from lo to hi; None where nothing has width."""
        inside = self.after[(self.before >= lo) & (self.before <= hi)]
        if not inside.size or float(np.ptp(inside)) == 0:
            return None
        return float(inside.min()), float(inside.max())

    def place(self, x: float) -> float:
        """Give the place of the reading that lay nearest."""
        return float(self.after[int(np.argmin(np.abs(self.before - x)))])


def carry(sheet: Sheet, quantity: Quantity | None) -> None:
    """Have a sheet go over another quantity, or over time, and take along what lies on it.

    Raises DeskError where no shown run tells a place on the new axis.
    """
    places = list(_places(sheet, quantity))
    symbol = quantity.symbol if quantity else "t"
    spans, markers = list(sheet.spans.all()), list(sheet.markers.all())
    notes = list(Note.objects.filter(graph__sheet=sheet))
    if (spans or markers or notes) and not places:
        raise DeskError(f"No shown run has both {sheet.x_symbol} and {symbol}. Show one that has.")
    for span in spans:
        ends = next((one for each in places if (one := each.stretch(span.lo, span.hi))), None)
        if ends is None:
            raise DeskError(
                f"The readings in span {span} have no width on {symbol}. Make it wider, or make "
                "another sheet."
            )
        span.lo, span.hi = ends
        span.save(update_fields=["lo", "hi"])
    for marker in markers:
        marker.x = places[0].place(marker.x)
        marker.save(update_fields=["x"])
    for note in notes:
        note.x = places[0].place(note.x)
        note.save(update_fields=["x"])
    choose_x(sheet, quantity, is_carried=True)


def _places(sheet: Sheet, quantity: Quantity | None) -> Iterable[Places]:
    runs = list(sheet.experiment.runs.kept().filter(shown=True, unused=""))
    for run in runs:
        places = _of_run(sheet, run, quantity)
        if places is not None and places.before.size:
            yield places


def _of_run(sheet: Sheet, run: Run, quantity: Quantity | None) -> Places | None:
    asked = sheet.x if quantity is None else quantity
    along = None if quantity is None else sheet.x
    placed = over(along, [(run, asked)]).get((run.pk, asked.pk))
    if placed is None:
        return None
    read = placed.readings.counted
    before, after = (read.y, read.t) if quantity is None else (read.t, read.y)
    good = np.isfinite(before) & np.isfinite(after)
    return Places(before[good], after[good])
