"""What all answers together say, in words and numbers for the page."""

from __future__ import annotations

import math
from dataclasses import dataclass

from galena.core.numbers import estimate, significant
from galena.core.pooling import far_off
from galena.core.second_look.fits import FAR_OFF
from galena.core.statistics import describe
from galena.lessons.everyone import Everyone, Given

LEAVES_MORE = 3.0  # so many times what the fits of the others leave over


@dataclass(frozen=True)
class Line:
    """A line of the summary: what it is, and its value as it is written."""

    words: str
    text: str
    about: str = ""


def lines(everyone: Everyone) -> list[Line]:
    """Give the means, the spread and the median, each with an honest number of digits."""
    pooled, counted = everyone.pooled, everyone.counted
    if pooled is None:
        return []
    listed = []
    groups = f"{pooled.count} group" + ("" if pooled.count == 1 else "s")
    if math.isfinite(pooled.weighted_mean) and pooled.count > 1:
        listed.append(Line(f"weighted mean of {groups}",
                           estimate(pooled.weighted_mean, pooled.u_weighted_mean),
                           "the surer an answer, the more it counts; what lies between groups "
                           "counts for all"))  # fmt: skip
    listed.append(Line(f"mean of {groups}", estimate(pooled.mean, pooled.u_mean),
                       "each counts the same; its uncertainty from their scatter"))  # fmt: skip
    if everyone.all_pooled is not None:
        every = everyone.all_pooled
        listed.append(Line(f"mean of all {every.count}", estimate(every.mean, every.u_mean),
                           "with those that are left out"))  # fmt: skip
    if pooled.count > 1:
        spread = describe([one.value for one in counted]).sd
        listed.append(Line("spread between groups", significant(spread),
                           "standard deviation of their answers"))  # fmt: skip
        stated = [one.u for one in counted if math.isfinite(one.u) and one.u > 0]
        if stated:
            typical = describe(stated).median
            listed.append(Line("stated by the groups", significant(typical),
                               "median of the uncertainties that they state"))  # fmt: skip
        listed.append(Line("median", _like(pooled.median, pooled.u_mean),
                           "half of the answers lie below"))  # fmt: skip
    return listed


def _like(value: float, u: float) -> str:
    """Write a value with the digits that it would have beside an uncertainty."""
    return estimate(value, u).partition(" ± ")[0]


def judgement(everyone: Everyone) -> str:
    """Say whether the groups differ by more than chance."""
    pooled = everyone.pooled
    if pooled is None or pooled.count < 2:
        return ""
    if everyone.shared:
        return (
            "These groups read the same recording: its errors are the same for all, so their mean "
            "is no surer than one of them."
        )
    if math.isnan(pooled.p_value):
        return "Not all groups state an uncertainty: whether they differ by chance is not told."
    if pooled.is_more_than_chance:
        return (
            f"They differ by more than their uncertainties explain: chance alone does that "
            f"{_times(pooled.p_value)}."
        )
    return "They agree: chance alone scatters answers with these uncertainties as far."


def _times(probability: float) -> str:
    if probability < 1e-4:
        return "less than once in ten thousand classes"
    return f"about once in {round(1 / probability)} classes"


@dataclass(frozen=True)
class Odd:
    """The group that lies far from the others, how far, and why, as far as that can be seen."""

    given: Given
    how_far: str
    why: str


def odd_one(everyone: Everyone) -> Odd | None:
    """Point at the answer that lies far from the others, where one does."""
    counted = everyone.counted
    found = far_off([one.value for one in counted], [one.u for one in counted])
    if found is None:
        return None
    place, times = found
    own = counted[place]
    others = [one for one in counted if one is not own]
    far = "very far" if times >= FAR_OFF else f"{times:.0f} times their spread"
    return Odd(own, f"{far} from the others", _why(own, others))


def _why(own: Given, others: list[Given]) -> str:
    """Say what is different about a group's fit, as far as that can be seen."""
    usual = [one.left_over for one in others if math.isfinite(one.left_over)]
    if not (usual and math.isfinite(own.left_over)):
        return ""
    typical = describe(usual).median
    if own.left_over <= LEAVES_MORE * typical:
        return ""
    unit = f" {own.left_over_unit}" if own.left_over_unit else ""
    return (
        f"Its fit over {own.stretch} leaves {significant(own.left_over)}{unit}, those of the "
        f"others {significant(typical)}{unit}: something else happens within its span."
    )
