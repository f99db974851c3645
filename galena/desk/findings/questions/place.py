"""What can be asked of a marker, or of two."""

from __future__ import annotations

import math

import numpy as np

from galena.core.dimensions import of_difference
from galena.core.errors import TooFewReadings
from galena.core.local_slope import tangent
from galena.core.units import format as typeset
from galena.desk.findings.questions.answer import Answer, Asked, Estimate, Question
from galena.experiments.data.readings import Readings

COUNT, ORDER = 7, 1
ROUNDING = 1e-12  # a shift of all readings changes no slope


def _value(asked: Asked) -> Answer:
    (x,) = asked.places
    y, u, shared = read_between(asked.whole, x)
    parts = {asked.calibration: shared} if shared else {}
    total = math.hypot(u, shared) if u or shared else math.nan
    estimate = Estimate("value", asked.y_symbol, y, total, asked.y_unit, parts, asked.y_decimals)
    near = np.abs(asked.whole.t - x).min() if len(asked.whole) else math.inf
    exact = near <= 1e-9 * max(1.0, abs(x))
    return Answer((estimate,), "" if exact else "between two readings", at=(x, y))


def read_between(readings: Readings, x: float) -> tuple[float, float, float]:
    """Read between two readings: the value, its own uncertainty, and what all share."""
    good = np.isfinite(readings.y)
    t, y = readings.t[good], readings.y[good]
    if not t.size or not t[0] <= x <= t[-1]:
        raise TooFewReadings("A value between readings", 2, 0)
    j = min(max(int(np.searchsorted(t, x)), 1), t.size - 1) if t.size > 1 else 0
    i = max(j - 1, 0)
    f = float((x - t[i]) / (t[j] - t[i])) if t[j] > t[i] else 0.0
    value = float((1 - f) * y[i] + f * y[j])

    def of(values: np.ndarray | None) -> tuple[float, float]:
        if values is None:
            return 0.0, 0.0
        known = np.nan_to_num(values[good])
        return float((1 - f) * known[i]), float(f * known[j])

    return value, math.hypot(*of(readings.u)), sum(of(readings.shared))


def _slope(asked: Asked) -> Answer:
    (x,) = asked.places
    count = int(asked.details.get("count", COUNT))  # type: ignore[call-overload]
    order = int(asked.details.get("order", ORDER))  # type: ignore[call-overload]
    found = tangent(asked.whole.t, asked.whole.y, x, count, order)
    unit = asked.y_unit / asked.x_unit
    shape = "line" if order == 1 else "parabola"
    remark = f"{shape} through {found.count} readings about it"
    shared = 0.0
    if asked.whole.shared is not None:
        moved = asked.whole.y + np.nan_to_num(asked.whole.shared)
        shared = tangent(asked.whole.t, moved, x, count, order).slope - found.slope
        shared = shared if abs(shared) > ROUNDING * abs(found.slope) else 0.0
    estimate = asked.estimate("slope", "slope", found.slope, found.u_slope, unit, shared)
    reach = 1.5 * max(found.hi - found.lo, 1e-300)
    ends = (found.lo - reach / 2, found.hi + reach / 2)
    return Answer(
        (estimate,),
        remark,
        line=(ends, tuple(map(float, found.at(ends)))),
        at=(x, found.y),  # type: ignore[arg-type]
    )


def _pair(asked: Asked) -> Answer:
    first, second = asked.places
    (y1, u1, s1), (y2, u2, s2) = (read_between(asked.whole, x) for x in (first, second))
    shared = s2 - s1
    own = math.hypot(u1, u2)
    total = math.hypot(own, shared) or math.nan
    parts = {asked.calibration: shared} if shared else {}
    step = second - first
    of_x, of_y = of_difference(asked.x_unit), of_difference(asked.y_unit)
    dx = Estimate("dx", f"Δ{asked.x_symbol}", step, math.nan, of_x, {}, asked.x_decimals)
    dy = Estimate("dy", f"Δ{asked.y_symbol}", y2 - y1, total, of_y, parts, asked.y_decimals)
    if not step:
        return Answer((dx, dy), "both markers are at the same place")
    rate = Estimate(
        "rate", "average rate", (y2 - y1) / step, total / abs(step), asked.y_unit / asked.x_unit,
        {name: part / step for name, part in parts.items()}, _three_digits((y2 - y1) / step),
    )  # fmt: skip
    ratio = f", ratio {y2 / y1:.4g}" if y1 else ""
    said = f"from {y1:.6g} to {y2:.6g} {typeset(asked.y_unit)}{ratio}"
    return Answer((dx, dy, rate), said, line=((first, second), (y1, y2)))


def _three_digits(value: float) -> int:
    """Give the decimals that show three digits of a value."""
    return max(0, 2 - math.floor(math.log10(abs(value)))) if value else 0


PLACE = (
    Question("value", "keep the reading", "marker", _value, "between readings on a straight line"),
    Question("slope", "slope", "marker", _slope, "of the readings about it", ("count", "order")),
    Question("pair", "to another marker", "pair", _pair, "differences and average rate"),
)
