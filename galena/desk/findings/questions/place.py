"""What can be asked of a marker, or of two."""

from __future__ import annotations

import math

import numpy as np

from galena.core.dimensions import of_difference
from galena.core.interpolation import Between, read_between
from galena.core.local_slope import tangent
from galena.core.units import typeset
from galena.desk.findings.questions.answer import Answer, Estimate, Subject
from galena.desk.findings.questions.inputs import Input, of_choices, whole
from galena.desk.findings.questions.question import Question

ROUNDING = 1e-12  # a shift of all readings changes no slope


def _value(subject: Subject) -> Answer:
    (x,) = subject.places
    read = _read(subject, x)
    parts = {subject.calibration: read.shared} if read.shared else {}
    total = math.hypot(read.u, read.shared) or math.nan
    estimate = Estimate(
        "value", subject.y_symbol, read.y, total, subject.y_unit, parts, subject.y_decimals
    )  # fmt: skip
    near = np.abs(subject.whole.t - x).min() if len(subject.whole) else math.inf
    exact = near <= 1e-9 * max(1.0, abs(x))
    return Answer((estimate,), "" if exact else "between two readings", at=(x, read.y))


def _read(subject: Subject, x: float) -> Between:
    whole = subject.whole
    return read_between(whole.t, whole.y, x, whole.u, whole.shared)


def _slope(subject: Subject) -> Answer:
    (x,) = subject.places
    count, order = int(subject.details["count"]), int(subject.details["order"])
    line = tangent(subject.whole.t, subject.whole.y, x, count, order)
    unit = subject.y_unit / subject.x_unit
    shape = "line" if order == 1 else "parabola"
    remark = f"{shape} through {line.count} readings about it"
    shared = 0.0
    if subject.whole.shared is not None:
        moved = subject.whole.y + np.nan_to_num(subject.whole.shared)
        shared = tangent(subject.whole.t, moved, x, count, order).slope - line.slope
        shared = shared if abs(shared) > ROUNDING * abs(line.slope) else 0.0
    estimate = subject.estimate("slope", "slope", line.slope, line.u_slope, unit, shared)
    reach = 1.5 * max(line.hi - line.lo, 1e-300)
    ends = (line.lo - reach / 2, line.hi + reach / 2)
    return Answer(
        (estimate,),
        remark,
        line=(ends, (float(line.at(ends[0])), float(line.at(ends[1])))),
        at=(x, line.y),
    )


def _pair(subject: Subject) -> Answer:
    first, second = subject.places
    before, after = _read(subject, first), _read(subject, second)
    y1, y2 = before.y, after.y
    shared = after.shared - before.shared
    total = math.hypot(before.u, after.u, shared) or math.nan
    parts = {subject.calibration: shared} if shared else {}
    step = second - first
    of_x, of_y = of_difference(subject.x_unit), of_difference(subject.y_unit)
    dx = Estimate("dx", f"Δ{subject.x_symbol}", step, math.nan, of_x, {}, subject.x_decimals)
    dy = Estimate("dy", f"Δ{subject.y_symbol}", y2 - y1, total, of_y, parts, subject.y_decimals)
    if not step:
        return Answer((dx, dy), "both markers are at the same place")
    rate = Estimate(
        "rate", "average rate", (y2 - y1) / step, total / abs(step),
        subject.y_unit / subject.x_unit,
        {name: part / step for name, part in parts.items()}, _three_digits((y2 - y1) / step),
    )  # fmt: skip
    ratio = f", ratio {y2 / y1:.4g}" if y1 else ""
    remark = f"from {y1:.6g} to {y2:.6g} {typeset(subject.y_unit)}{ratio}"
    return Answer((dx, dy, rate), remark, line=((first, second), (y1, y2)))


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
    Question("pair", "change to another marker", "pair", "differences and average rate", _pair),
)  # fmt: skip
