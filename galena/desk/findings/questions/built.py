"""What is asked of other findings: of a fit, of two fits, of several numbers."""

from __future__ import annotations

import math

import numpy as np

from galena.core import dimensions, fits, formula, numbers, second_look
from galena.core.covariance import own_covariance
from galena.core.differences import Uncertain
from galena.core.differences import difference as apart
from galena.core.fits.each_reading import solve_each
from galena.core.fits.intersection import place_of
from galena.core.interpolation import read_between
from galena.core.local_slope import tangent
from galena.core.second_look.fits import FAR, Place
from galena.core.statistics import describe
from galena.core.units import Unit, typeset
from galena.desk.errors import DeskError
from galena.desk.findings.questions.answer import PERCENT, Answer, Estimate
from galena.desk.findings.questions.basis import Basis, Named, Source
from galena.desk.findings.questions.inputs import Input, number, words
from galena.desk.findings.questions.question import Question


def at_x(basis: Basis) -> Answer:
    """Give a fit's value at a place, with its confidence band."""
    (source,) = basis.sources
    fit, subject, x = source.fit, source.readings, float(basis.details["x"])
    y = float(fit.predict(x)[0])
    if not math.isfinite(y):
        raise DeskError(f"The fit has no value at {subject.x_symbol} = {x:g}.")
    estimate = subject.estimate("value", subject.y_symbol, y, float(fit.band(x)[0]), subject.y_unit,
                              source.carried_to(x))  # fmt: skip
    remark = f"of the fit at {subject.x_symbol} = {x:g} {typeset(subject.x_unit)}".rstrip()
    return Answer((estimate,), remark, remarks=_beyond(fit, x), at=(x, y))


def at_y(basis: Basis) -> Answer:
    """Give the place at which a fit has a value."""
    (source,) = basis.sources
    fit, subject, y = source.fit, source.readings, float(basis.details["y"])
    met = place_of(fit, y)
    rate = float(fit.derivative(met.x)[0])
    shared = -source.carried_to(met.x) / rate if rate else 0.0
    estimate = subject.estimate("x", subject.x_symbol, met.x, met.u_x, subject.x_unit, shared)
    remark = f"where the fit has {subject.y_symbol} = {y:g} {typeset(subject.y_unit)}".rstrip()
    return Answer((estimate,), remark, remarks=_beyond(fit, met.x), at=(met.x, y))


def each(basis: Basis) -> Answer:
    """Work one parameter of a fit out from every reading, the others being held."""
    (source,) = basis.sources
    fit, subject = source.fit, source.readings
    name = str(basis.details["parameter"])
    of_all = solve_each(fit.model, subject.inside.t, subject.inside.y, name, fit.params)
    if not of_all.counted.size:
        raise DeskError(
            f"No single reading tells {name}: the scatter is as large as what {name} changes. Take "
            "it from the fit."
        )
    kept = describe(of_all.counted)
    unit = fit.model.units(subject.x_unit, subject.y_unit).get(name, Unit())
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


def meet(basis: Basis) -> Answer:
    """Give where two fits meet, with the uncertainty of both."""
    first, second = basis.sources
    subject, other = first.readings, second.readings
    if (subject.y_unit, subject.x_unit) != (other.y_unit, other.x_unit):
        raise DeskError("The two fits are of quantities in different units: they cannot meet.")
    near = basis.details["near"]
    met = fits.intersect(first.fit, second.fit, None if near is None else float(near))
    remarks = _beyond(first.fit, met.x) + _beyond(second.fit, met.x)
    between = first.fit.reach[1] < met.x < second.fit.reach[0] or (
        second.fit.reach[1] < met.x < first.fit.reach[0]
    )
    of_x, of_y = _carried_to_meeting(first, second, met.x)
    estimates = (
        Estimate("x", subject.x_symbol, met.x, math.hypot(met.u_x, *of_x.values()), subject.x_unit,
                 of_x),
        Estimate("y", subject.y_symbol, met.y, math.hypot(met.u_y, *of_y.values()), subject.y_unit,
                 of_y),
    )  # fmt: skip
    remark = f"where {first.name} and {second.name} meet"
    return Answer(estimates, remark, remarks=() if between else remarks[:1], at=(met.x, met.y))


def _carried_to_meeting(
    first: Source, second: Source, x: float
) -> tuple[dict[str, float], dict[str, float]]:
    """Give by how much place and height of a meeting move with what readings share, by source."""
    slope = float(first.fit.derivative(x)[0])
    apart = slope - float(second.fit.derivative(x)[0])
    of_x: dict[str, float] = {}
    of_y: dict[str, float] = {}
    for source, sign in ((first, 1.0), (second, -1.0)):
        moved = source.carried_to(x)
        if source.subject is None or not moved or not apart:
            continue
        name, step = source.subject.calibration, -sign * moved / apart
        of_x[name] = of_x.get(name, 0.0) + step
        of_y[name] = of_y.get(name, 0.0) + slope * step + (moved if source is first else 0.0)
    return of_x, of_y


