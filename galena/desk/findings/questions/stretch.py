"""What can be asked of a span, but for fits: means, extremes, areas, crossings."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

import numpy as np

from galena.core import numbers
from galena.core.areas import area_between
from galena.core.crossings import Place, crossings, extreme, half_way
from galena.core.dimensions import factor, of, of_difference, simplest
from galena.core.errors import GalenaError, TooFewReadings
from galena.core.noise import quiet_scatter
from galena.core.statistics import (
    describe,
    effective_count,
    uncertainty_of_median,
    uncertainty_of_sd,
)
from galena.core.units import Unit, parse, related
from galena.core.units import format as typeset
from galena.desk.errors import DeskError
from galena.desk.findings.questions.answer import Answer, Asked, Estimate, following
from galena.desk.findings.questions.influences import of_area, of_mean
from galena.desk.findings.questions.inputs import Input, number, number_or_word, ticked
from galena.desk.findings.questions.question import Question
from galena.experiments.data.readings import Readings

MOST_LISTED = 12


def _mean(asked: Asked) -> Answer:
    inside, y = asked.inside, asked.y_unit
    found = describe(inside.y)
    good = np.isfinite(inside.y)
    shared = 0.0 if inside.shared is None else float(np.nanmean(inside.shared[good]))
    counts_as = effective_count(in_time(inside))
    u = math.hypot(found.sd / math.sqrt(counts_as), shared)
    parts = {asked.calibration: shared} if shared else {}
    estimate = Estimate("mean", "mean", found.mean, u, y, parts)
    readings = counted(found.count)
    if counts_as < found.count:
        readings = following(found.count, counts_as)
    spread = (
        ""
        if found.count == 1
        else f", standard deviation {numbers.significant(found.sd)} {typeset(of_difference(y))}"
    )
    if shared:
        # JCGM 100:2008 (GUM), F.1.2.3: what all readings share does not average out.
        spread += (
            f"; {numbers.significant(abs(shared))} {typeset(y)} of ± is shared by all readings"
        )
    return Answer((estimate,), readings + spread, at=_middle(asked, found.mean))


def _spread(asked: Asked) -> Answer:
    found, y = describe(asked.inside.y), asked.y_unit
    if found.count < 2:
        raise TooFewReadings("A standard deviation", 2, found.count)
    counts_as = max(2.0, effective_count(in_time(asked.inside)))
    u_sd = uncertainty_of_sd(found.sd, counts_as)
    u_median = uncertainty_of_median(found.sd, counts_as)
    return Answer(
        (
            Estimate("sd", "standard deviation", found.sd, u_sd, of_difference(y)),
            Estimate("median", "median", found.median, u_median, y),
        ),
        counted(found.count) if counts_as >= found.count else following(found.count, counts_as),
    )


def in_time(readings: Readings) -> np.ndarray:
    """Give readings in the order in which they were made, which over another x is not its."""
    if readings.rows is None:
        return readings.y
    return readings.y[np.argsort(readings.rows, kind="stable")]


def _least_and_most(asked: Asked) -> Answer:
    inside = asked.inside
    good = np.isfinite(inside.y)
    if not good.any():
        raise TooFewReadings("An extreme", 1, 0)
    x, y = inside.t[good], inside.y[good]
    estimates = []
    ends = (("min", "lowest", int(np.argmin(y))), ("max", "highest", int(np.argmax(y))))
    for key, name, index in ends:
        own, shared = _at(inside.u, good, index), _at(inside.shared, good, index)
        estimates.append(asked.estimate(key, name, float(y[index]), own, asked.y_unit, shared,
                                        asked.y_decimals))  # fmt: skip
        estimates.append(Estimate(f"{key}_at", f"at {asked.x_symbol} =", float(x[index]), math.nan,
                                  asked.x_unit, {}, asked.x_decimals))  # fmt: skip
    return Answer(tuple(estimates), counted(int(good.sum())))


def _duration(asked: Asked) -> Answer:
    lo, hi = asked.places
    inside = asked.inside.t[np.isfinite(asked.inside.t)]
    if not inside.size:
        raise TooFewReadings("A count", 1, 0)
    step = 10.0**-asked.x_decimals
    reach = Estimate("width", "from end to end", hi - lo, math.nan, of_difference(asked.x_unit), {},
                     asked.x_decimals + (1 if step > 0.01 * (hi - lo) else 0))  # fmt: skip
    own = Estimate("reach", "first to last reading", float(np.ptp(inside)), math.nan,
                   asked.x_unit, {}, asked.x_decimals)  # fmt: skip
    count = Estimate("count", "readings", float(inside.size), math.nan, Unit(), {}, 0)
    return Answer((reach, own, count))


def _area(asked: Asked) -> Answer:
    lo, hi = asked.places
    baseline = asked.details["baseline"]
    edges = bool(asked.details["readings_only"])
    readings, said = asked.whole, ""
    u, scatter = _uncertainties(asked)
    base = "ends" if baseline == "ends" else float(baseline)
    shared = 0.0 if readings.shared is None else np.nan_to_num(readings.shared)
    found = area_between(readings.t, readings.y, lo, hi, u, shared, baseline=base,
                         readings_only=edges)  # fmt: skip
    if scatter:
        spread = numbers.significant(scatter)
        said = f"± from the scatter of neighbours, {spread} {typeset(asked.y_unit)}"
    above = "above the line through its ends"
    if base != "ends":
        above = f"above {asked.y_symbol} = {base:g} {typeset(asked.y_unit)}" if base else ""
    within = "from the first to the last reading inside" if edges else ""
    unit, factor = named_product(asked.x_unit, asked.y_unit)
    parts = {asked.calibration: found.u_shared * factor} if found.u_shared else {}
    estimate = Estimate("area", "area", found.value * factor,
                        math.hypot(found.u, found.u_shared) * factor, unit, parts)  # fmt: skip
    good = np.isfinite(readings.y)
    heights = np.interp([found.lo, found.hi], readings.t[good], readings.y[good])
    low = heights if base == "ends" else (base, base)
    remark = "; ".join(part for part in (above, within, said) if part)
    return Answer((estimate,), remark, area=(found.lo, found.hi, float(low[0]), float(low[1])),
                  at=_middle(asked, None))  # fmt: skip


def _crossing(asked: Asked) -> Answer:
    level = float(asked.details["level"])
    u, _ = _uncertainties(asked, asked.inside)
    found = crossings(asked.inside.t, asked.inside.y, level, u)
    said = f"{asked.y_symbol} = {level:g} {typeset(asked.y_unit)}".strip()
    if not found:
        raise DeskError(f"It does not cross {said} in this span. Move the span, or the level.")
    shared = _carried(
        asked, lambda y: [one.x for one in crossings(asked.inside.t, y, level, u)],
        [one.x for one in found],
    )  # fmt: skip
    estimates = tuple(
        asked.estimate("x" if n == 0 else f"x_{n + 1}",
                       f"{asked.x_symbol} {'rising' if one.rising else 'falling'}",
                       one.x, one.u_x, asked.x_unit, shared[n], asked.x_decimals + 1)
        for n, one in enumerate(found[:MOST_LISTED])
    )  # fmt: skip
    more = f"; the first {MOST_LISTED} are listed" if len(found) > MOST_LISTED else ""
    times = "once" if len(found) == 1 else f"{len(found)} times"
    flat = sum(one.equal for one in found if one.equal > 1)
    on_it = f"; {flat} readings lie on it, ± covers their stretch" if flat else ""
    remark = f"crosses {said} {times}, straight between readings{on_it}{more}"
    return Answer(estimates, remark, at=(found[0].x, level))


def _peak(highest: bool):
    def answer(asked: Asked) -> Answer:
        u, _ = _uncertainties(asked, asked.inside)
        found = extreme(asked.inside.t, asked.inside.y, u, highest=highest)
        shared = _carried(
            asked, lambda y: _xy(extreme(asked.inside.t, y, u, highest=highest)), _xy(found)
        )
        how = "parabola through three readings" if found.between else "it is a single reading"
        if found.equal > 1:
            end = "top" if highest else "bottom"
            how = f"flat {end}: the middle of {found.equal} equal readings; ± reaches to its ends"
        return Answer(_of_place(asked, found, shared), how, at=(found.x, found.y))

    return answer


def _half(asked: Asked) -> Answer:
    u, _ = _uncertainties(asked, asked.inside)
    found, before, after = half_way(asked.inside.t, asked.inside.y, u)
    shared = _carried(asked, lambda y: _xy(half_way(asked.inside.t, y, u)[0]), _xy(found))
    unit, d = typeset(asked.y_unit), asked.y_decimals
    remark = f"from {numbers.fixed(before, d)} to {numbers.fixed(after, d)} {unit}".strip()
    return Answer(_of_place(asked, found, shared), remark, at=(found.x, found.y))


def _xy(found: Place) -> tuple[float, float]:
    return found.x, found.y


def _of_place(asked: Asked, found: Place, shared: Sequence[float]) -> tuple[Estimate, ...]:
    x_unit, y_unit = asked.x_unit, asked.y_unit
    of_x = asked.x_decimals + (1 if found.between else 0)
    return (
        asked.estimate("x", asked.x_symbol, found.x, found.u_x, x_unit, shared[0], of_x),
        asked.estimate("y", asked.y_symbol, found.y, found.u_y, y_unit, shared[1],
                       asked.y_decimals),
    )  # fmt: skip


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


def _uncertainties(
    asked: Asked, readings: Readings | None = None
) -> tuple[np.ndarray | float, float]:
    """Give the readings' own uncertainties; where none are known, their scatter, which is told."""
    of_it = asked.whole if readings is None else readings
    if of_it.u is not None and np.any(np.nan_to_num(of_it.u) > 0):
        return np.nan_to_num(of_it.u), 0.0
    scatter = quiet_scatter(asked.inside.y)
    scatter = 0.0 if math.isnan(scatter) else scatter
    return scatter, scatter


