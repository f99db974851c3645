"""Constants of nature by their usual symbols, and π."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources

from galena.core import units
from galena.core.units import Unit


@dataclass(frozen=True)
class Constant:
    """A constant: its value and standard uncertainty in its unit, and what it is in words."""

    symbol: str
    value: float
    u: float
    unit: Unit
    name: str


@lru_cache(maxsize=1)
def constants() -> dict[str, Constant]:
    """Give all constants by symbol.

    Source: CODATA, as scipy.constants ships it; the standard acceleration of free fall is
    exact by the 3rd CGPM (1901).
    """
    from scipy.constants import physical_constants

    by_symbol = {"π": Constant("π", math.pi, 0.0, Unit(), "ratio of a circle to its diameter")}
    text = resources.files("galena.core.formula").joinpath("constants.txt").read_text("utf-8")
    for line in text.splitlines():
        if not line or line.startswith("#"):
            continue
        symbol, key, unit, name = (part.strip() for part in line.split("|"))
        value, _, u = physical_constants[key]
        by_symbol[symbol] = Constant(symbol, value, u, units.parse(unit), name)
    by_symbol["pi"] = by_symbol["π"]
    return by_symbol