def difference(basis: Basis) -> Answer:
    """Say how far two numbers are apart: in their unit, in percent, in uncertainties."""
    first, second = basis.numbers
    unit = first.estimate.unit
    if not unit.is_compatible(second.estimate.unit):
        raise DeskError("The two numbers have different units: they cannot be compared.")
    size = dimensions.factor(second.estimate.unit) / dimensions.factor(unit)
    covariance = own_covariance([first.own, second.own], basis.correlation)[0, 1]
    off = apart(_uncertain(first), _uncertain(second, size), float(covariance) * size)
    estimates = [
        Estimate("difference", "difference", off.value, off.u, dimensions.of_difference(unit))
    ]
    if math.isfinite(off.share):
        estimates.append(
            Estimate("percent", "in percent", 100 * off.share, 100 * off.u_share, PERCENT)
        )
    remark = f"{second.name} less {first.name}"
    if math.isfinite(off.apart):
        estimates.append(
            Estimate("apart", "how many uncertainties apart", off.apart, math.nan, Unit(), {}, 1)
        )
        how = "they agree" if off.apart <= FAR else "they do not agree"
        remark += f"; {how}: {off.apart:.1f} of the combined uncertainty apart"
    return Answer(tuple(estimates), remark)


def _uncertain(number: Named, size: float = 1.0) -> Uncertain:
    """Give a number times a factor."""
    shared = {source: part * size for source, part in number.shared.items()}
    estimate = number.estimate
    return Uncertain(estimate.value * size, estimate.own_uncertainty * size, shared)


def by_formula(basis: Basis) -> Answer:
    """Work a formula out over findings, givens and conditions; sources met twice are one."""
    text = str(basis.details["formula"])
    symbols, values = basis.symbols()
    expression = formula.compile(text, symbols)
    result = expression.value(values)
    if np.ndim(result.y):
        raise DeskError("A formula of findings gives one number. It looks at rows of readings.")
    u = result.uncertainty()
    value = float(np.asarray(expression.in_unit(result.y)))
    if not math.isfinite(value):
        raise DeskError("The formula gives no number: it divides by zero, or takes a root of less.")
    size = math.nan if u is None else float(np.asarray(u)) / expression.factor
    parts = {source: float(np.asarray(part)) / expression.factor
             for source, part in result.shared.items()}  # fmt: skip
    return Answer((Estimate("value", "value", value, size, expression.unit, parts),), text)


def there(basis: Basis) -> Answer:
    """Read another quantity at the place that a finding has found.

    u² = u_y² + (slope · u_x)², the slope being that between the two readings about it.
    """
    (source,) = basis.sources
    subject = basis.subject
    place = next((one for one in source.answer.estimates if one.key == "x"), None)
    if place is None:
        place = source.estimate("x")
    whole = subject.whole
    read = read_between(whole.t, whole.y, place.value, whole.u, whole.shared)
    slope = 0.0
    if math.isfinite(place.uncertainty) and len(whole) > 3:
        slope = tangent(whole.t, whole.y, place.value, 5).slope
    u_x = place.uncertainty if math.isfinite(place.uncertainty) else 0.0
    total = math.hypot(read.u, read.shared, slope * u_x) or math.nan
    estimate = Estimate(
        "value", subject.y_symbol, read.y, total, subject.y_unit, {}, subject.y_decimals
    )
    remark = f"where {source.name} found {place.name} = {place.text} {place.unit_text}".rstrip()
    return Answer((estimate,), remark, at=(place.value, read.y))


def _beyond(fit: fits.Fit, x: float) -> tuple[str, ...]:
    return tuple(str(remark) for remark in second_look.remarks("claim", Place(fit, x)))


BUILT = (
    Question(
        "at_x", "value at", "fit", "of the fit, with its band", build=at_x,
        inputs=(Input("x", "value at {x} =", number("The value of x")),),
    ),
    Question(
        "at_y", "where it is", "fit", "the place of a value", build=at_y,
        inputs=(Input("y", "where {y} =", number("The value of y")),),
    ),
    Question("there", "reading there", "fit", "of another quantity", build=there, of_quantity=True),
    Question(
        "each", "from each reading", "fit", "one parameter", build=each,
        inputs=(Input("parameter", "from each reading", words("Choose a parameter."),
                      look="parameter"),),
    ),
    Question(
        "meet", "where they meet", "findings", "two fits", build=meet, count=2, of_fits=True,
        inputs=(Input("near", "near {x} =", number("The place"), None),),
    ),
    Question(
        "difference", "difference", "findings", "of two numbers", build=difference, count=2,
        of_numbers=True,
    ),
    Question(
        "formula", "formula", "findings", "over findings", build=by_formula, count=None,
        inputs=(Input("formula", "formula", words("Write a formula over findings."),
                      look="formula"),),
    ),
)  # fmt: skip
