"""Where an axis gets its ticks: at steps of 1, 2 or 5 times a power of ten."""

from __future__ import annotations

import math
from dataclasses import dataclass

from galena.core import numbers


@dataclass(frozen=True)
class Ticks:
    """Places on an axis and the decimals that tell them apart."""

    places: tuple[float, ...]
    decimals: int

    @property
    def labels(self) -> tuple[str, ...]:
        """The places as they are written, all with the same decimals.

        Very large and very small numbers are written with a power of ten.
        """
        largest = max((abs(place) for place in self.places), default=0.0)
        if largest >= 1e6 or self.decimals > 5:
            return tuple(_with_power(place, largest, self.decimals) for place in self.places)
        return tuple(numbers.fixed(place, self.decimals) for place in self.places)


def _with_power(place: float, largest: float, decimals: int) -> str:
    if place == 0:
        return "0"
    power = math.floor(math.log10(largest))
    digits = min(max(0, power + decimals), 12) if decimals else 2
    return f"{numbers.fixed(place / 10.0**power, digits)}×10{numbers.raised(power)}"


def ticks(lo: float, hi: float, about: int) -> Ticks:
    """Choose about so many ticks from lo to hi, lo < hi."""
    rough = (hi - lo) / max(about, 1)
    power = math.floor(math.log10(rough))
    factor = next(f for f in (1, 2, 5, 10) if f * 10.0**power >= rough * 0.999)
    if factor == 10:
        factor, power = 1, power + 1
    first, last = math.ceil(lo / 10.0**power / factor), math.floor(hi / 10.0**power / factor)
    scale = 10.0**power if power >= 0 else 1 / 10.0**-power
    places = tuple(step * factor * scale for step in range(first, last + 1))
    return Ticks(places, max(0, -power))


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
    found = [
        (place, _decade_label(factor, power))
        for power in range(first, math.floor(math.log10(hi)) + 1, max(1, every))
        for factor in factors
        if lo <= (place := float(f"{factor}e{power}")) <= hi
    ]
    if len(found) > 1:
        return tuple(found)
    plain = ticks(lo, hi, about)
    return tuple(zip(plain.places, plain.labels, strict=True))


def _decade_label(factor: int, power: int) -> str:
    if -3 <= power <= 4:
        return f"{factor * 10.0**power:.{max(0, -power)}f}"
    raised = numbers.raised(power)
    return f"10{raised}" if factor == 1 else f"{factor}×10{raised}"


def widened(lo: float, hi: float, share: float = 0.04) -> tuple[float, float]:
    """Widen limits so that nothing sits on an edge; equal limits get room on both sides."""
    if not hi > lo:
        room = abs(lo) * 0.1 or 1.0
        return lo - room, lo + room
    room = (hi - lo) * share
    return lo - room, hi + room
