"""How a curve runs, in seven shapes that are named in words, and what readings say against one."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import ArrayLike

from galena.core.errors import GalenaError
from galena.core.fits.fitting import finite, fit
from galena.core.fits.result import Fit
from galena.core.straightness import straightness

_FAR = 2.0  # standard uncertainties: what lies further off is no chance
_FEWEST = 4
_INSIDE = 0.1  # of the readings' reach, at either end: a curve that turns there hardly does


@dataclass(frozen=True)
class Shape:
    """A shape by its words.

    `outline` are places of its drawing, x and y from 0 to 1; `trend` and `bend` the signs that
    rate and curvature have along it, `turns` whether the rate changes its sign on the way.
    """

    key: str
    words: str
    outline: tuple[tuple[float, float], ...]
    trend: int
    bend: int
    turns: bool = False


def _outline(y: list[float]) -> tuple[tuple[float, float], ...]:
    return tuple((place / (len(y) - 1), value) for place, value in enumerate(y))


_GRID = [k / 12 for k in range(13)]
SHAPES: Mapping[str, Shape] = MappingProxyType({
    shape.key: shape
    for shape in (
        Shape("rises_evenly", "rises evenly", _outline([0.05, 0.95]), 1, 0),
        Shape("rises_faster", "rises ever faster",
              _outline([0.05 + 0.9 * x**2.4 for x in _GRID]), 1, 1),
        Shape("rises_slower", "rises ever more slowly",
              _outline([0.05 + 0.9 * (1 - (1 - x) ** 2.4) for x in _GRID]), 1, -1),
        Shape("falls_slower", "falls ever more slowly",
              _outline([0.05 + 0.9 * (1 - x) ** 2.4 for x in _GRID]), -1, 1),
        Shape("falls_evenly", "falls evenly", _outline([0.95, 0.05]), -1, 0),
        Shape("stays", "stays the same", _outline([0.5, 0.5]), 0, 0),
        Shape("turns", "rises, then falls (or the reverse)",
              _outline([0.05 + 0.9 * (1 - (2 * x - 1) ** 2) for x in _GRID]), 0, -1, True),
    )
})  # fmt: skip


@dataclass(frozen=True)
class Course:
    """How readings run: signs of their trend and bend, 0 where none is told from scatter, and
    whether they turn. `bend` is None where too few readings can tell."""

    trend: int
    bend: int | None
    turns: bool

    @property
    def words(self) -> str:
        """Say how they run, as the words of a shape; empty where no shape is so."""
        for shape in SHAPES.values():
            alike = shape.turns == self.turns if self.turns or shape.turns else True
            if alike and (shape.turns or (shape.trend, shape.bend) == (self.trend, self.bend)):
                return shape.words
        return "falls ever faster" if (self.trend, self.bend) == (-1, -1) else ""


def course(x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None = None) -> Course:
    """Tell how readings run, x and y of shape (n,), from the lines and the parabola fitted.

    Too few readings, or none with different x, run in no way that could be told.
    """
    places, values, u = finite(x, y, u_y)
    if places.size < _FEWEST or np.unique(places).size < _FEWEST:
        return Course(_sign_of_slope(places, values), None, False)
    middle = float(places.mean())
    straight = straightness(places, values, u)
    trend = _sign_of_slope(places, values)
    if straight.is_straight is None:
        return Course(trend, None, False)
    if straight.is_straight:
        return Course(trend, 0, False)
    try:
        parabola = fit("quadratic", places - middle, values, u_y=u)
    except GalenaError:
        return Course(trend, None, False)
    bend = _sign(parabola.params["a"], parabola.uncertainties["a"])
    return Course(trend, bend, _turns_within(parabola, places, values, middle))


def _turns_within(
    parabola: Fit, x: np.ndarray, y: np.ndarray, middle: float
) -> bool:  # fmt: skip
    """Tell whether y runs one way before the turning point of the parabola and back after it."""
    if not parabola.params["a"]:
        return False
    turning = middle - parabola.params["b"] / (2 * parabola.params["a"])
    lo, hi = float(x.min()), float(x.max())
    if not lo + _INSIDE * (hi - lo) < turning < hi - _INSIDE * (hi - lo):
        return False
    before, after = x <= turning, x >= turning
    signs = [_sign_of_slope(x[part], y[part]) for part in (before, after)]
    return signs[0] * signs[1] < 0


def _sign_of_slope(x: np.ndarray, y: np.ndarray) -> int:
    try:
        line = fit("line", x, y)
    except GalenaError:
        return 0
    rounding = 1e-12 * float(np.abs(y).max()) / (float(np.ptp(x)) or 1.0)
    return _sign(line.params["slope"], max(line.uncertainties["slope"], rounding))


def _sign(value: float, u: float) -> int:
    return int(math.copysign(1, value)) if abs(value) > _FAR * u else 0


def against(shape: Shape, seen: Course) -> str:
    """Say kindly what readings have against a shape; empty where they have nothing."""
    again = "Look from left to right once more: "
    if seen.turns and not shape.turns:
        return again + "these readings turn on their way."
    if shape.turns and seen.bend is not None and not seen.turns:
        return again + (f"these readings {_plural(seen.words)}." if seen.words else
                        "no place at which these readings turn is seen.")  # fmt: skip
    if shape.turns:
        return ""
    wrong_trend = seen.trend != shape.trend
    wrong_bend = seen.bend is not None and seen.bend != shape.bend
    if not wrong_trend and not wrong_bend:
        return ""
    if seen.words:
        return again + f"these readings {_plural(seen.words)}."
    trend = {1: "rise", -1: "fall", 0: "neither rise nor fall beyond their scatter"}[seen.trend]
    return again + f"these readings {trend}."


def _plural(words: str) -> str:
    """Say of readings what is said of one curve: rises evenly → rise evenly."""
    first, _, rest = words.partition(" ")
    return f"{first.removesuffix('s')} {rest}".replace("rises", "rise").replace("falls", "fall")
