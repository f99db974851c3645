"""Where an axis gets its ticks: at steps of 1, 2 or 5 times a power of ten."""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, Decimal

from galena.core import numbers

_TINY = 1e-300
_LARGE, _SMALL = Decimal(1_000_000), Decimal("0.01")


@dataclass(frozen=True)
class Ticks:
    """Places on an axis at whole multiples of `step`·10^`power`."""

    places: tuple[float, ...]
    counts: tuple[int, ...] = ()
    step: int = 1
    power: int = 0

    @property
    def decimals(self) -> int:
        """The decimals that tell them apart."""
        return max(0, -self.power)

    @property
    def labels(self) -> tuple[str, ...]:
        """The places as they are written, all with the same decimals; each says its very place.

        Very large and very small numbers are written with a power of ten.
        """
        exact = [Decimal(count * self.step).scaleb(self.power) for count in self.counts]
        largest = max(map(abs, exact), default=Decimal(0))
        if largest >= _LARGE or (self.decimals > 5 and largest < _SMALL):
            return tuple(_with_power(place, largest, self.power) for place in exact)
        return tuple(_written(place, self.decimals) for place in exact)


def _with_power(place: Decimal, largest: Decimal, power: int) -> str:
    if place == 0:
        return "0"
    leading = largest.adjusted()
    digits = max(leading - power, 2 if power >= 0 else 0)
    return f"{_written(place.scaleb(-leading), digits)}×10{numbers.raised(leading)}"


def _written(number: Decimal, decimals: int) -> str:
    return f"{abs(number) if number == 0 else number:.{decimals}f}".replace("-", numbers.MINUS)


def ticks(lo: float, hi: float, about: int) -> Ticks:
    """Choose about so many ticks from lo to hi, lo < hi.

    The step is the one of 1, 2, 5 and 10 times a power of ten whose ratio to the wanted one is
    nearest to 1. static/shell/js/ticks.js has the same rule for axes on the screen.
    """
    rough = hi / max(about, 1) - lo / max(about, 1)
    power = math.floor(math.log10(rough))
    times = float(Decimal(rough).scaleb(-power))
    step = next(
        (step for step, from_on in ((10, 50), (5, 10), (2, 2)) if times >= math.sqrt(from_on)), 1
    )
    if step == 10:
        step, power = 1, power + 1
    unit = Decimal(step).scaleb(power)
    first = int((Decimal(repr(float(lo))) / unit).to_integral_value(ROUND_CEILING))
    last = int((Decimal(repr(float(hi))) / unit).to_integral_value(ROUND_FLOOR))
    counts = tuple(range(first, last + 1))
    return Ticks(tuple(float(count * unit) for count in counts), counts, step, power)


def decades(lo: float, hi: float, about: int) -> tuple[tuple[float, str], ...]:
    """Choose ticks of a logarithmic axis from lo to hi, 0 < lo < hi, each with its label.

    Powers of ten, and twice and five times them where there is room; an axis that holds fewer
    than two of them has ticks as a linear one.
    """
    factors: tuple[int, ...]
    wide = math.log10(hi) - math.log10(lo)
    if wide * 3 <= about + 2:
        first, every, factors = math.floor(math.log10(lo)), 1, (1, 2, 5)
    else:
        first, factors = math.ceil(math.log10(lo) - 1e-9), (1,)
        every = math.ceil((math.floor(math.log10(hi)) - first + 1) / max(1, about))
    chosen = [
        (place, _decade_label(factor, power))
        for power in range(first, math.floor(math.log10(hi)) + 1, max(1, every))
        for factor in factors
        if lo <= (place := float(f"{factor}e{power}")) <= hi
    ]
    if len(chosen) > 1:
        return tuple(chosen)
    plain = ticks(lo, hi, about)
    return tuple(zip(plain.places, plain.labels, strict=True))


def _decade_label(factor: int, power: int) -> str:
    if -3 <= power <= 4:
        return f"{factor * 10.0**power:.{max(0, -power)}f}"
    raised = numbers.raised(power)
    return f"10{raised}" if factor == 1 else f"{factor}×10{raised}"


def widened(lo: float, hi: float, share: float = 0.04) -> tuple[float, float]:
    """Widen limits so that nothing sits on an edge; equal limits get room on both sides."""
    room = (hi - lo) * share
    if not (lo - room < lo and hi + room > hi):  # equal, or but for rounding
        room = max(abs(lo), abs(hi)) * 0.1
        room = room if room > _TINY else 1.0
    return lo - room, hi + room
