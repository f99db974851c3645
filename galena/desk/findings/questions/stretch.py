"""What can be asked of a span, but for fits: means, extremes, differences, areas."""

from __future__ import annotations

import math

import numpy as np

from galena.core import numbers
from galena.core.areas import Baseline, area_between
from galena.core.dimensions import factor, is_celsius, of, of_difference, simplest
from galena.core.errors import TooFewReadings
from galena.core.statistics import (
    describe,
    effective_count,
    uncertainty_of_median,
    uncertainty_of_sd,
)
from galena.core.units import Unit, parse, related, typeset
from galena.desk.findings.questions.answer import (
    PERCENT,
    Answer,
    Estimate,
    Subject,
    following,
)
from galena.desk.findings.questions.crossings_and_peaks import CROSSINGS_AND_PEAKS
from galena.desk.findings.questions.influences import of_area, of_mean
from galena.desk.findings.questions.inputs import Input, number_or_word, ticked
from galena.desk.findings.questions.question import Question
from galena.experiments.data.readings import Readings


def _mean(subject: Subject) -> Answer:
    inside, y = subject.inside, subject.y_unit
    described = describe(inside.y)
    good = np.isfinite(inside.y)
    shared = 0.0 if inside.shared is None else float(np.nanmean(inside.shared[good]))
    counts_as = effective_count(in_time(inside))
    u = math.hypot(described.sd / math.sqrt(counts_as), shared)
    parts = {subject.calibration: shared} if shared else {}
    estimate = Estimate("mean", "mean", described.mean, u, y, parts)
    readings = counted(described.count)
    if counts_as < described.count:
        readings = following(described.count, counts_as)
    spread = (
        ""
        if described.count == 1
        else f", standard deviation {numbers.significant(described.sd)} {typeset(of_difference(y))}"
    )
    if shared:
        # JCGM 100:2008 (GUM), F.1.2.3: what all readings share does not average out.
        spread += (
            f"; {numbers.significant(abs(shared))} {typeset(y)} of ± is shared by all readings"
        )
    return Answer((estimate,), readings + spread, at=_middle(subject, described.mean))


def _spread(subject: Subject) -> Answer:
    described, y = describe(subject.inside.y), subject.y_unit
    if described.count < 2:
        raise TooFewReadings("A standard deviation", 2, described.count)
    counts_as = max(2.0, effective_count(in_time(subject.inside)))
    u_sd = uncertainty_of_sd(described.sd, counts_as)
    u_median = uncertainty_of_median(described.sd, counts_as)
    share = _as_share(described.sd, u_sd, described.mean, y)
    return Answer(
        (
            Estimate("sd", "standard deviation", described.sd, u_sd, of_difference(y)),
            *share,
            Estimate("median", "median", described.median, u_median, y),
        ),
        counted(described.count)
        if counts_as >= described.count
        else following(described.count, counts_as),
    )


def _as_share(sd: float, u_sd: float, mean: float, unit: Unit) -> tuple[Estimate, ...]:
    """Give a standard deviation in percent of the mean, where zero is not a matter of choice."""
    if not mean or is_celsius(unit) or abs(mean) < sd:
        return ()
    percent = 100 / abs(mean)
    return (Estimate("relative", "of the mean", sd * percent, u_sd * percent, PERCENT),)


def in_time(readings: Readings) -> np.ndarray:
    """Give readings in the order in which they were made, which over another x is not its."""
    if readings.rows is None:
        return readings.y
    return readings.y[np.argsort(readings.rows, kind="stable")]


def _least_and_most(subject: Subject) -> Answer:
    inside = subject.inside
    good = np.isfinite(inside.y)
    if not good.any():
        raise TooFewReadings("An extreme", 1, 0)
    x, y = inside.t[good], inside.y[good]
    estimates = []
    ends = (("min", "lowest", int(np.argmin(y))), ("max", "highest", int(np.argmax(y))))
    for key, name, index in ends:
        own, shared = _at(inside.u, good, index), _at(inside.shared, good, index)
        estimates.append(subject.estimate(key, name, float(y[index]), own, subject.y_unit, shared,
                                        subject.y_decimals))  # fmt: skip
        estimates.append(Estimate(f"{key}_at", f"at {subject.x_symbol} =", float(x[index]),
                                  math.nan,
                                  subject.x_unit, {}, subject.x_decimals))  # fmt: skip
    most = int(np.argmax(y))
    return Answer(tuple(estimates), counted(int(good.sum())), at=(float(x[most]), float(y[most])))


def _change(subject: Subject) -> Answer:
    """From the first to the last reading: both differences, and their ratio.

    What all readings share cancels as far as both have it. Source: JCGM 100:2008 (GUM), 5.2.2.
    """
    inside = subject.inside
    good = np.flatnonzero(np.isfinite(inside.y) & np.isfinite(inside.t))
    if good.size < 2:
        raise TooFewReadings("A change", 2, int(good.size))
    ends = good[[int(np.argmin(inside.t[good])), int(np.argmax(inside.t[good]))]]
    u, scatter = subject.own_uncertainties(inside)
    u_y = np.broadcast_to(np.asarray(u), inside.y.shape)[ends]
    shared = 0.0 if inside.shared is None else float(np.diff(inside.shared[ends])[0])
    dx, dy = float(np.diff(inside.t[ends])[0]), float(np.diff(inside.y[ends])[0])
    u_x = np.zeros(2) if inside.u_x is None else np.nan_to_num(inside.u_x[ends])
    own, own_x = float(np.hypot(*u_y)), float(np.hypot(*u_x))
    estimates = _differences(subject, (dx, own_x), (dy, own), 0.0 if math.isnan(shared) else shared)
    remark = "from the first to the last reading inside"
    if scatter:
        remark += f"; ± from the scatter of neighbours, {numbers.significant(scatter)} "
        remark += typeset(of_difference(subject.y_unit))
    (x1, x2), (y1, y2) = inside.t[ends].tolist(), inside.y[ends].tolist()
    return Answer(estimates, remark, line=((x1, x2), (y1, y2)))


