"""What is asked of other findings: of a fit, of two fits, of several numbers."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from galena.core import dimensions, fits, formula, numbers, second_look_claims
from galena.core.errors import FitError, GalenaError
from galena.core.fits.each_reading import solve_each
from galena.core.fits.meeting import place_of
from galena.core.formula import Symbol, Value
from galena.core.influence import independent_parts
from galena.core.local_slope import tangent
from galena.core.statistics import describe
from galena.core.units import Unit
from galena.core.units import format as typeset
from galena.desk.errors import DeskError
from galena.desk.findings.questions.answer import Answer, Asked, Estimate, Question
from galena.desk.findings.questions.fitted import shifts_of, weights_of
from galena.desk.findings.questions.place import read_between

PERCENT = Unit((("%", 1),))


@dataclass(frozen=True)
class Source:
    """An answer that another finding is built on, and what it was asked of."""

    name: str
    answer: Answer
    asked: Asked | None

    @property
    def fit(self) -> fits.Fit:
        """Its fit. Raises DeskError where there is none."""
        if self.answer.trouble:
            raise DeskError(f"{self.name}: {self.answer.trouble}")
        if self.answer.fit is None or self.asked is None:
            raise DeskError(f"{self.name} is no fit.")
        if self.answer.by_hand:
            raise DeskError(f"{self.name} is laid on by hand. Fit it first.")
        return self.answer.fit

    def carried_to(self, x: float) -> float:
        """Give by how much the fit's value at x moves with what all its readings share."""
        fit, asked = self.fit, self.asked
        if asked is None:
            return 0.0
        shifts = shifts_of(asked, fit, weights_of(asked))
        if not shifts:
            return 0.0
        slopes = fit.model.slopes(np.array([x]), fit.params)[0]
        moved = (slopes[k] * shifts.get(name, 0.0) for k, name in enumerate(fit.params))
        return float(np.nan_to_num(sum(moved)))

    def estimate(self, key: str) -> Estimate:
        """Give one of its numbers. Raises DeskError."""
        if self.answer.trouble:
            raise DeskError(f"{self.name}: {self.answer.trouble}")
        found = next((one for one in self.answer.estimates if one.key == key), None)
        if found is None:
            raise DeskError(f"{self.name} has no {key} any more.")
        return found


def at_x(source: Source, details: Mapping[str, object]) -> Answer:
    """Give a fit's value at a place, with its confidence band."""
    found, asked, x = source.fit, source.asked, _number(details, "x")
    assert asked is not None
    y = float(found.predict(x)[0])
    if not math.isfinite(y):
        raise DeskError(f"The fit has no value at {asked.x_symbol} = {x:g}.")
    estimate = asked.estimate("value", asked.y_symbol, y, float(found.band(x)[0]), asked.y_unit,
                              source.carried_to(x))  # fmt: skip
    remark = f"of the fit at {asked.x_symbol} = {x:g} {typeset(asked.x_unit)}".rstrip()
    return Answer((estimate,), remark, remarks=_beyond(found, x), at=(x, y))


def at_y(source: Source, details: Mapping[str, object]) -> Answer:
    """Give the place at which a fit has a value."""
    found, asked, y = source.fit, source.asked, _number(details, "y")
    assert asked is not None
    met = place_of(found, y)
    rate = float(found.rate(met.x)[0])
    shared = -source.carried_to(met.x) / rate if rate else 0.0
    estimate = asked.estimate("x", asked.x_symbol, met.x, met.u_x, asked.x_unit, shared)
    remark = f"where the fit has {asked.y_symbol} = {y:g} {typeset(asked.y_unit)}".rstrip()
    return Answer((estimate,), remark, remarks=_beyond(found, met.x), at=(met.x, y))


def each(source: Source, details: Mapping[str, object]) -> Answer:
    """Work one parameter of a fit out from every reading, the others being held."""
    found, asked = source.fit, source.asked
    assert asked is not None
    name = str(details.get("parameter", ""))
    of_all = solve_each(found.model, asked.inside.t, asked.inside.y, name, found.params)
    if not of_all.counted.size:
        raise DeskError(
            f"No single reading tells {name}: the scatter is as large as what {name} changes. Take "
            "it from the fit."
        )
    kept = describe(of_all.counted)
    unit = found.model.units(asked.x_unit, asked.y_unit).get(name, Unit())
    remark = f"from each of {numbers.grouped(kept.count)} readings, the other parameters held"
    for left_out, why in (
        (of_all.blunt, f"where the model hardly depends on {name}"),
        (of_all.unsolved, f"which no {name} near that of the fit explains"),
    ):
        count = int(np.count_nonzero(left_out))
        if count:
            readings = "reading" if count == 1 else "readings"
            remark += f"; {numbers.grouped(count)} {readings} left out, {why}"
    return Answer((Estimate("mean", f"mean of {name}", kept.mean, kept.standard_error, unit),),
                  remark)  # fmt: skip


