"""The models that can be fitted, each stated once with all that is said about it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from galena.core.units import Unit


@dataclass(frozen=True)
class LinearModel:
    """A model y = Σ parameter · x^power, linear in its parameters.

    `label` is its name on the screen, `equation` its form with places for {x} and {y}, and
    `parameters` gives each parameter's name and the power of x that it multiplies.
    """

    key: str
    label: str
    equation: str
    parameters: Mapping[str, int]

    @property
    def has_constant(self) -> bool:
        """Tell whether one parameter is added to all readings alike."""
        return 0 in self.parameters.values()

    def columns(self, x: NDArray[np.float64]) -> NDArray[np.float64]:
        """Give the powers of x that the parameters multiply: shape (n, parameters)."""
        return np.stack([x**power for power in self.parameters.values()], axis=1)

    def values(self, x: NDArray[np.float64], params: Mapping[str, float]) -> NDArray[np.float64]:
        """Give y at x, shape (n,)."""
        found: NDArray[np.float64] = self.columns(x) @ [params[name] for name in self.parameters]
        return found

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each parameter's unit from those of x and y."""
        return {name: y / x**power if power else y for name, power in self.parameters.items()}


def _registry(*models: LinearModel) -> Mapping[str, LinearModel]:
    return MappingProxyType({model.key: model for model in models})


MODELS = _registry(
    LinearModel(
        "proportional", "proportional", "{y} = slope · {x}", MappingProxyType({"slope": 1})
    ),
    LinearModel(
        "line",
        "line",
        "{y} = slope · {x} + intercept",
        MappingProxyType({"slope": 1, "intercept": 0}),
    ),
)
