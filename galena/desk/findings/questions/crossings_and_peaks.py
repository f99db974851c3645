"""What is asked of a span and answered by a place: crossings, peaks, the half of a step."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from galena.core import numbers
from galena.core.crossings import Place, crossings, extreme, half_way
from galena.core.errors import GalenaError
from galena.core.units import typeset
from galena.desk.errors import DeskError
from galena.desk.findings.questions.answer import Answer, Estimate, Subject
from galena.desk.findings.questions.inputs import Input, number
from galena.desk.findings.questions.question import Question

MOST_LISTED = 12


def _crossing(subject: Subject) -> Answer:
    level = float(subject.details["level"])
    u, _ = subject.own_uncertainties(subject.inside)
    places = crossings(subject.inside.t, subject.inside.y, level, u)
    level_text = f"{subject.y_symbol} = {level:g} {typeset(subject.y_unit)}".strip()
    if not places:
        raise DeskError(
            f"It does not cross {level_text} in this span. Move the span, or the level."
        )
    shared = _carried(
        subject, lambda y: [one.x for one in crossings(subject.inside.t, y, level, u)],
        [one.x for one in places],
    )  # fmt: skip
    estimates = tuple(
        subject.estimate("x" if n == 0 else f"x_{n + 1}",
                       f"{subject.x_symbol} {'rising' if one.rising else 'falling'}",
                       one.x, one.u_x, subject.x_unit, shared[n], subject.x_decimals + 1)
        for n, one in enumerate(places[:MOST_LISTED])
    )  # fmt: skip
    more = f"; the first {MOST_LISTED} are listed" if len(places) > MOST_LISTED else ""
    times = "once" if len(places) == 1 else f"{len(places)} times"
    flat = sum(one.equal for one in places if one.equal > 1)
    on_it = f"; {flat} readings lie on it, ± covers their stretch" if flat else ""
    remark = f"crosses {level_text} {times}, straight between readings{on_it}{more}"
    return Answer(estimates, remark, at=(places[0].x, level))


def _peak(highest: bool):
    def answer(subject: Subject) -> Answer:
        u, _ = subject.own_uncertainties(subject.inside)
        place = extreme(subject.inside.t, subject.inside.y, u, highest=highest)
        shared = _carried(
            subject, lambda y: _xy(extreme(subject.inside.t, y, u, highest=highest)), _xy(place)
        )
        how = f"curve through {place.fitted} readings"
        if place.fitted == 3:
            how = "parabola through three readings" if place.between else "it is a single reading"
        if place.equal > 1:
            end = "top" if highest else "bottom"
            how = f"flat {end}: the middle of {place.equal} equal readings; ± reaches to its ends"
        return Answer(_of_place(subject, place, shared), how, at=(place.x, place.y))

    return answer


def _half(subject: Subject) -> Answer:
    u, _ = subject.own_uncertainties(subject.inside)
    place, before, after = half_way(subject.inside.t, subject.inside.y, u)
    shared = _carried(subject, lambda y: _xy(half_way(subject.inside.t, y, u)[0]), _xy(place))
    unit, d = typeset(subject.y_unit), subject.y_decimals
    remark = f"from {numbers.fixed(before, d)} to {numbers.fixed(after, d)} {unit}".strip()
    return Answer(_of_place(subject, place, shared), remark, at=(place.x, place.y))


def _xy(place: Place) -> tuple[float, float]:
    return place.x, place.y


def _of_place(subject: Subject, place: Place, shared: Sequence[float]) -> tuple[Estimate, ...]:
    x_unit, y_unit = subject.x_unit, subject.y_unit
    of_x = subject.x_decimals + (1 if place.between else 0)
    return (
        subject.estimate("x", subject.x_symbol, place.x, place.u_x, x_unit, shared[0], of_x),
        subject.estimate("y", subject.y_symbol, place.y, place.u_y, y_unit, shared[1],
                       subject.y_decimals),
    )  # fmt: skip


def _carried(
    subject: Subject, ask: Callable[[np.ndarray], Sequence[float]], before_moving: Sequence[float]
) -> list[float]:
    """Give by how much numbers move with what all readings share: they are asked once more of
    readings that are moved by it."""
    inside = subject.inside
    if inside.shared is None or not np.any(np.nan_to_num(inside.shared)):
        return [0.0] * len(before_moving)
    try:
        moved = ask(inside.y + np.nan_to_num(inside.shared))
    except GalenaError:
        return [0.0] * len(before_moving)
    if len(moved) != len(before_moving):
        return [0.0] * len(before_moving)
    return [after - before for after, before in zip(moved, before_moving, strict=True)]


CROSSINGS_AND_PEAKS = (
    Question("peak", "peak", "span", "highest place between readings", _peak(True)),
    Question("trough", "trough", "span", "lowest place between readings", _peak(False)),
    Question("halfway", "half-way", "span", "point of a step", _half),
    Question(
        "crossing", "crossing", "span", "of a level", _crossing,
        inputs=(Input("level", "crossing of", number("The level")),),
    ),
)  # fmt: skip