def meet(sources: Sequence[Source], details: Mapping[str, object]) -> Answer:
    """Give where two fits meet, with the uncertainty of both."""
    first, second = sources
    asked, other = first.asked, second.asked
    if asked is None or other is None or first.fit is None:
        raise DeskError("Two fits are needed.")
    if (asked.y_unit, asked.x_unit) != (other.y_unit, other.x_unit):
        raise DeskError("The two fits are of quantities in different units: they cannot meet.")
    near = details.get("near")
    met = fits.intersect(first.fit, second.fit, None if near is None else float(near))  # type: ignore[arg-type]
    remarks = _beyond(first.fit, met.x) + _beyond(second.fit, met.x)
    between = first.fit.reach[1] < met.x < second.fit.reach[0] or (
        second.fit.reach[1] < met.x < first.fit.reach[0]
    )
    of_x, of_y = _carried_to_meeting(first, second, met.x)
    estimates = (
        Estimate("x", asked.x_symbol, met.x, math.hypot(met.u_x, *of_x.values()), asked.x_unit,
                 of_x),
        Estimate("y", asked.y_symbol, met.y, math.hypot(met.u_y, *of_y.values()), asked.y_unit,
                 of_y),
    )  # fmt: skip
    remark = f"where {first.name} and {second.name} meet"
    return Answer(estimates, remark, remarks=() if between else remarks[:1], at=(met.x, met.y))


def _carried_to_meeting(
    first: Source, second: Source, x: float
) -> tuple[dict[str, float], dict[str, float]]:
    """Give by how much place and height of a meeting move with what readings share, by source."""
    slope = float(first.fit.rate(x)[0])
    apart = slope - float(second.fit.rate(x)[0])
    of_x: dict[str, float] = {}
    of_y: dict[str, float] = {}
    for one, sign in ((first, 1.0), (second, -1.0)):
        moved = one.carried_to(x)
        if one.asked is None or not moved or not apart:
            continue
        name, step = one.asked.calibration, -sign * moved / apart
        of_x[name] = of_x.get(name, 0.0) + step
        of_y[name] = of_y.get(name, 0.0) + slope * step + (moved if one is first else 0.0)
    return of_x, of_y


def difference(
    first: Estimate, second: Estimate, names: tuple[str, str], shared: float = 0.0
) -> Answer:
    """Say how far two numbers are apart: in their unit, in percent, in uncertainties.

    What both share cancels. shared: the covariance of what they have of their own, in the product
    of their units. Source: JCGM 100:2008 (GUM), 5.2.2.
    """
    if not first.unit.is_compatible(second.unit):
        raise DeskError("The two numbers have different units: they cannot be compared.")
    size = dimensions.factor(second.unit) / dimensions.factor(first.unit)
    off = second.value * size - first.value
    u = _combined(first, second, -1.0, size, shared)
    unit = dimensions.of_difference(first.unit)
    estimates = [Estimate("difference", "difference", off, u, unit)]
    if first.value:
        share = abs(100 / first.value)
        relative = _of_ratio(first, second, size, shared)
        estimates.append(Estimate("percent", "in percent", math.copysign(share, first.value) * off,
                                  relative * 100, PERCENT))  # fmt: skip
    said = ""
    if math.isfinite(u) and u > 0:
        apart = abs(off) / u
        estimates.append(Estimate("apart", "in uncertainties", apart, math.nan, Unit(), {}, 1))
        said = "they agree" if apart <= second_look_claims.FAR else "they do not agree"
        said += f": {apart:.1f} of the combined uncertainty apart"
    return Answer(tuple(estimates), f"{names[1]} less {names[0]}" + (f"; {said}" if said else ""))


def by_formula(text: str, known: Mapping[str, Symbol], values: Mapping[str, Value]) -> Answer:
    """Work a formula out over findings, givens and conditions; sources met twice are one."""
    expression = formula.compile(text, known)
    found = expression.value(values)
    if np.ndim(found.y):
        raise DeskError("A formula of findings gives one number. It looks at rows of readings.")
    u = found.uncertainty()
    value = float(np.asarray(expression.in_unit(found.y)))
    if not math.isfinite(value):
        raise DeskError("The formula gives no number: it divides by zero, or takes a root of less.")
    size = math.nan if u is None else float(np.asarray(u)) / expression.factor
    parts = {name: float(np.asarray(part)) / expression.factor
             for name, part in found.shared.items()}  # fmt: skip
    return Answer((Estimate("value", "value", value, size, expression.unit, parts),), text)


@dataclass(frozen=True)
class Named:
    """A number of a finding: `origin` names the finding, so that two of its numbers are known to
    come from one."""

    estimate: Estimate
    origin: str


Correlation = Callable[[int, int], float]