def _at(values: np.ndarray | None, good: np.ndarray, index: int) -> float:
    return math.nan if values is None else float(values[good][index])


def _carried(
    asked: Asked, ask: Callable[[np.ndarray], Sequence[float]], found: Sequence[float]
) -> list[float]:
    """Give by how much numbers move with what all readings share: they are asked once more of
    readings that are moved by it."""
    inside = asked.inside
    if inside.shared is None or not np.any(np.nan_to_num(inside.shared)):
        return [0.0] * len(found)
    try:
        moved = ask(inside.y + np.nan_to_num(inside.shared))
    except GalenaError:
        return [0.0] * len(found)
    if len(moved) != len(found):
        return [0.0] * len(found)
    return [after - before for after, before in zip(moved, found, strict=True)]


def _middle(asked: Asked, y: float | None) -> tuple[float, float]:
    lo, hi = asked.places
    x = (lo + hi) / 2
    if y is None:
        inside = asked.inside
        y = float(np.interp(x, inside.t, inside.y)) if len(inside) else 0.0
    return x, y


STRETCH = (
    Question("mean", "mean", "span", "with its standard error", _mean, influence=of_mean),
    Question("spread", "spread", "span", "standard deviation and median", _spread),
    Question("extremes", "lowest and highest", "span", "readings, and where", _least_and_most),
    Question("duration", "how long", "span", "width and number of readings", _duration),
    Question("peak", "peak", "span", "highest place between readings", _peak(True)),
    Question("trough", "trough", "span", "lowest place between readings", _peak(False)),
    Question("halfway", "half-way", "span", "point of a step", _half),
    Question(
        "crossing", "crossing", "span", "of a level", _crossing,
        inputs=(Input("level", "crossing of", number("The level")),),
    ),
    Question(
        "area", "area", "span", "under the readings", _area, influence=of_area,
        inputs=(
            Input("baseline", "area above", number_or_word("ends", "The baseline"), 0),
            Input("readings_only", "readings only", ticked, False, "tick"),
        ),
        presets=(("area above the line through its ends", '{"baseline": "ends"}'),),
    ),
)  # fmt: skip
