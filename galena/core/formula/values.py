"""Numbers on their way through a formula, with what they owe to each source of uncertainty.

Every source is followed by itself to first order, so that a source that enters twice is counted
with its sign: x - x is certain, x·x has twice the relative uncertainty of x.
Source: JCGM 100:2008 (GUM), 5.1.2 and 5.2.2.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import cast

import numpy as np
from numpy.typing import NDArray

from galena.core.uncertainty import Sensitivity

Floats = NDArray[np.float64]
Part = float | Floats
Each = Part | Sensitivity
Slope = Part | Callable[[], Part]


@dataclass(frozen=True)
class Value:
    """Values in SI units: one number, or one for each row.

    each    by source, how they depend on independent readings: a slope for each row, or more
    u       by source, the standard uncertainties of those readings, shape (n,)
    shared  by source, by how much they change if it is off by its standard uncertainty: the
            same error in all rows
    """

    y: Part
    each: Mapping[str, Each] = field(default_factory=dict)
    u: Mapping[str, Floats] = field(default_factory=dict)
    shared: Mapping[str, Part] = field(default_factory=dict)

    @property
    def is_certain(self) -> bool:
        """Tell whether no source of uncertainty is known."""
        return not self.each and not self.shared

    def rows(self, which: slice) -> Value:
        """Give some of the rows; those that depend on one row each can be cut."""
        return Value(
            _cut(self.y, which),
            {source: _cut(cast(Part, one), which) for source, one in self.each.items()},
            {source: one[which] for source, one in self.u.items()},
            {source: _cut(one, which) for source, one in self.shared.items()},
        )

    def each_variance(self) -> Part:
        """Give the variance from independent readings."""
        return _sum([self._variance(source, each) for source, each in self.each.items()])

    def _variance(self, source: str, each: Each) -> Part:
        if isinstance(each, Sensitivity):
            variance = each.variance(self.u[source])
            # Values that are one number have the same variance in every row.
            return float(variance[0]) if np.ndim(self.y) == 0 else variance
        return _square(each * self.u[source])

    def shared_variance(self) -> Part:
        """Give the variance from what is the same error in all rows."""
        return _sum([part * part for part in self.shared.values()])

    def uncertainty(self) -> Part | None:
        """Give the combined standard uncertainty; None where no source is known."""
        if self.is_certain:
            return None
        total = _sum([self.each_variance(), self.shared_variance()])
        return cast(Part, np.sqrt(total, out=total if isinstance(total, np.ndarray) else None))

    def scaled(self, by: float, shift: float = 0.0) -> Value:
        """Give the values times a number, plus a number."""
        if by == 1.0:
            return self if shift == 0.0 else Value(self.y + shift, self.each, self.u, self.shared)
        y = self.y * by
        return combined(y + shift if shift else y, (self, by))


def combined(y: Part, *inputs: tuple[Value, Slope]) -> Value:
    """Give values that depend on others, each with the slope; it is asked for if it is needed."""
    each: dict[str, Each] = {}
    shared: dict[str, Part] = {}
    u: dict[str, Floats] = {}
    for value, slope in inputs:
        if value.is_certain:
            continue
        by = slope() if callable(slope) else slope
        for source, sensitivity in value.each.items():
            part = _times(sensitivity, by)
            each[source] = _plus(each[source], part) if source in each else part
        for source, tangent in value.shared.items():
            step = _product(tangent, by)
            shared[source] = shared[source] + step if source in shared else step
        u.update(value.u)
    return Value(y, each, u, shared)


def linear(y: Part, value: Value, each: Callable[[Sensitivity], Sensitivity],
           shared: Callable[[Part], Part], seen: NDArray[np.intp],
           count: int) -> Value:  # fmt: skip
    """Give values that are weighted sums of others over the rows that are seen.

    What a row owes that is not seen, as one without a number, goes into no sum.
    """
    return Value(
        y,
        {source: each(as_sensitivity(one, count).only(seen)) for source, one in value.each.items()},
        value.u,
        {source: shared(tangent) for source, tangent in value.shared.items()},
    )


def added(first: Value, second: Value) -> Value:
    """Give the uncertainties of a sum with the values of the first."""
    return combined(first.y, (first, 1.0), (second, 1.0))


def as_sensitivity(each: Each, count: int) -> Sensitivity:
    """Give a slope for each row as what it is of many."""
    return each if isinstance(each, Sensitivity) else Sensitivity(count, own=each)


def _sum(parts: list[Part]) -> Part:
    """Add parts that nobody else needs: the memory of the first row is used for the sum."""
    rows = [row for row in parts if isinstance(row, np.ndarray)]
    single = sum(float(row) for row in parts if not isinstance(row, np.ndarray))
    if not rows:
        return single
    total = rows[0]
    for row in (*rows[1:], *([single] if single else ())):
        np.add(total, row, out=total)
    return total


def _square(part: Part) -> Part:
    return np.multiply(part, part, out=part) if isinstance(part, np.ndarray) else part * part


def _cut(part: Part, which: slice) -> Part:
    return part if np.ndim(part) == 0 else np.asarray(part)[which]


def _product(a: Part, b: Part) -> Part:
    if isinstance(a, float) and a == 1.0:
        return b
    return a if isinstance(b, float) and b == 1.0 else a * b


def _times(each: Each, by: Part) -> Each:
    return each.scaled(by) if isinstance(each, Sensitivity) else _product(each, by)


def _plus(a: Each, b: Each) -> Each:
    if isinstance(a, Sensitivity):
        return a.plus(as_sensitivity(b, a.count))
    if isinstance(b, Sensitivity):
        return b.plus(as_sensitivity(a, b.count))
    return a + b
