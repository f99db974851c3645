"""What is known of a model besides its function."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import Literal, get_args

Family = Literal["straight", "powers", "falls off", "waves, steps, peaks", "grows and decays"]
FAMILIES: tuple[Family, ...] = get_args(Family)


@dataclass(frozen=True)
class Example:
    """Where a model's shape is seen: x from `lo` to `hi`; parameters that are not given are 1."""

    lo: float = 0.25
    hi: float = 3.0
    params: Mapping[str, float] = field(default_factory=lambda: MappingProxyType({}))


def example(lo: float, hi: float, **params: float) -> Example:
    """Give where a model's shape is seen, its parameters by name."""
    return Example(lo, hi, MappingProxyType(params))


@dataclass(frozen=True)
class Facts:
    """What is known of a model besides its function.

    is_line: a straight line that depends on x; is_straight: also one that does not. offset: the
    parameter that is zero unless something adds to every reading. counts_x: x is taken as a
    number, counted in its unit. powers_tie: far from x = 0 its parameters can hardly be told
    apart, whatever the readings. family: the models it stands among; example: how its shape is
    drawn there.
    """

    is_line: bool = False
    is_straight: bool = False
    offset: str = ""
    counts_x: bool = False
    powers_tie: bool = False
    family: Family = "powers"
    example: Example = field(default_factory=Example)


NO_FACTS = Facts()
