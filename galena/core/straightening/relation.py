"""A relation between two quantities, and what a straight line in its own axes says of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError
from galena.core.fits.result import Fit
from galena.core.straightening.transforms import PLAIN, Floats, Transform
from galena.core.units import Unit

Estimate = tuple[float, float]


@dataclass(frozen=True)
class Constant:
    """A constant of a law, from slope and intercept of the line.

    `gradient` gives its slopes in both; `unit` its unit from those of x and y.
    """

    name: str
    value: Callable[[float, float], float]
    gradient: Callable[[float, float], tuple[float, float]]
    unit: Callable[[Unit, Unit], Unit]


@dataclass(frozen=True)
class Straightened:
    """Readings in the axes of a relation.

    x, y: shape (m,), with standard uncertainties u_y and u_x where those of the readings are
    known; kept: which of the n readings they are, shape (n,): the others have no place there.
    `relation` is the one whose axes these are, with its turning point.
    """

    x: Floats
    y: Floats
    u_y: Floats | None
    kept: NDArray[np.bool_]
    relation: Relation
    u_x: Floats | None = None

    @property
    def left_out(self) -> int:
        """How many readings have no place in these axes."""
        return int(np.count_nonzero(~self.kept))


@dataclass(frozen=True)
class Relation:
    """A relation that is a straight line once x and y are plotted by these rules.

    `words` name it; `law` is y as a formula of x with its `constants`, `curve` the model or the
    formula that is fitted to the curve itself and `names` what that calls the constants.
    `shapes` are the keys of the shapes that it can have. `as_constant` is what it says of y where
    the intercept is zero, `plus_constant` where it is not, each with {y} and {x}. x_0 is its
    turning point.
    """

    key: str
    words: str
    x: Transform
    y: Transform
    law_formula: str
    constants: tuple[Constant, ...]
    curve: str
    names: Mapping[str, str]
    shapes: tuple[str, ...]
    as_constant: str
    plus_constant: str
    x_0: Estimate | None = field(default=None)

    def straighten(
        self,
        x: ArrayLike,
        y: ArrayLike,
        *,
        u_y: ArrayLike | None = None,
        u_x: ArrayLike | None = None,
    ) -> Straightened:
        """Give readings in the axes of this relation.

        x, y: shape (n,); u_y, u_x: their standard uncertainties, shape (n,) or a number. Readings
        that have no place there are left out. Raises FitError where shapes differ.
        """
        places, values = rows(x, y)
        plotted_x, plotted_y = self.x.forward(places), self.y.forward(values)
        kept = np.isfinite(plotted_x) & np.isfinite(plotted_y)
        return Straightened(
            plotted_x[kept],
            plotted_y[kept],
            _carried(self.y, values, u_y, kept),
            kept,
            self,
            _carried(self.x, places, u_x, kept),
        )

    def law(self, fit: Fit) -> dict[str, Estimate]:
        """Give the law's constants with standard uncertainties, from the line through the
        straightened readings.

        fit: of `line`, `proportional` or `constant`. Source: JCGM 100:2008 (GUM), 5.2.2, with the
        covariance of slope and intercept.
        """
        values, covariance = self.constants_of(fit)
        u = np.sqrt(np.maximum(np.diag(covariance), 0.0))
        return {
            one.name: (value, float(each))
            for one, value, each in zip(self.constants, values, u, strict=True)
        }

    def constants_of(self, fit: Fit) -> tuple[list[float], Floats]:
        """Give the law's constants in order, and their covariance, shape (k, k)."""
        slope, intercept, covariance = line_of(fit)
        values = [one.value(slope, intercept) for one in self.constants]
        with np.errstate(all="ignore"):
            gradients = np.array([one.gradient(slope, intercept) for one in self.constants])
            return values, np.asarray(gradients @ covariance @ gradients.T)

    def back(self, fit: Fit, x: ArrayLike) -> Floats:
        """Give the curve that the line stands for: y at x, shape (n,); NaN where there is none."""
        return self.y.inverse(fit.predict(self.x.forward(x)))

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each constant's unit from those of x and y."""
        return {one.name: one.unit(x, y) for one in self.constants}

    @property
    def keeps_y(self) -> bool:
        """Tell whether y itself is plotted: then the line and the curve are one and the same
        fit."""
        return self.y.is_plain

    def with_rules(self, x: Transform, y: Transform = PLAIN) -> Relation:
        """Give the relation in other axes."""
        return replace(self, x=x, y=y)


def rows(x: ArrayLike, y: ArrayLike) -> tuple[Floats, Floats]:
    """Give x and y as rows of numbers of the same length. Raises FitError."""
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    if places.ndim != 1 or places.shape != values.shape:
        raise FitError(
            f"x and y must be two rows of the same length, not {places.shape} and {values.shape}."
        )
    return places, values


def line_of(fit: Fit) -> tuple[float, float, Floats]:
    """Give slope, intercept and their covariance, shape (2, 2), of a fitted straight line.

    What a model lacks is zero for certain. Raises FitError for anything that is no line.
    """
    if not fit.model.facts.is_straight:
        raise FitError(f"A law follows from a straight line, not from {fit.model.label}.")
    values, covariance = {"slope": 0.0, "intercept": 0.0}, np.zeros((2, 2))
    names = ["intercept" if name == "c" else name for name in fit.params]
    values |= dict(zip(names, fit.params.values(), strict=True))
    at = [("slope", "intercept").index(name) for name in names]
    covariance[np.ix_(at, at)] = fit.covariance
    return values["slope"], values["intercept"], covariance


def _carried(
    rule: Transform, numbers: Floats, u: ArrayLike | None, kept: NDArray[np.bool_]
) -> Floats | None:
    if u is None:
        return None
    each = np.broadcast_to(np.asarray(u, dtype=np.float64), numbers.shape)
    return rule.uncertainty(numbers, each)[kept]
