"""The graph of everyone's answers: a mark for each group, with its uncertainty, and their mean."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from galena.core.numbers import estimate, significant
from galena.core.ticks import ticks, widened
from galena.core.units import shown
from galena.lessons.everyone import Everyone, Given

WIDTH, LEFT, RIGHT = 350.0, 96.0, 338.0
TOP, ROW, FOOT = 14.0, 30.0, 46.0
APART = 12.0  # marks nearer than this would hide each other


@dataclass(frozen=True)
class Mark:
    """An answer in the drawing; `lo` and `hi` are the ends of its uncertainty."""

    name: str
    x: float
    y: float
    lo: float
    hi: float
    text: str
    is_left_out: bool
    is_own: bool


@dataclass(frozen=True)
class Graph:
    """Places in the drawing, in its own units."""

    marks: list[Mark]
    ticks: list[tuple[float, str]]
    mean: float | None
    mean_lo: float
    mean_hi: float
    base: float
    left: float
    label: str
    words: str

    @property
    def height(self) -> float:
        return self.base + FOOT

    @property
    def mean_width(self) -> float:
        return round(max(1.0, self.mean_hi - self.mean_lo), 1)

    @property
    def band(self) -> float:
        return self.base - 6

    @property
    def tick_base(self) -> float:
        return self.base + 18

    @property
    def label_base(self) -> float:
        return self.base + 38

    @property
    def label_middle(self) -> float:
        return round((self.left + RIGHT) / 2, 1)


def draw(everyone: Everyone, *, named: bool = True, own: int | None = None,
         in_a_row: bool = False) -> Graph | None:  # fmt: skip
    """Place the answers; nothing where there is none.

    named: with the groups' names; own: the key of the group whose own is marked; in_a_row: all at
    one height, for a small picture.
    """
    answered = everyone.answered
    if not answered:
        return None
    pooled = everyone.pooled
    ends = [
        (one.value, one.value) if in_a_row else (one.value - _u(one), one.value + _u(one))
        for one in answered
    ]
    everything = np.array([*ends, *([(pooled.mean, pooled.mean)] if pooled else [])])
    lo, hi = widened(float(everything.min()), float(everything.max()), 0.06)
    left = LEFT if named and not in_a_row else 16.0

    def x(value: float) -> float:
        return round(left + (value - lo) / (hi - lo) * (RIGHT - left), 1)

    rows = _levels([x(one.value) for one in answered]) if in_a_row else range(len(answered))
    marks = [
        Mark(
            str(one.group) if named else "", x(one.value),
            TOP + (APART if in_a_row else ROW) * place + ROW / 2, x(one.value - _u(one)),
            x(one.value + _u(one)), text_of(one, everyone), bool(one.reason),
            own is not None and one.group.pk == own,
        )
        for place, one in zip(rows, answered, strict=True)
    ]  # fmt: skip
    highest = max(mark.y for mark in marks)
    if in_a_row:  # those that would hide each other stand on each other
        marks = [replace(mark, y=TOP + highest - mark.y + ROW / 2, lo=mark.x, hi=mark.x)
                 for mark in marks]  # fmt: skip
    base = highest + ROW / 2 + 4
    chosen = ticks(lo, hi, 4)
    question = everyone.question
    unit = shown(question.unit) if question.unit else ""
    mean, u_mean = middle(everyone)
    return Graph(
        marks, [(x(place), text) for place, text in
                zip(chosen.places, chosen.labels, strict=True) if lo <= place <= hi],
        None if mean is None else x(mean),
        0.0 if mean is None else x(max(lo, mean - u_mean)),
        0.0 if mean is None else x(min(hi, mean + u_mean)),
        base, left - 6, question.heading,
        f"{len(answered)} answers from {significant(float(everything.min()), 4)} to "
        f"{significant(float(everything.max()), 4)} {unit}".strip(),
    )  # fmt: skip


def _levels(places: list[float]) -> list[int]:
    """Give each mark the lowest level at which it hides no other."""
    levels = [0] * len(places)
    taken: list[float] = []  # the last mark of each level, from the left
    for at in sorted(range(len(places)), key=lambda place: places[place]):
        free = (level for level, last in enumerate(taken) if places[at] - last >= APART)
        levels[at] = next(free, len(taken))
        if levels[at] == len(taken):
            taken.append(places[at])
        taken[levels[at]] = places[at]
    return levels


def middle(everyone: Everyone) -> tuple[float | None, float]:
    """Give the mean that is drawn with its uncertainty: the weighted one where there is one."""
    pooled = everyone.pooled
    if pooled is None:
        return None, 0.0
    if math.isfinite(pooled.weighted_mean):
        return pooled.weighted_mean, pooled.u_weighted_mean
    return pooled.mean, pooled.u_mean if math.isfinite(pooled.u_mean) else 0.0


def _u(given: Given) -> float:
    return given.u if math.isfinite(given.u) and given.u > 0 else 0.0


def text_of(given: Given, everyone: Everyone) -> str:
    """Give an answer as it is written; one that was typed as it was typed."""
    if not given.is_there:
        return ""
    return given.text or estimate(given.value, given.u)
