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
        """The places as they are written, all with the same decimals."""
        return tuple(numbers.fixed(place, self.decimals) for place in self.places)


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


def widened(lo: float, hi: float, share: float = 0.04) -> tuple[float, float]:
    """Widen limits so that nothing sits on an edge; equal limits get room on both sides."""
    if not hi > lo:
        room = abs(lo) * 0.1 or 1.0
        return lo - room, lo + room
    room = (hi - lo) * share
    return lo - room, hi + room
