"""An axis of a graph: its limits as remembered, as typed, and as they show all readings."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

from galena.core import numbers
from galena.core.errors import AxisError, NumberError
from galena.core.ticks import widened

FURTHEST = 1e300
LEAST_SHARE = 1e-12  # limits closer together than this, beside their size, cannot be told apart
_DECADE_ROOM = 1.15  # a logarithmic axis goes on by this factor beyond the readings


@dataclass(frozen=True)
class Axis:
    """The limits of an axis, None where it shows all; `log` if it is logarithmic."""

    lo: float | None = None
    hi: float | None = None
    log: bool = False

    @property
    def limits(self) -> tuple[float, float] | None:
        """The limits, where they are set."""
        return None if self.lo is None or self.hi is None else (self.lo, self.hi)


def checked(lo: float | None, hi: float | None, *, log: bool = False) -> Axis:
    """Make an axis from limits; both None shows all. Raises AxisError."""
    if lo is None and hi is None:
        return Axis(log=log)
    if lo is None or hi is None:
        raise AxisError("Give both ends of the axis, or none to show all readings.")
    if not (math.isfinite(lo) and math.isfinite(hi)) or max(abs(lo), abs(hi)) > FURTHEST:
        raise AxisError(f"An axis ends at numbers of up to {FURTHEST:g}.")
    if not hi > lo:
        raise AxisError("The axis ends where it begins. Its first end is the smaller one.")
    if hi - lo <= LEAST_SHARE * max(abs(lo), abs(hi)):
        raise AxisError("The ends of the axis are too close to be told apart. Take them apart.")
    if log and lo <= 0:
        raise AxisError("A logarithmic axis begins above zero: zero and below have no logarithm.")
    return Axis(lo, hi, log)


def typed(lo: str, hi: str, *, log: bool = False) -> Axis:
    """Make an axis from limits as typed; both empty shows all. Raises AxisError, NumberError."""
    try:
        ends = [numbers.parse(end, "An end of the axis") if end.strip() else None
                for end in (lo, hi)]  # fmt: skip
    except NumberError as error:
        if error.beyond:
            raise AxisError(f"An axis ends at numbers of up to {FURTHEST:g}.") from error
        raise
    return checked(*ends, log=log)


def from_zero(
    extremes: Iterable[tuple[float, float]], *, room: float = 0.04
) -> tuple[float, float]:
    """Give limits that begin, or for readings below zero end, exactly at zero.

    Readings on both sides of zero are shown as a whole: zero is among them.
    """
    ends = [pair for pair in extremes if math.isfinite(pair[0]) and math.isfinite(pair[1])]
    lo, hi = min((one[0] for one in ends), default=0.0), max((one[1] for one in ends), default=1.0)
    if lo < 0 < hi:
        return showing(ends, room=room)
    shown = widened(max(min(lo, 0.0), -FURTHEST), min(max(hi, 0.0), FURTHEST), room)
    return (0.0, shown[1]) if lo >= 0 else (shown[0], 0.0)


def showing(
    extremes: Iterable[tuple[float, float]], *, log: bool = False, room: float = 0.04
) -> tuple[float, float]:
    """Give limits that show readings between these extremes, with a margin.

    extremes: lowest and highest of each run, on a logarithmic axis of those above zero. Ends
    that are not finite are left out; without any the axis goes from 0 to 1, or from 1 to 10.
    """
    ends = [pair for pair in extremes if math.isfinite(pair[0]) and math.isfinite(pair[1])]
    if not ends:
        return (1.0, 10.0) if log else (0.0, 1.0)
    lo, hi = min(end[0] for end in ends), max(end[1] for end in ends)
    if not log:
        return widened(max(lo, -FURTHEST), min(hi, FURTHEST), room)
    if not hi > lo:
        return lo / 10, hi * 10
    return lo / _DECADE_ROOM, hi * _DECADE_ROOM
