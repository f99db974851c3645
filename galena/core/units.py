"""Units: read as people type them, typeset as ISO 80000-1 has them, converted by pint."""

from __future__ import annotations

import re
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from importlib import resources
from typing import Any

from galena.core.errors import UnitError
from galena.core.loading import later

pint = later("pint")

_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")
_PLAIN = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")  # and from ¹⁄² comes 1⁄2
_PREFIXES = {
    "p": "pico", "n": "nano", "µ": "micro", "m": "milli", "c": "centi",
    "d": "deci", "h": "hecto", "k": "kilo", "M": "mega", "G": "giga",
}  # fmt: skip
_IN_ORDER = ("µ", "m", "c", "d", "", "h", "k", "M")
_SELDOM = "d"  # read where it is typed, never offered
_TOKEN = re.compile(r"\s*(\^\(\s*[+-]?\d+/2\s*\)|[·*/()]|\^?[+-]?\d+(?:⁄2|\.5)?|[^\W\d_]+|°C?|%|Ω)")
_POWER = re.compile(r"\^?\(?\s*([+-]?\d+)(⁄2|/2|\.5)?\s*\)?$")
# A degree sign or "deg" beside a C is no degree times coulomb; a blank between them is a habit.
_DEGREES = re.compile(r"(?:°|deg(?:rees?)?)\s*(?P<scale>[CF])(?![^\W\d_])|(?P<sign>℃|℉)")
_SCALES = {"C": "°C", "℃": "°C"}
LEVEL = "dB"
_COUNT = "count"  # of which pint has a becquerel made; in the SI it is 1/s
_LONGEST = 60
_PLURALS = {"hertz": "hertz", "lux": "lux", "siemens": "siemens", "henry": "henrys",
            "degree_Celsius": "degrees Celsius", "percent": "percent"}  # fmt: skip
_SPELT = {"meter": "metre", "liter": "litre", "metric_ton": "tonne", "standard_": "",
          "watt_hour": "watt hour"}  # fmt: skip
_SPOKEN = {"millimeter_Hg": "millimetres of mercury", "ppm": "parts per million",
           "revolutions_per_minute": "revolutions per minute"}  # fmt: skip

Power = int | Fraction


@dataclass(frozen=True)
class Unit:
    """A product of powers of unit symbols, in the order in which it was written.

    `factors` holds (symbol, exponent) pairs; no pair at all is the unit one. An exponent is a
    whole number or so many halves, as a square root leaves them.
    """

    factors: tuple[tuple[str, Power], ...] = ()

    def __mul__(self, other: Unit) -> Unit:
        return _product(self.factors + other.factors)

    def __truediv__(self, other: Unit) -> Unit:
        return _product(self.factors + tuple((symbol, -power) for symbol, power in other.factors))

    def __pow__(self, by: Power) -> Unit:
        return _product(tuple((symbol, exponent(power * by)) for symbol, power in self.factors))

    def __str__(self) -> str:
        return typeset(self)

    @property
    def has_halves(self) -> bool:
        """Tell whether a square root left halves of powers in it."""
        return any(isinstance(power, Fraction) for _, power in self.factors)

    @property
    def single(self) -> str | None:
        """The symbol without its prefix where it is no product and no power of units."""
        if len(self.factors) != 1 or self.factors[0][1] != 1:
            return None
        return _names_of_units()[2][self.factors[0][0]]

    @property
    def is_level(self) -> bool:
        """Tell whether it counts logarithms of a ratio, as dB does."""
        return any(symbol == LEVEL for symbol, _ in self.factors)

    def is_compatible(self, other: Unit) -> bool:
        """Tell whether both measure the same kind of quantity; a level only with itself."""
        if self == other or self.is_level or other.is_level:
            return self == other
        return bool(_in_pint(self).dimensionality == _in_pint(other).dimensionality)


def parse(text: str) -> Unit:
    """Read a unit in any usual way: `m/s^2`, `m s^-2`, `ml`, `µS/cm`, `°C`, `J/(kg·K)`, ``.

    Raises UnitError naming the part that is not understood.
    """
    if len(text) > _LONGEST:
        raise UnitError(f"A unit of {len(text)} characters is too long; {_LONGEST} are allowed.")
    plain = text.translate(_PLAIN).replace("μ", "µ").replace("\u2212", "-").replace("º", "°")
    tokens = _tokens(_DEGREES.sub(_scale, plain))
    factors, rest = _factors(tokens, text)
    if rest:
        raise UnitError(f"“{text}” has a closing bracket too many. Take it out.")
    return _product(tuple(factors))


def _scale(match: re.Match[str]) -> str:
    scale = _SCALES.get(match["scale"] or match["sign"])
    if scale is None:
        raise UnitError(
            "Degrees Fahrenheit are not counted with here. Type the temperature in °C: take 32 "
            "away and divide by 1.8."
        )
    return scale


def typeset(unit: Unit) -> str:
    """Typeset a unit: `cm⁻¹`, `m/s²`, `J/(kg·K)`; the unit one is an empty text."""
    above = [_power(symbol, power) for symbol, power in unit.factors if power > 0]
    below = [(symbol, -power) for symbol, power in unit.factors if power < 0]
    if not below:
        return "·".join(above)
    if not above:
        return "·".join(_power(symbol, -power) for symbol, power in below)
    denominator = "·".join(_power(symbol, power) for symbol, power in below)
    return "·".join(above) + "/" + (f"({denominator})" if len(below) > 1 else denominator)


def exponent(power: Power) -> Power:
    """Give an exponent as a whole number where it is one."""
    return int(power) if power == int(power) else power


