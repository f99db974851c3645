"""Values that hold during a run: numbers with unit and uncertainty, choices, and words."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from galena.core import numbers, units
from galena.core.errors import ConditionError, NumberError, UnitError

Kind = Literal["number", "choice", "text"]
LONGEST = 60
_LONGEST_PLAIN = 25  # longer numbers are written with a power of ten
_PLUS_MINUS = re.compile(r"±|\+/?[-−]")
_NUMBER = re.compile(numbers.NUMBER, re.ASCII)
_DIGITS_SHOWN = 6  # of a value that has more because its unit was converted


@dataclass(frozen=True)
class Held:
    """A value as it is shown, and for numbers what it is in the condition's unit.

    `u` is the standard uncertainty, None where none was given.
    """

    text: str
    value: float | None = None
    u: float | None = None

    @property
    def sameness(self) -> object:
        """What is equal for equal values, however they were typed."""
        return self.value if self.value is not None else " ".join(self.text.split()).casefold()


def hold(text: str, name: str, kind: Kind, unit: str = "", choices: tuple[str, ...] = ()) -> Held:
    """Read the value of a condition as typed; nothing typed is held as nothing.

    A number may carry an uncertainty and a unit: `0.30`, `30 cm`, `0.30 ± 0.01 m`, `5 1/s`; it
    is put into the condition's unit at full precision. Raises ConditionError, which names the
    condition.
    """
    plain = " ".join(text.split())
    if len(plain) > LONGEST:
        raise ConditionError(name, f"{name}: keep the value to {LONGEST} characters.")
    if not plain:
        return Held("")
    if kind == "number":
        return _number(plain, name, unit)
    if kind == "choice" and plain not in choices:
        listed = ", ".join(choices)
        raise ConditionError(name, f"{name}: “{plain}” is not a choice. Choose one of: {listed}.")
    return Held(plain)


def _number(text: str, name: str, unit: str) -> Held:
    first, *rest = _PLUS_MINUS.split(text)
    if len(rest) > 1:
        raise ConditionError(name, f"{name}: “{text}” has more than one ±. Write 0.30 ± 0.01.")
    value, typed_unit = _split(first, name)
    if not rest:
        return _in_unit(value, None, typed_unit, name, unit)
    u, unit_of_u = _split(rest[0], name)
    if u < 0:
        raise ConditionError(name, f"{name}: an uncertainty is not negative. Write ± {-u}.")
    return _in_unit(value, u, unit_of_u or typed_unit, name, unit)


def _split(text: str, name: str) -> tuple[Decimal, str]:
    """Cut what was typed into its number and the unit behind it, which may be empty."""
    typed = text.strip().removeprefix("(").strip()
    match = _NUMBER.match(typed)
    if match is None:
        raise ConditionError(name, str(NumberError(text.strip(), name, "0.30")))
    number, behind = match[0], typed[match.end() :]
    try:
        numbers.parse(number, name, "0.30")
    except NumberError as error:
        raise ConditionError(name, str(error)) from error
    return Decimal(numbers.plain_digits(number)), behind.strip().lstrip(")").strip()


def _in_unit(value: Decimal, u: Decimal | None, typed: str, name: str, unit: str) -> Held:
    factor, shift = 1.0, 0.0
    if typed and typed != unit:
        try:
            factor, shift = units.affine(units.parse(typed), units.parse(unit))
        except UnitError as error:
            example = f"0.30 {unit}" if unit else "0.30"
            raise ConditionError(
                name,
                f"{name}: {str(error).rstrip('.')}. Type it in {unit or 'plain numbers'}, "
                f"for example {example}.",
            ) from error
    held = _converted(value, factor, shift)
    held_u = None if u is None else _converted(u, abs(factor))
    for number in (held, held_u):
        if number is not None and _is_beyond(number):
            raise ConditionError(name, str(NumberError(_plain(number), name, "0.30", beyond=True)))
    text = _plain(held) if held_u is None else f"{_plain(held)} ± {_plain(held_u)}"
    return Held(text, float(held), None if held_u is None else float(held_u))


def _converted(number: Decimal, factor: float, shift: float = 0.0) -> Decimal:
    """Give factor·number + shift; a power of ten only moves the point, so its digits stay.

    What is not such a power is worked out with all the digits that a double has.
    """
    power = round(math.log10(abs(factor)))
    if abs(factor / 10.0**power - 1) < 1e-12:
        moved = number.scaleb(power) if factor > 0 else -number.scaleb(power)
        return moved + Decimal(repr(shift)) if shift else moved
    exact = float(number * Decimal(repr(factor)) + Decimal(repr(shift)))
    return Decimal(repr(exact)).normalize()


def _is_beyond(number: Decimal) -> bool:
    """Tell whether a number is too large, or too near to zero, to be worked with."""
    value = abs(float(number))
    return value > numbers.LARGEST or (value == 0) != (number == 0)


def _plain(number: Decimal) -> str:
    text = f"{number:f}"
    text = f"{number:e}" if len(text) > _LONGEST_PLAIN else text
    return text.replace("e+", "e").replace("-", numbers.MINUS)


def shown(text: str) -> str:
    """Round a held number for showing, where a conversion gave it more digits than were typed."""
    value, _, u = (part.strip() for part in text.partition("±"))
    if max(_digits(value), _digits(u)) <= 2 * _DIGITS_SHOWN:
        return text
    if u:
        return numbers.estimate(numbers.parse(value), numbers.parse(u))
    return numbers.significant(numbers.parse(value), _DIGITS_SHOWN)


def _digits(number: str) -> int:
    return sum(one.isdigit() for one in number.lstrip(f"{numbers.MINUS}0."))
