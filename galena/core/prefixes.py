"""Prefixes of units, with which a number has few digits."""

from __future__ import annotations

import math

from galena.core.errors import UnitError
from galena.core.units import Unit, parse

_PREFIXES = {-9: "n", -6: "µ", -3: "m", 3: "k", 6: "M"}
_TAKING = frozenset(("m", "g", "s", "A", "K", "V", "W", "J", "N", "Pa", "C", "F", "H", "T", "Wb",
                     "Hz", "lx", "L", "mol", "eV", "S", "Ω"))  # fmt: skip
_NOT_LARGER = frozenset(("s", "g", "K", "L", "lx"))  # nobody says kiloseconds
_SMALL, _LARGE = 0.01, 1e4


def with_prefix(value: float, u: float, unit: Unit) -> tuple[float, float, Unit]:
    """Give a value and its uncertainty with the prefix of their unit with which they have few
    digits before and behind the decimal mark: 0.01138 s is 11.38 ms.

    Only a first symbol of the power one takes a prefix, and only where it has none. Otherwise
    all is given as it is. Source: ISO 80000-1, 6.5.4.
    """
    size = abs(value) if value else u
    if not unit.factors or not size > 0 or _SMALL <= size < _LARGE:
        return value, u, unit
    (symbol, power), *others = unit.factors
    if power != 1 or symbol not in _TAKING:
        return value, u, unit
    exponent = 3 * math.floor(math.log10(size) / 3)
    if exponent not in _PREFIXES or (exponent > 0 and symbol in _NOT_LARGER):
        return value, u, unit
    prefixed = _PREFIXES[exponent] + symbol
    try:
        parse(prefixed)
    except UnitError:  # nobody says megametres
        return value, u, unit
    scaled = Unit(((prefixed, 1), *others))
    return value / 10.0**exponent, u / 10.0**exponent, scaled
