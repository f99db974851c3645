"""How far two numbers are apart: in their unit, in percent, in uncertainties."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True)
class Uncertain:
    """A number with the standard uncertainty that is its own, and the signed errors that it may
    share with others, by their source."""

    value: float
    own: float = 0.0
    shared: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Difference:
    """The second number less the first, as such, as a share of the first, and in uncertainties.

    u, u_share: standard uncertainties, NaN where none is known; share: NaN where the first is
    zero; apart: |difference|/u, NaN where u is not known.
    """

    value: float
    u: float
    share: float
    u_share: float
    apart: float


def difference(first: Uncertain, second: Uncertain, covariance: float = 0.0) -> Difference:
    """Tell how far the second number is from the first, both in the same unit.

    covariance: of what both have of their own. What both share has one source and cancels.

        u²(b - a) = u_a² + u_b² - 2 cov + Σ_s (b_s - a_s)²
        (b - a)/a, its uncertainty that of the ratio b/a

    Source: JCGM 100:2008 (GUM), 5.2.2.
    """
    off = second.value - first.value
    u = _combined(first, second, -1.0, 1.0, covariance)
    share = u_share = math.nan
    if first.value:
        share = off / first.value
        ratio = second.value / first.value
        u_share = _combined(first, second, -ratio / first.value, 1 / first.value, covariance)
    apart = abs(off) / u if math.isfinite(u) and u > 0 else math.nan
    return Difference(off, u, share, u_share, apart)


def _combined(
    first: Uncertain, second: Uncertain, by_first: float, by_second: float, covariance: float
) -> float:
    """Combine what two numbers bring to a result that changes with them by so much."""
    rest = 2 * by_first * by_second * covariance
    shared: dict[str, float] = {}
    for number, by in ((first, by_first), (second, by_second)):
        rest += (number.own if math.isfinite(number.own) else 0.0) ** 2 * by**2
        for source, part in number.shared.items():
            shared[source] = shared.get(source, 0.0) + by * part
    total = math.sqrt(max(0.0, rest) + sum(part**2 for part in shared.values()))
    return total or math.nan