def _differences(
    subject: Subject, x: tuple[float, float], y: tuple[float, float], shared: float
) -> tuple[Estimate, ...]:
    """Give Δx and Δy, each a value with its own uncertainty, and their ratio."""
    (dx, u_dx), (dy, u_dy) = x, y
    of_x, of_y = of_difference(subject.x_unit), of_difference(subject.y_unit)
    along = Estimate("dx", f"Δ{subject.x_symbol}", dx, u_dx or math.nan, of_x, {},
                     subject.x_decimals)  # fmt: skip
    up = subject.estimate("dy", f"Δ{subject.y_symbol}", dy, u_dy or math.nan, of_y, shared,
                          subject.y_decimals)  # fmt: skip
    if not dx:
        return along, up
    rate = dy / dx
    u_rate = math.hypot(u_dy, rate * u_dx) / abs(dx) or math.nan
    unit = subject.y_unit / subject.x_unit
    return along, up, subject.estimate("rate", "ratio of both", rate, u_rate, unit, shared / dx)


def _duration(subject: Subject) -> Answer:
    lo, hi = subject.places
    inside = subject.inside.t[np.isfinite(subject.inside.t)]
    if not inside.size:
        raise TooFewReadings("A count", 1, 0)
    step = 10.0**-subject.x_decimals
    unit = of_difference(subject.x_unit)
    reach = Estimate("width", "from end to end", hi - lo, math.nan, unit, {},
                     subject.x_decimals + (1 if step > 0.01 * (hi - lo) else 0))  # fmt: skip
    own = Estimate("reach", "first to last reading", float(np.ptp(inside)), math.nan,
                   subject.x_unit, {}, subject.x_decimals)  # fmt: skip
    count = Estimate("count", "readings", float(inside.size), math.nan, Unit(), {}, 0)
    return Answer((reach, own, count))


def _area(subject: Subject) -> Answer:
    lo, hi = subject.places
    baseline = subject.details["baseline"]
    edges = bool(subject.details["readings_only"])
    readings, scatter_said = subject.whole, ""
    u, scatter = subject.own_uncertainties()
    base: Baseline = "ends" if baseline == "ends" else float(baseline)
    shared = 0.0 if readings.shared is None else np.nan_to_num(readings.shared)
    under = area_between(readings.t, readings.y, lo, hi, u, shared, baseline=base,
                         readings_only=edges)  # fmt: skip
    if scatter:
        spread = numbers.significant(scatter)
        scatter_said = f"± from the scatter of neighbours, {spread} {typeset(subject.y_unit)}"
    above = "above the line through its ends"
    if base != "ends":
        above = f"above {subject.y_symbol} = {base:g} {typeset(subject.y_unit)}" if base else ""
    within = "from the first to the last reading inside" if edges else ""
    unit, factor = named_product(subject.x_unit, subject.y_unit)
    parts = {subject.calibration: under.u_shared * factor} if under.u_shared else {}
    estimate = Estimate("area", "area", under.value * factor,
                        math.hypot(under.u, under.u_shared) * factor, unit, parts)  # fmt: skip
    good = np.isfinite(readings.y)
    heights = np.interp([under.lo, under.hi], readings.t[good], readings.y[good])
    low = heights if base == "ends" else (base, base)
    remark = "; ".join(part for part in (above, within, scatter_said) if part)
    return Answer((estimate,), remark, area=(under.lo, under.hi, float(low[0]), float(low[1])),
                  at=_middle(subject, None))  # fmt: skip


def counted(count: int) -> str:
    """Say how many readings there are."""
    return "one reading" if count == 1 else f"{numbers.grouped(count)} readings"


def named_product(x: Unit, y: Unit) -> tuple[Unit, float]:
    """Give the unit of a product and the factor to it; V·s is Wb, kg·m/s² is N."""
    product = y * x
    size, weber = factor(product), parse("Wb")
    named = simplest(product, of(product))
    if of(product) == of(weber):
        same = [one for one in related(weber) if math.isclose(factor(one), size, rel_tol=1e-9)]
        named = same[0] if same else weber
    return named, size / factor(named)


def _at(values: np.ndarray | None, good: np.ndarray, index: int) -> float:
    return math.nan if values is None else float(values[good][index])


def _middle(subject: Subject, y: float | None) -> tuple[float, float]:
    lo, hi = subject.places
    x = (lo + hi) / 2
    if y is None:
        inside = subject.inside
        y = float(np.interp(x, inside.t, inside.y)) if len(inside) else 0.0
    return x, y


STRETCH = (
    Question("mean", "mean", "span", "with its standard error", _mean, influence=of_mean),
    Question("spread", "spread", "span", "standard deviation and median", _spread),
    Question("change", "change", "span", "first to last: both differences, and their ratio",
             _change),
    Question("extremes", "lowest and highest", "span", "readings, and where", _least_and_most),
    Question("duration", "width", "span", "of the stretch, and its readings", _duration),
    *CROSSINGS_AND_PEAKS,
    Question(
        "area", "area", "span", "under the readings", _area, influence=of_area,
        inputs=(
            Input("baseline", "area above", number_or_word("ends", "The baseline"), 0),
            Input("readings_only", "readings only", ticked, False, "tick"),
        ),
        presets=(("area above the line through its ends", '{"baseline": "ends"}'),),
    ),
)  # fmt: skip
