"""Units: read as people type them, typeset as ISO 80000-1 has them, converted by pint."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from importlib import resources
from typing import Any

from galena.core.errors import UnitError

_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_PLAIN = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
_PREFIXES = {
    "p": "pico", "n": "nano", "µ": "micro", "m": "milli", "c": "centi",
    "h": "hecto", "k": "kilo", "M": "mega", "G": "giga",
}  # fmt: skip
_IN_ORDER = ("µ", "m", "c", "", "h", "k", "M")
_TOKEN = re.compile(r"\s*([·*/()]|\^?[+-]?\d+|[^\W\d_]+|°C?|%|Ω)")
_LONGEST = 60


@dataclass(frozen=True)
class Unit:
    """A product of powers of unit symbols, in the order in which it was written.

    `factors` holds (symbol, exponent) pairs; no pair at all is the unit one.
    """

    factors: tuple[tuple[str, int], ...] = ()

    def __mul__(self, other: Unit) -> Unit:
        return _product(self.factors + other.factors)

    def __truediv__(self, other: Unit) -> Unit:
        return _product(self.factors + tuple((symbol, -power) for symbol, power in other.factors))

    def __pow__(self, exponent: int) -> Unit:
        return _product(tuple((symbol, power * exponent) for symbol, power in self.factors))

    def __str__(self) -> str:
        return format(self)

    def is_compatible(self, other: Unit) -> bool:
        """Tell whether both measure the same kind of quantity."""
        return bool(_in_pint(self).dimensionality == _in_pint(other).dimensionality)


def parse(text: str) -> Unit:
    """Read a unit in any usual way: `m/s^2`, `m s^-2`, `ml`, `µS/cm`, `°C`, `J/(kg·K)`, ``.

    Raises UnitError naming the part that is not understood.
    """
    if len(text) > _LONGEST:
        raise UnitError(f"A unit of {len(text)} characters is too long; {_LONGEST} are allowed.")
    tokens = _tokens(text.translate(_PLAIN).replace("μ", "µ").replace("\u2212", "-"))
    factors, rest = _factors(tokens, text)
    if rest:
        raise UnitError(f"“{text}” has a closing bracket too many. Take it out.")
    return _product(tuple(factors))


def format(unit: Unit) -> str:
    """Typeset a unit: `cm⁻¹`, `m/s²`, `J/(kg·K)`; the unit one is an empty text."""
    above = [_power(symbol, power) for symbol, power in unit.factors if power > 0]
    below = [(symbol, -power) for symbol, power in unit.factors if power < 0]
    if not below:
        return "·".join(above)
    if not above:
        return "·".join(_power(symbol, -power) for symbol, power in below)
    denominator = "·".join(_power(symbol, power) for symbol, power in below)
    return "·".join(above) + "/" + (f"({denominator})" if len(below) > 1 else denominator)


def shown(text: str) -> str:
    """Typeset a unit as it was typed; text that is no unit is given as it stands."""
    try:
        return format(parse(text))
    except UnitError:
        return text


def convert(value: float, unit: Unit, to: Unit) -> float:
    """Express a value given in one unit in another; °C and K differ by their origin.

    Raises UnitError where the two measure different kinds of quantity.
    """
    if not unit.is_compatible(to):
        raise UnitError(f"{unit or 1} cannot be expressed in {to or 1}: they measure other things.")
    registry = _registry()
    return float(registry.Quantity(value, _in_pint(unit)).to(_in_pint(to)).magnitude)


def affine(unit: Unit, to: Unit) -> tuple[float, float]:
    """Give factor and shift with  value in `to` = factor · value in `unit` + shift.

    Raises UnitError where the two measure different kinds of quantity.
    """
    shift = convert(0.0, unit, to)
    return convert(1.0, unit, to) - shift, shift


def related(unit: Unit) -> list[Unit]:
    """List the units in which a value may be shown instead: other prefixes, K beside °C."""
    if not unit.factors:
        return [unit]
    (symbol, power), rest = unit.factors[0], unit.factors[1:]
    names, _, bases = _known()
    prefixed = [prefix + bases.get(symbol, symbol) for prefix in _IN_ORDER]
    others = [other for other in prefixed if other in names]
    if symbol in ("°C", "K") and unit == Unit(((symbol, 1),)):
        others = ["°C", "K"]
    found = [Unit(((other, power), *rest)) for other in others]
    own = found.index(unit) if unit in found else 0
    near = [one for place, one in enumerate(found) if abs(place - own) <= 3]
    return near or [unit]


def _tokens(text: str) -> list[str]:
    tokens, place = [], 0
    text = text.rstrip()
    while place < len(text):
        found = _TOKEN.match(text, place)
        if not found:
            raise UnitError(f"“{text[place:].strip()[:20]}” is not part of a unit. Try m/s or kg.")
        tokens.append(found[1])
        place = found.end()
    return tokens


def _factors(
    tokens: list[str], text: str, nested: bool = False
) -> tuple[list[tuple[str, int]], list[str]]:
    factors: list[tuple[str, int]] = []
    sign, divided = 1, False
    while tokens:
        token, *tokens = tokens
        if token == ")":
            if nested:
                return factors, tokens
            return factors, [token, *tokens]
        if token == "/":
            sign, divided = -1, True
            continue
        if token in "·*":
            continue
        if sign == 1 and divided:
            raise UnitError(f"“{text}” can be read in two ways. Write brackets after the /.")
        if token == "(":
            inner, tokens = _factors(tokens, text, nested=True)
            factors += [(symbol, sign * power) for symbol, power in inner]
        elif token == "1" and not factors:
            pass
        elif token.lstrip("^+-").isdigit():
            raise UnitError(f"“{text}”: the number {token} follows no unit. Try m^2.")
        else:
            power = 1
            if tokens and tokens[0].lstrip("^+-").isdigit():
                power, tokens = int(tokens[0].lstrip("^")), tokens[1:]
            if abs(power) > 12:
                raise UnitError(f"“{text}”: a power of {power} is beyond what units have.")
            factors.append((_symbol(token), sign * power))
        sign = 1
    if nested:
        raise UnitError(f"“{text}” lacks a closing bracket.")
    return factors, []


def _symbol(token: str) -> str:
    symbol = _known()[1].get(token)
    if symbol is None:
        raise UnitError(f"“{token}” is not a unit that Galena knows. Examples: mm, s, °C, lx, V.")
    return symbol


def _product(factors: tuple[tuple[str, int], ...]) -> Unit:
    powers: dict[str, int] = {}
    for symbol, power in factors:
        # Beside another factor, or raised, a temperature can only be a difference.
        alone = len(factors) == 1 and power == 1
        name = "K" if symbol == "°C" and not alone else symbol
        powers[name] = powers.get(name, 0) + power
    return Unit(tuple((symbol, power) for symbol, power in powers.items() if power))


def _power(symbol: str, power: int) -> str:
    return symbol if power == 1 else symbol + str(power).translate(_SUPERSCRIPT)


@lru_cache(maxsize=1)
def _known() -> tuple[dict[str, str], dict[str, str], dict[str, str]]:
    """Read units.txt: by symbol pint's name and the symbol without prefix, and the symbol by
    each way to type it."""
    names: dict[str, str] = {}
    typed: dict[str, str] = {}
    bases: dict[str, str] = {}
    for line in (
        resources.files("galena.core").joinpath("units.txt").read_text("utf-8").splitlines()
    ):
        if not line or line.startswith("# ") or line == "#":
            continue
        symbol, name, prefixes, *others = line.split()
        for prefix in ["", *prefixes.replace("-", "")]:
            names[prefix + symbol] = _PREFIXES.get(prefix, "") + name
            bases[prefix + symbol] = symbol
            for way in (symbol, *others):
                typed.setdefault(prefix + way, prefix + symbol)
                if prefix == "µ":
                    typed.setdefault("u" + way, prefix + symbol)
    return names, typed, bases


@lru_cache(maxsize=1)
def _registry() -> Any:
    import pint  # its registry takes a quarter of a second to build: only when asked

    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


@lru_cache(maxsize=256)
def _in_pint(unit: Unit) -> Any:
    registry, names = _registry(), _known()[0]
    product = registry.dimensionless
    for symbol, power in unit.factors:
        factor = registry.Unit(names[symbol]) ** power
        product = factor if product == registry.dimensionless else product * factor
    return product