def own_covariance(numbers: Sequence[Named], correlation: Correlation) -> np.ndarray:
    """Give the covariance of what each number has of its own, beside what is known everywhere.

    Two numbers of one fit share its sources; two of different findings as much as the readings
    that both are made of say. correlation: of the numbers at two places, from their readings.
    """
    found = np.zeros((len(numbers), len(numbers)))
    own = [one.estimate.own_uncertainty for one in numbers]
    own = [u if math.isfinite(u) else 0.0 for u in own]
    for i, first in enumerate(numbers):
        found[i, i] = own[i] ** 2
        for j, second in enumerate(numbers[:i]):
            if first.origin == second.origin:
                both = {name for name in first.estimate.parts if name.startswith("fit ")}
                found[i, j] = sum(
                    first.estimate.parts[name] * second.estimate.parts.get(name, 0.0)
                    for name in both
                )
            else:
                found[i, j] = correlation(i, j) * own[i] * own[j]
            found[j, i] = found[i, j]
    return found


def as_values(numbers: Sequence[Named], correlation: Correlation) -> list[Value]:
    """Give numbers in SI units, each with its sources; what two share has the same source."""
    parts = independent_parts(own_covariance(numbers, correlation))
    made_of = " + ".join(sorted({f"{one.origin} {one.estimate.key}" for one in numbers}))
    values = []
    for place, one in enumerate(numbers):
        estimate = one.estimate
        size = dimensions.factor(estimate.unit)
        shared = {name: part * size for name, part in estimate.parts.items()
                  if not name.startswith("fit ")}  # fmt: skip
        shared |= {f"{made_of} {k}": float(part) * size
                   for k, part in enumerate(parts[place]) if part}  # fmt: skip
        origin = dimensions.origin(estimate.unit)
        values.append(Value(estimate.value * size + origin, shared=shared))
    return values


def _of_ratio(first: Estimate, second: Estimate, size: float, shared: float) -> float:
    """Give the uncertainty of second/first."""
    ratio = second.value * size / first.value
    return _combined(first, second, -ratio / first.value, size / first.value, shared)


def _combined(
    first: Estimate, second: Estimate, by_first: float, by_second: float, shared: float
) -> float:
    """Combine two uncertainties; shared: the covariance of what both have of their own."""
    parts: dict[str, float] = {}
    rest = 2 * by_first * by_second * shared
    for one, by in ((first, by_first), (second, by_second)):
        own = one.own_uncertainty
        rest += (own if math.isfinite(own) else 0.0) ** 2 * by**2
        for name, part in one.parts.items():
            if not name.startswith("fit "):
                parts[name] = parts.get(name, 0.0) + by * part
    total = math.sqrt(max(0.0, rest) + sum(part**2 for part in parts.values()))
    return total or math.nan


def there(source: Source, asked: Asked) -> Answer:
    """Read another quantity at the place that a finding has found.

    u² = u_y² + (slope · u_x)², the slope being that between the two readings about it.
    """
    place = next((one for one in source.answer.estimates if one.key == "x"), None)
    if place is None:
        place = source.estimate("x")
    y, u, shared = read_between(asked.whole, place.value)
    slope = 0.0
    if math.isfinite(place.uncertainty) and len(asked.whole) > 3:
        near = tangent(asked.whole.t, asked.whole.y, place.value, 5)
        slope = near.slope
    u_x = place.uncertainty if math.isfinite(place.uncertainty) else 0.0
    total = math.hypot(u, shared, slope * u_x) or math.nan
    estimate = Estimate("value", asked.y_symbol, y, total, asked.y_unit, {}, asked.y_decimals)
    remark = f"where {source.name} found {place.name} = {place.text} {place.unit_text}".rstrip()
    return Answer((estimate,), remark, at=(place.value, y))


def _number(details: Mapping[str, object], name: str) -> float:
    try:
        return float(details[name])  # type: ignore[arg-type]
    except (KeyError, TypeError, ValueError) as error:
        raise DeskError(f"Type a number for {name}.") from error


def _beyond(found: fits.Fit, x: float) -> tuple[str, ...]:
    remark = second_look_claims.beyond(found, x)
    return () if remark is None else (str(remark),)


def _not_alone(asked: Asked) -> Answer:
    raise FitError("This is asked of other findings.")


BUILT = (
    Question("at_x", "value at", "fit", _not_alone, "of the fit, with its band", ("x",)),
    Question("at_y", "where it is", "fit", _not_alone, "the place of a value", ("y",)),
    Question("there", "reading there", "fit", _not_alone, "of another quantity"),
    Question("each", "from each reading", "fit", _not_alone, "one parameter", ("parameter",)),
    Question("meet", "where they meet", "findings", _not_alone, "two fits"),
    Question("difference", "difference", "findings", _not_alone, "of two numbers"),
    Question("formula", "formula", "findings", _not_alone, "over findings", ("formula",)),
)
OF_FIT = {"at_x": at_x, "at_y": at_y, "each": each}

__all__ = ["BUILT", "OF_FIT", "GalenaError", "Source", "as_values", "by_formula", "difference",
           "meet"]  # fmt: skip
