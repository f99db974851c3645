"""Numbers as people type and read them: parsing, decimals and rounding to an uncertainty."""

from __future__ import annotations

import math
import re
from decimal import ROUND_HALF_EVEN, Decimal
from functools import lru_cache

from galena.core.errors import NumberError

MINUS = "\u2212"
THIN_SPACE = "\u2009"
LONGEST, LONGEST_PLAIN = 80, 40  # characters as typed; without blanks about it
LARGEST = 1e300  # beyond, a square or another unit would have no value
_HIGHEST_POWER = 999  # of ten, either way: of a zero it says nothing, and it could have any size
_ROUNDING = 1e-13  # an uncertainty this small beside its value is only that of the arithmetic
BLANKS = " \u2009\u202f\xa0"  # that set off groups of three digits (ISO 80000-1, 7.3.1)
_WHOLE = rf"\d{{1,3}}(?:[{BLANKS}]\d{{3}})+|\d+"
_AFTER = rf"(?:\d{{3}}[{BLANKS}])+\d{{1,3}}|\d*"
_DIGITS = rf"(?:{_WHOLE})(?:[.,](?:{_AFTER}))?|[.,]\d+"
NUMBER = rf"(?:[-+{MINUS}][{BLANKS}]?)?(?:{_DIGITS})(?:[eE][-+{MINUS}]?\d+)?"
_TYPED = re.compile(NUMBER, re.ASCII)
_SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def parse(text: str, name: str = "The number", example: str = "20 or 0.5") -> float:
    """Read a number as typed: `2.5`, `2,5`, `−3`, `1 200`, `6.0e-3`.

    Blanks may only stand between full groups of three digits: `1 2` is no number.
    Raises NumberError, which names the field, for anything else, and for what is too large or
    too small to be worked with.
    """
    try:
        if len(text) > LONGEST:
            raise ValueError(text)
        plain = plain_digits(text)
        if len(plain) > LONGEST_PLAIN:
            raise ValueError(plain)
        value = float(plain)
    except ValueError:
        raise NumberError(text.strip(), name, example) from None
    if not math.isfinite(value):
        raise NumberError(text.strip(), name, example)
    digits, _, power = plain.lower().partition("e")
    is_lost = value == 0 and re.search(r"[1-9]", digits) is not None
    if abs(value) > LARGEST or is_lost or abs(int(power or 0)) > _HIGHEST_POWER:
        raise NumberError(text.strip(), name, example, beyond=True)
    return value


def plain_digits(text: str) -> str:
    """Write a number as typed with a point for a decimal comma and without groups of digits.

    Raises ValueError for what is not written as a number.
    """
    typed = text.strip()
    match = _TYPED.fullmatch(typed)
    if match is None:
        raise ValueError(f"“{typed}” is not written as a number.")
    plain = re.sub(f"[{BLANKS}]", "", match[0]).replace(MINUS, "-")
    return plain.replace(",", ".")


def fixed(value: float, decimals: int) -> str:
    """Show a value with so many decimals, trailing zeros kept and a true minus sign.

    A value that is not a number is shown as a dash.
    """
    if not math.isfinite(value):
        return "–"
    text = f"{value:.{max(decimals, 0)}f}"
    if float(text) == 0.0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def significant(value: float, digits: int = 2) -> str:
    """Show a value with so many significant digits, trailing zeros kept: 0.20, 1.5, 320."""
    if not math.isfinite(value) or value == 0:
        return fixed(value, 0)
    exact = Decimal(repr(value))
    place = exact.adjusted() - digits + 1
    rounded = exact.quantize(Decimal(1).scaleb(place), ROUND_HALF_EVEN)
    if rounded.adjusted() > exact.adjusted():  # 9.96 rounds to 10, not to 10.0
        rounded = exact.quantize(Decimal(1).scaleb(place + 1), ROUND_HALF_EVEN)
    return f"{rounded:f}".replace("-", MINUS)


def raised(power: int) -> str:
    """Write a whole number as an exponent: 10⁻³ has ⁻³."""
    return str(power).translate(_SUPERSCRIPT)


@lru_cache(1024)
def decimals_for_steps(step: float) -> int:
    """Tell how many decimals keep steps apart: the fewest that round the step by under 2 %."""
    return next((n for n in range(9) if abs(round(step, n) - step) <= 0.02 * step), 9)


def grouped(count: int) -> str:
    """Show a whole number with thin spaces between groups of three, as ISO 80000-1 has it."""
    return f"{count:,}".replace(",", THIN_SPACE).replace("-", MINUS)


def decimals_of(resolution: float) -> int:
    """Tell how many decimals a resolution has: 0.1 has 1, 0.25 has 2, 5 has none."""
    exponent = Decimal(repr(resolution)).normalize().as_tuple().exponent
    return max(0, -int(exponent))


def decimals_of_text(text: str) -> int:
    """Tell how many decimals a number has as it was typed: 2.50 has 2, 1.5e-3 has 4."""
    digits, _, power = text.strip().lower().partition("e")
    after = len(digits.partition(".")[2])
    return min(max(0, after - (int(power) if power else 0)), 15)


def estimate(value: float, uncertainty: float) -> str:
    """Show `value ± uncertainty`: the uncertainty with two digits, the value to the same place.

    A power of ten is taken out where plain digits would be unreadable.
    Source: JCGM 100:2008 (GUM), 7.2.6.
    """
    shown, u, exponent = _scaled(float(value), float(uncertainty))
    if not u:
        return shown
    if exponent:
        power = "10" + str(exponent).translate(_SUPERSCRIPT)
        return f"({shown} ± {u}) × {power}"
    return f"{shown} ± {u}"


def _scaled(value: float, uncertainty: float) -> tuple[str, str, int]:
    if not math.isfinite(value):
        return "–", "", 0
    if not math.isfinite(uncertainty) or uncertainty <= _ROUNDING * abs(value):
        return f"{value:.12g}".replace("-", MINUS), "", 0
    value_exact, u_exact = Decimal(repr(value)), Decimal(repr(uncertainty))
    place = u_exact.adjusted() - 1
    rounded = u_exact.quantize(Decimal(1).scaleb(place), ROUND_HALF_EVEN)
    if rounded.adjusted() > u_exact.adjusted():  # 0.0996 rounds to 0.10: keep two digits
        place += 1
        rounded = u_exact.quantize(Decimal(1).scaleb(place), ROUND_HALF_EVEN)
    leading = max(value_exact.adjusted() if value_exact else place, place + 1)
    exponent = leading if place > 0 or leading < -4 else 0
    step = Decimal(1).scaleb(place - exponent)
    shown = value_exact.scaleb(-exponent).quantize(step, ROUND_HALF_EVEN)
    u_shown = rounded.scaleb(-exponent).quantize(step)
    text = f"{shown:f}".replace("-", MINUS)
    return (text.lstrip(MINUS) if shown == 0 else text), f"{u_shown:f}", exponent


def concise(value: float, uncertainty: float) -> str:
    """Show a value with its uncertainty in its last digits, as 32.04(13).

    Source: JCGM 100:2008 (GUM), 7.2.2, third form.
    """
    shown, u, exponent = _scaled(float(value), float(uncertainty))
    digits = u.replace(".", "").lstrip("0")
    short = f"{shown}({digits})" if digits else shown
    return f"{short} × 10{str(exponent).translate(_SUPERSCRIPT)}" if exponent else short
