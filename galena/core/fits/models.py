"""The models that can be fitted, each stated once with all that is said about it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cached_property
from types import MappingProxyType
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

from galena.core.formula.parameter_units import Powers
from galena.core.model_facts import NO_FACTS, Facts, Family, example
from galena.core.units import Unit

Floats = NDArray[np.float64]
Basis = float | Literal["ln"]


class Model(Protocol):
    """y as a function of x and parameters.

    `label` is its name on the screen; `formula` its right side as a formula of x;
    `parameters` names them in order.
    """

    @property
    def key(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def formula(self) -> str: ...
    @property
    def parameters(self) -> tuple[str, ...]: ...
    @property
    def facts(self) -> Facts: ...

    def values(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give y at x, shape (n,)."""

    def jacobian(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the slope of y in each parameter, shape (n, parameters)."""

    def derivative(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the rate of change of y with x, shape (n,)."""

    def outside(self, x: Floats) -> NDArray[np.bool_]:
        """Tell the places at which the model has no value, shape (n,)."""

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each parameter's unit from those of x and y. Raises FormulaError."""


@dataclass(frozen=True)
class LinearModel:
    """A model y = Σ parameter · basis(x), linear in its parameters.

    `basis` gives each parameter's name and what it multiplies: a power of x, or its natural
    logarithm, in which x is counted in its unit.
    """

    key: str
    label: str
    formula: str
    basis: Mapping[str, Basis]
    facts: Facts = NO_FACTS

    @cached_property
    def parameters(self) -> tuple[str, ...]:
        return tuple(self.basis)

    @property
    def has_constant(self) -> bool:
        """Tell whether one parameter is added to all readings alike."""
        return 0 in self.basis.values()

    @property
    def degree(self) -> int | None:
        """The degree of the polynomial with all its powers that this is; None if it is none."""
        powers = sorted(one for one in self.basis.values() if one != "ln")
        whole = len(powers) == len(self.basis) and powers == list(range(len(powers)))
        return len(powers) - 1 if whole else None

    def jacobian(self, x: Floats, params: Mapping[str, float] | None = None) -> Floats:
        """Give what the parameters multiply: shape (n, parameters)."""
        with np.errstate(all="ignore"):
            return columns_of([_of(x, one) for one in self.basis.values()], x.size)

    def values(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give y at x, shape (n,)."""
        with np.errstate(all="ignore"):
            parts = [params[name] * _of(x, one) for name, one in self.basis.items()]
        y: Floats = np.sum(parts, axis=0)
        return y

    def derivative(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the rate of change of y with x, shape (n,)."""
        slope = np.zeros_like(x)
        with np.errstate(all="ignore"):
            for name, power in self.basis.items():
                if power == "ln":
                    slope += params[name] / x
                elif power:
                    slope += params[name] * power * x ** (power - 1)
        return slope

    def outside(self, x: Floats) -> NDArray[np.bool_]:
        """Tell the places at which the model has no value, shape (n,)."""
        bad = np.zeros(x.shape, dtype=bool)
        for power in self.basis.values():
            if power == "ln":
                bad |= x <= 0
            elif power < 0:
                bad |= x == 0
            elif power != int(power):
                bad |= x < 0
        return bad

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each parameter's unit from those of x and y."""
        return {name: Powers.of_basis(0.0 if one == "ln" else one).unit(x, y)
                for name, one in self.basis.items()}  # fmt: skip


def _of(x: Floats, basis: Basis) -> Floats:
    if basis == "ln":
        return np.log(x)
    if basis == 0.5:
        return np.sqrt(x)
    return x ** int(basis)


def columns_of(columns: Iterable[Floats | float], count: int) -> Floats:
    """Put columns side by side, each in one piece of memory: shape (count, columns)."""
    parts = list(columns)
    table = np.empty((count, len(parts)), order="F")
    for place, column in enumerate(parts):
        table[:, place] = column
    return table


def _linear(
    key: str, label: str, formula: str, facts: Facts = NO_FACTS, **basis: Basis
) -> LinearModel:
    return LinearModel(key, label, formula, MappingProxyType(basis), facts)


_STRAIGHT: Family = "straight"
_LEVEL = Facts(is_straight=True, family=_STRAIGHT)
_PROPORTIONAL = Facts(is_line=True, is_straight=True, family=_STRAIGHT, example=example(0.0, 1.0))
_LINE = Facts(
    is_line=True, is_straight=True, offset="intercept", powers_tie=True, family=_STRAIGHT,
    example=example(0.0, 1.0, slope=0.7, intercept=0.3),
)  # fmt: skip
_QUADRATIC = Facts(powers_tie=True, example=example(0.0, 1.0, a=3.2, b=-2.2, c=0.55))
_CUBIC = Facts(powers_tie=True, example=example(0.0, 1.0, a=9.0, b=-13.0, c=5.4, d=0.1))
_ROOT = Facts(example=example(0.0, 1.0))
_FALLS = Facts(family="falls off")
_FALLS_TO = Facts(offset="c", family="falls off", example=example(0.25, 3.0, c=1.2))
_LOGARITHM = Facts(
    counts_x=True, family="grows and decays", example=example(0.04, 2.0, a=1.0, b=3.3)
)


LINEAR = (
    _linear("constant", "constant", "c", _LEVEL, c=0),
    _linear("proportional", "proportional", "slope*x", _PROPORTIONAL, slope=1),
    _linear("line", "line", "slope*x + intercept", _LINE, slope=1, intercept=0),
    _linear("quadratic", "quadratic", "a*x^2 + b*x + c", _QUADRATIC, a=2, b=1, c=0),
    _linear("cubic", "cubic", "a*x^3 + b*x^2 + c*x + d", _CUBIC, a=3, b=2, c=1, d=0),
    _linear("inverse", "inverse", "k/x", _FALLS, k=-1),
    _linear("inverse_constant", "inverse plus constant", "k/x + c", _FALLS_TO, k=-1, c=0),
    _linear("inverse_square", "inverse square", "k/x^2", _FALLS, k=-2),
    _linear(
        "inverse_square_constant", "inverse square plus constant", "k/x^2 + c", _FALLS_TO,
        k=-2, c=0,
    ),
    _linear("square_root", "square root", "k*sqrt(x)", _ROOT, k=0.5),
    _linear("logarithm", "logarithm", "a*ln(x) + b", _LOGARITHM, a="ln", b=0),
)  # fmt: skip