def in_words(unit: Unit) -> str:
    """Name a unit as one reads it aloud: metres, millivolts, m/s² as it stands.

    The unit one is called "a plain number".
    """
    if not unit.factors:
        return "a plain number"
    (symbol, power), *others = unit.factors
    if others or power != 1:
        return typeset(unit)
    name = _names_of_units()[0][symbol]
    if name in _SPOKEN:
        return _SPOKEN[name]
    for american, british in _SPELT.items():
        name = name.replace(american, british)
    ending = next((one for one in _PLURALS if name.endswith(one)), None)
    return name.removesuffix(ending) + _PLURALS[ending] if ending else name + "s"


def ways_to_type() -> list[str]:
    """List each way to type a unit symbol with its prefix, the longest first."""
    degrees = [f"{sign}{blank}{scale}" for sign in ("°", "deg") for blank in ("", " ")
               for scale in "CF"]  # fmt: skip
    return sorted({*_names_of_units()[1], *degrees, "℃", "℉"}, key=len, reverse=True)


def in_base_units(symbol: str) -> tuple[float, dict[str, Fraction]]:
    """Give the size of one unit symbol in SI base units, and their powers; the radian is one."""
    base = _registry().Quantity(1, _names_of_units()[0][symbol]).to_base_units()
    names = {name: symbol for symbol, name in _names_of_units()[0].items()}
    powers = {
        names[name]: Fraction(power).limit_denominator(2)
        for name, power in dict(base._units).items()
        if name != _COUNT
    }
    return float(base.magnitude), powers


def shown(text: str) -> str:
    """Typeset a unit as it was typed; text that is no unit is given as it stands."""
    try:
        return typeset(parse(text))
    except UnitError:
        return text


def convert(value: float, unit: Unit, to: Unit) -> float:
    """Express a value given in one unit in another; °C and K differ by their origin.

    Raises UnitError where the two measure different kinds of quantity.
    """
    if unit == to:
        return value
    if unit.is_level or to.is_level:
        raise UnitError(
            "dB is a level, the logarithm of a ratio, and is not converted. Type the ratio itself, "
            "or take dB as the unit."
        )
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
    names, _, bases = _names_of_units()
    prefixed = [prefix + bases.get(symbol, symbol) for prefix in _IN_ORDER]
    others = [one for one in prefixed if one in names]
    others = [one for one in others if one == symbol or _SELDOM + bases[one] != one]
    if symbol in ("°C", "K") and unit == Unit(((symbol, 1),)):
        others = ["°C", "K"]
    alike = [Unit(((other, power), *rest)) for other in others]
    own = alike.index(unit) if unit in alike else 0
    near = [one for place, one in enumerate(alike) if abs(place - own) <= 3]
    return near or [unit]


def _tokens(text: str) -> list[str]:
    tokens, place = [], 0
    text = text.rstrip()
    while place < len(text):
        match = _TOKEN.match(text, place)
        if not match:
            raise UnitError(f"“{text[place:].strip()[:20]}” is not part of a unit. Try m/s or kg.")
        tokens.append(match[1])
        place = match.end()
    return tokens


def _factors(
    tokens: list[str], text: str, nested: bool = False
) -> tuple[list[tuple[str, Power]], list[str]]:
    factors: list[tuple[str, Power]] = []
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
        elif _POWER.match(token):
            raise UnitError(f"“{text}”: the number {token} follows no unit. Try m^2.")
        else:
            power: Power = 1
            if tokens and _POWER.match(tokens[0]):
                power, tokens = _read_power(tokens[0]), tokens[1:]
            if not -12 <= power <= 12:
                raise UnitError(f"“{text}”: a power of {power} is beyond what units have.")
            factors.append((_symbol(token), sign * power))
        sign = 1
    if nested:
        raise UnitError(f"“{text}” lacks a closing bracket.")
    return factors, []


def _read_power(token: str) -> Power:
    match = _POWER.match(token)
    assert match is not None
    whole, half = Fraction(int(match[1])), match[2]
    if half == ".5":
        whole += Fraction(-1, 2) if match[1].startswith("-") else Fraction(1, 2)
    elif half:
        whole /= 2
    return exponent(whole)


def _symbol(token: str) -> str:
    symbol = _names_of_units()[1].get(token)
    if symbol is None:
        raise UnitError(f"“{token}” is not a unit that Galena knows. Examples: mm, s, °C, lx, V.")
    return symbol


@lru_cache(maxsize=2048)
def _product(factors: tuple[tuple[str, Power], ...]) -> Unit:
    powers: dict[str, Power] = {}
    for symbol, power in factors:
        # Beside another factor, or raised, a temperature can only be a difference.
        alone = len(factors) == 1 and power == 1
        name = "K" if symbol == "°C" and not alone else symbol
        powers[name] = exponent(powers.get(name, 0) + power)
    return Unit(tuple((symbol, power) for symbol, power in powers.items() if power))


def _power(symbol: str, power: Power) -> str:
    if power == 1:
        return symbol
    return symbol + str(power).replace("/", "⁄").translate(_SUPERSCRIPT)


@lru_cache(maxsize=1)
def _names_of_units() -> tuple[dict[str, str], dict[str, str], dict[str, str]]:
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
    return pint.UnitRegistry(autoconvert_offset_to_baseunit=True)


@lru_cache(maxsize=256)
def _in_pint(unit: Unit) -> Any:
    registry, names = _registry(), _names_of_units()[0]
    product = registry.dimensionless
    for symbol, power in unit.factors:
        factor = registry.Unit(names[symbol]) ** power
        product = factor if product == registry.dimensionless else product * factor
    return product
