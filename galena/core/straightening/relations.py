"""The relations that can be made straight, each stated once, in the order of how much they claim.

Sources: any textbook of practical physics, as G. L. Squires, Practical Physics, 4th ed., 4.4; the
constants' uncertainties by JCGM 100:2008 (GUM), 5.2.2.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from types import MappingProxyType

import numpy as np
from numpy.typing import ArrayLike

from galena.core.errors import FitError, GalenaError
from galena.core.fits.fitting import fit
from galena.core.straightening import transforms
from galena.core.straightening.own import Own
from galena.core.straightening.relation import Constant, Relation, Straightened, rows
from galena.core.straightening.transforms import PLAIN, Transform, square_about
from galena.core.units import Unit


@dataclass(frozen=True)
class TurningPoint(Relation):
    """A square about the place at which y turns, which is that of the quadratic fit or typed."""

    def straighten(
        self,
        x: ArrayLike,
        y: ArrayLike,
        *,
        u_y: ArrayLike | None = None,
        u_x: ArrayLike | None = None,
    ) -> Straightened:
        """Give readings in the axes of this relation.

        As of every relation; where no turning point was typed it is that of the quadratic fit.
        Raises FitError where that does not turn.
        """
        if self.x_0 is not None:
            return super().straighten(x, y, u_y=u_y, u_x=u_x)
        places, values = rows(x, y)
        return self.about(*turning_point(places, values)).straighten(
            places, values, u_y=u_y, u_x=u_x
        )

    def about(self, x_0: float, u: float = 0.0) -> TurningPoint:
        """Give the relation with its turning point at x₀, of standard uncertainty u."""
        return replace(self, x=square_about(x_0), x_0=(x_0, u))


def turning_point(x: ArrayLike, y: ArrayLike) -> tuple[float, float]:
    """Give the place at which the quadratic fit to readings turns, with its uncertainty.

    Raises FitError where it does not turn at all.
    """
    places, values = rows(x, y)
    good = np.isfinite(places) & np.isfinite(values)
    middle = float(np.median(places[good])) if good.any() else 0.0
    try:
        with np.errstate(all="ignore"):  # readings of 1e300 are no parabola
            fitted = fit("quadratic", places - middle, values)
    except GalenaError as error:
        raise FitError(f"No turning point can be told: {error}") from error
    a, b = fitted.params["a"], fitted.params["b"]
    if a == 0 or not math.isfinite(b / a):
        raise FitError("These readings do not turn: the quadratic fit to them is a straight line.")
    gradient = np.array([b / (2 * a * a), -1 / (2 * a)])
    variance = float(gradient @ fitted.covariance[:2, :2] @ gradient)
    return middle - b / (2 * a), math.sqrt(max(0.0, variance))


def _slope(name: str, unit: Callable[[Unit, Unit], Unit]) -> Constant:
    return Constant(name, lambda slope, intercept: slope, lambda slope, intercept: (1, 0), unit)


def _intercept(name: str, unit: Callable[[Unit, Unit], Unit]) -> Constant:
    return Constant(name, lambda slope, intercept: intercept, lambda slope, intercept: (0, 1), unit)


def _slope_and_intercept(x: Transform, y: Transform) -> tuple[Constant, Constant]:
    """Give k and c of a law that is the line itself."""
    return (
        _slope("k", lambda of_x, of_y: y.unit(of_y) / x.unit(of_x)),
        _intercept("c", lambda of_x, of_y: y.unit(of_y)),
    )


def _of_x(unit: Unit, _: Unit) -> Unit:
    return unit


def _of_y(_: Unit, unit: Unit) -> Unit:
    return unit


def _number(_: Unit, __: Unit) -> Unit:
    return Unit()


def _over(above: float, below: float) -> float:
    return above / below if below else math.copysign(math.inf, above)


def _exp(power: float) -> float:
    return math.exp(power) if power < 700 else math.inf


_FACTOR = Constant(
    "a",
    lambda slope, intercept: _exp(intercept),
    lambda slope, intercept: (0, _exp(intercept)),
    _of_y,
)
_EXPONENT = _slope("n", _number)


def _time(sign: int) -> Constant:
    """Give the stretch of x over which an exponential changes by a factor of e."""
    return Constant(
        "tau",
        lambda slope, intercept: _over(sign, slope),
        lambda slope, intercept: (_over(-sign, slope * slope), 0),
        _of_x,
    )


_LIMIT = Constant(
    "y_max",
    lambda slope, intercept: _over(1, intercept),
    lambda slope, intercept: (0, _over(-1, intercept * intercept)),
    _of_y,
)
_HALFWAY = Constant(
    "x_half",
    lambda slope, intercept: _over(slope, intercept),
    lambda slope, intercept: (_over(1, intercept), _over(-slope, intercept * intercept)),
    _of_x,
)


def _of_x_alone(
    key: str,
    words: str,
    x: Transform,
    shapes: tuple[str, ...],
    relation: str,
    *,
    formula: str,
    curve: str = "",
    names: Mapping[str, str] = MappingProxyType({"k": "k", "c": "c"}),
) -> Relation:
    """State a relation y = k f(x) + c."""
    return Relation(
        key, words, x, PLAIN, f"k{formula} + c", _slope_and_intercept(x, PLAIN),
        curve or f"k{formula} + c", names, shapes, relation, relation + ", plus a constant",
    )  # fmt: skip


_LINE_NAMES = MappingProxyType({"k": "slope", "c": "intercept"})
_RISES, _FALLS, _STAYS, _TURNS = "rises_evenly", "falls_evenly", "stays", "turns"
_FASTER, _SLOWER, _FADES = "rises_faster", "rises_slower", "falls_slower"
ALL_SHAPES = (_RISES, _FASTER, _SLOWER, _FADES, _FALLS, _STAYS, _TURNS)


def _stated() -> list[Relation]:
    logarithm, inverse = transforms.LOGARITHM, transforms.INVERSE
    return [
        replace(
            _of_x_alone(
                "none", "no dependence", PLAIN, (_STAYS,), "{y} does not depend on {x}",
                formula="*x", curve="line", names=_LINE_NAMES),
            plus_constant="{y} does not depend on {x}"),
        replace(
            _of_x_alone(
                "linear", "linear", PLAIN, (_RISES, _FALLS), "{y} is linear in {x}",
                formula="*x", curve="line", names=_LINE_NAMES),
            plus_constant="{y} is linear in {x}"),
        replace(
            _of_x_alone(
                "proportional", "proportional", PLAIN, (_RISES,),
                "{y} is directly proportional to {x}",
                formula="*x", curve="line", names=_LINE_NAMES),
            plus_constant="{y} is linear in {x}, not directly proportional"),
        _of_x_alone(
            "square_root", "square root", transforms.SQUARE_ROOT, (_SLOWER,),
            "{y} is proportional to the square root of {x}", formula="*sqrt(x)"),
        _of_x_alone(
            "square", "square", transforms.SQUARE, (_FASTER,),
            "{y} is proportional to the square of {x}", formula="*x^2"),
        _of_x_alone(
            "cube", "cube", transforms.CUBE, (_FASTER,),
            "{y} is proportional to the cube of {x}", formula="*x^3"),
        _of_x_alone(
            "inverse", "inverse", inverse, (_FADES,),
            "{y} is inversely proportional to {x}", formula="/x", curve="inverse_constant"),
        _of_x_alone(
            "inverse_square", "inverse square", transforms.INVERSE_SQUARE, (_FADES,),
            "{y} is inversely proportional to the square of {x}", formula="/x^2",
            curve="inverse_square_constant"),
        _of_x_alone(
            "inverse_cube", "inverse cube", transforms.INVERSE_CUBE, (_FADES,),
            "{y} is inversely proportional to the cube of {x}", formula="/x^3"),
        replace(
            _of_x_alone(
                "logarithmic", "logarithm", logarithm, (_SLOWER, _FADES),
                "{y} changes with the logarithm of {x}", formula="*ln(x)", curve="logarithm",
                names=MappingProxyType({"k": "a", "c": "b"})),
            plus_constant="{y} changes with the logarithm of {x}",
            constants=(_slope("k", _of_y), _intercept("c", _of_y))),
        Relation(
            "power", "power", logarithm, logarithm, "a*x^n", (_FACTOR, _EXPONENT), "power",
            MappingProxyType({"a": "a", "n": "n"}), (_FASTER, _SLOWER, _FADES, _RISES),
            "{y} is proportional to a power of {x}", "{y} is proportional to a power of {x}"),
        Relation(
            "exponential_growth", "exponential growth", PLAIN, logarithm, "a*exp(x/tau)",
            (_FACTOR, _time(1)), "growth", MappingProxyType({"a": "a", "tau": "τ"}), (_FASTER,),
            "{y} grows exponentially with {x}", "{y} grows exponentially with {x}"),
        Relation(
            "exponential_decay", "exponential decay", PLAIN, logarithm, "a*exp(-x/tau)",
            (_FACTOR, _time(-1)), "decay", MappingProxyType({"a": "a", "tau": "τ"}), (_FADES,),
            "{y} falls exponentially with {x}", "{y} falls exponentially with {x}"),
        Relation(
            "reciprocal", "saturation", inverse, inverse, "y_max*x/(x_half + x)",
            (*_slope_and_intercept(inverse, inverse), _LIMIT, _HALFWAY), "a*x/(b + x)",
            MappingProxyType({"y_max": "a", "x_half": "b"}), (_SLOWER,),
            "{y} is proportional to {x}", "{y} rises with {x} towards a limit"),
        TurningPoint(
            "turning_point", "square about a turning point", square_about(0.0), PLAIN,
            "k*(x - x_0)^2 + c", _slope_and_intercept(transforms.SQUARE, PLAIN), "turning_point",
            MappingProxyType({"k": "a", "c": "y_0"}), (_TURNS, _FASTER, _FADES),
            "{y} is proportional to the square of the distance from the turning point",
            "{y} changes with the square of the distance from the turning point"),
        Own(
            "own", "own formulas", PLAIN, PLAIN, "", _slope_and_intercept(PLAIN, PLAIN), "",
            MappingProxyType({}), ALL_SHAPES, "{y} is proportional to {x}",
            "{y} is linear in {x}"),
    ]  # fmt: skip


RELATIONS: Mapping[str, Relation] = MappingProxyType({one.key: one for one in _stated()})
