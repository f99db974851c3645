"""What kind of quantity a unit measures, in SI base units, and which unit shows it most simply."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache

from galena.core import units
from galena.core.errors import UnitError
from galena.core.units import Power, Unit

# Angles are counted along, although the radian is one in the SI: sin(7) is nearly always a slip.
BASES = ("kg", "m", "s", "A", "K", "mol", "cd", "rad")
_NAMED = ("N", "J", "W", "Pa", "V", "Ω", "C", "F", "T", "H", "S")  # taken without being asked
_OFFERED = (*_NAMED, "Wb", "Hz", "lx", "lm", "cd", "L", "%", "°", "bar", "eV", "g", "min", "h")
_LARGEST = 12
CELSIUS, KELVIN = Unit((("°C", 1),)), Unit((("K", 1),))


@dataclass(frozen=True)
class Dimension:
    """A product of powers of SI base units and the radian, in the order of BASES."""

    powers: tuple[Power, ...]

    def __mul__(self, other: Dimension) -> Dimension:
        return _dimension(tuple(a + b for a, b in zip(self.powers, other.powers, strict=True)))

    def __truediv__(self, other: Dimension) -> Dimension:
        return _dimension(tuple(a - b for a, b in zip(self.powers, other.powers, strict=True)))

    def __pow__(self, exponent: Power) -> Dimension:
        return _dimension(tuple(units.exponent(power * exponent) for power in self.powers))

    @property
    def is_number(self) -> bool:
        """Tell whether it is a plain number; an angle is not."""
        return not any(self.powers)

    @property
    def angle(self) -> Power:
        """The power of the radian."""
        return self.powers[-1]

    @property
    def without_angle(self) -> Dimension:
        """The same with the radian as the number one, as the SI has it."""
        return _dimension((*self.powers[:-1], 0))

    def measures_as(self, other: Dimension) -> bool:
        """Tell whether the two can be added: all but the radian must be the same."""
        return self.powers[:-1] == other.powers[:-1]


@lru_cache(maxsize=4096)
def _dimension(powers: tuple[Power, ...]) -> Dimension:
    return Dimension(powers)


def _of_bases(powers: Mapping[str, Power]) -> Dimension:
    return _dimension(tuple(units.exponent(powers.get(base, 0)) for base in BASES))


NUMBER = _of_bases({})
ANGLE = _of_bases({"rad": 1})


@lru_cache(maxsize=1024)
def of(unit: Unit) -> Dimension:
    """Tell what a unit measures. Raises UnitError for one that measures on a logarithmic scale."""
    dimension = NUMBER
    for symbol, power in unit.factors:
        dimension = dimension * _of_symbol(symbol)[0] ** power
    return dimension


@lru_cache(maxsize=1024)
def factor(unit: Unit) -> float:
    """Give the size of a unit in SI base units; of °C that of a difference."""
    size = 1.0
    for symbol, power in unit.factors:
        size *= _of_symbol(symbol)[1] ** float(power)
    return size


def origin(unit: Unit) -> float:
    """Give what the zero of a unit is in SI base units: 273.15 K for °C, else zero."""
    return 273.15 if is_celsius(unit) else 0.0


def of_difference(unit: Unit) -> Unit:
    """Give the unit of a difference of two values: kelvins for °C, else the same."""
    return KELVIN if is_celsius(unit) else unit


def is_celsius(unit: Unit) -> bool:
    """Tell whether a value in this unit is a temperature counted from the ice point."""
    return unit == CELSIUS


def coherent(dimension: Dimension) -> Unit:
    """Give the product of SI base units of a dimension, without the radian beside others.

    Raises UnitError where a power is beyond what units have.
    """
    powers = {base: n for base, n in zip(BASES, dimension.powers, strict=True) if n}
    if "rad" in powers and not (set(powers) <= {"rad", "s"} and powers["rad"] == 1):
        powers.pop("rad")
    if any(
        not -_LARGEST <= power <= _LARGEST or (2 * power).denominator != 1
        for power in powers.values()
    ):
        raise UnitError("The result has a power of a unit that no unit has. Check the powers.")
    ordered = [base for base in ("rad", *BASES[:-1]) if base in powers]
    return Unit(tuple((base, powers[base]) for base in ordered))


@lru_cache(maxsize=1024)
def simplest(written: Unit | None, dimension: Dimension) -> Unit:
    """Give the unit in which a value is shown if nobody chose one.

    written: the product of the units as they stand in a formula; it is kept where it is simple,
    as mm/s. A product that has a name gets it (kg·m²/s² is J, V·mA is mW), and where two units
    of one kind meet (cm²·m) the SI unit stands for both.
    """
    halves = written is not None and written.has_halves
    whole = all(power == int(power) for power in dimension.powers)
    if written is None or of(written) != dimension or (halves and whole):
        written = coherent(dimension)
    if dimension.angle and coherent(dimension).factors[:1] != (("rad", 1),):
        rest = Unit(tuple(pair for pair in written.factors if pair[0] != "rad"))
        dimension = dimension.without_angle
        written = rest if of(rest) == dimension else coherent(dimension)
    if len(written.factors) > 1:
        written = _without_hertz(written)
    if not written.factors or (len(written.factors) == 1 and written.factors[0][1] in (1, -1)):
        return written
    named = _named(written, dimension)
    if named is not None:
        return named
    return coherent(dimension) if _meet(written) else written


def choices(unit: Unit) -> list[Unit]:
    """List the units in which values in this unit may be shown instead, itself first."""
    dimension = of(unit)
    if is_celsius(unit):
        return [unit, KELVIN]
    units_of_it = [unit, *units.related(unit), coherent(dimension)]
    for symbol in _OFFERED:
        candidate = units.parse(symbol)
        if of(candidate) == dimension:
            units_of_it += [candidate, *units.related(candidate)]
    return list(dict.fromkeys(candidate for candidate in units_of_it if not is_celsius(candidate)))


def _named(written: Unit, dimension: Dimension) -> Unit | None:
    size = factor(written)
    for symbol in _NAMED:
        if _of_symbol(symbol)[0] != dimension:
            continue
        for candidate in (units.parse(symbol), *units.related(units.parse(symbol))):
            if math.isclose(factor(candidate), size, rel_tol=1e-9):
                return candidate
        return units.parse(symbol)
    return None


def _without_hertz(unit: Unit) -> Unit:
    """Write 1/s for Hz beside other units: a speed is in mm/s, not in mm·Hz."""
    product = Unit()
    for symbol, power in unit.factors:
        if symbol.endswith("Hz") and _of_symbol(symbol)[1] == 1.0:
            symbol, power = "s", -power
        product = product * Unit(((symbol, power),))
    return product


def _meet(unit: Unit) -> bool:
    """Tell whether two factors of a unit measure powers of one and the same kind."""
    kinds = [_bases_of(_of_symbol(symbol)[0]) for symbol, _ in unit.factors]
    single = [kind for kind in kinds if len(kind) == 1]
    return len(set(single)) < len(single) or () in kinds


def _bases_of(dimension: Dimension) -> tuple[str, ...]:
    return tuple(base for base, n in zip(BASES, dimension.powers, strict=True) if n)


@lru_cache(maxsize=512)
def _of_symbol(symbol: str) -> tuple[Dimension, float]:
    if symbol == "dB":
        raise UnitError("dB is a logarithm of a ratio and has no place in a formula. Use lg.")
    if symbol in ("°C", "K"):
        return _of_bases({"K": 1}), 1.0
    size, powers = units.in_base_units(symbol)
    if symbol.endswith(("lm", "lx")):
        powers.pop("rad", None)  # a steradian is not what people count
    return _of_bases(powers), size
