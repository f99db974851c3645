"""What can be asked of a marker, or of two."""

from __future__ import annotations

import math

import numpy as np

from galena.core.dimensions import of_difference
from galena.core.interpolation import Between, read_between
from galena.core.local_slope import tangent
from galena.core.units import format as typeset
from galena.desk.findings.questions.answer import Answer, Asked, Estimate
from galena.desk.findings.questions.inputs import Input, of_choices, whole
from galena.desk.findings.questions.question import Question

ROUNDING = 1e-12  # a shift of all readings changes no slope


def _value(asked: Asked) -> Answer:
    (x,) = asked.places
    read = _read(asked, x)
    parts = {asked.calibration: read.shared} if read.shared else {}
    total = math.hypot(read.u, read.shared) or math.nan
    estimate = Estimate(
        "value", asked.y_symbol, read.y, total, asked.y_unit, parts, asked.y_decimals
    )  # fmt: skip
    near = np.abs(asked.whole.t - x).min() if len(asked.whole) else math.inf
    exact = near <= 1e-9 * max(1.0, abs(x))
    return Answer((estimate,), "" if exact else "between two readings", at=(x, read.y))


def _read(asked: Asked, x: float) -> Between:
    whole = asked.whole
    return read_between(whole.t, whole.y, x, whole.u, whole.shared)


def _slope(asked: Asked) -> Answer:
    (x,) = asked.places
    count, order = int(asked.details["count"]), int(asked.details["order"])
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
    before, after = _read(asked, first), _read(asked, second)
    y1, y2 = before.y, after.y
    shared = after.shared - before.shared
    total = math.hypot(before.u, after.u, shared) or math.nan
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
    Question(
        "value", "keep the reading", "marker", "between readings on a straight line", _value
    ),
    Question(
        "slope", "slope", "marker", "of the readings about it", _slope,
        inputs=(
            Input("order", "a", of_choices(1, 2), 1, "choice",
                  (("1", "line"), ("2", "parabola"))),
            Input("count", "through",
                  whole(3, 9999, "A slope is taken from 3 to 9999 readings. Type how many."), 7,
                  after="readings"),
        ),
    ),
    Question("pair", "to another marker", "pair", "differences and average rate", _pair),
)  # fmt: skip
