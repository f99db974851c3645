"""The cards of relations: what could be plotted, and what the readings say to it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import GalenaError
from galena.core.fits import fit
from galena.core.second_look.fits import FAR, shows_dependence
from galena.core.straightening import RELATIONS, Relation, Straightened
from galena.core.straightening.own import Own
from galena.core.straightness import Straightness, straightness, unless_within_uncertainty
from galena.straighten.choice import Choice, told_of
from galena.straighten.claiming import model_of, thinned
from galena.straighten.pictures import small
from galena.straighten.subject import Curve, Subject

Floats = NDArray[np.float64]
MOST = 150  # means of neighbours stand for more readings on a card


@dataclass(frozen=True)
class Card:
    """A relation with its picture and its verdict; `trouble` says why there is none."""

    relation: Relation
    axes: tuple[str, ...]
    picture: str = ""
    verdict: str = ""
    is_straight: bool | None = None
    trouble: str = ""


def cards_of(subject: Subject, choice: Choice, *, judged: bool) -> list[Card]:
    """Give the cards that go with the chosen shape, in the order of how much they claim.

    judged: whether they say what the readings say to it.
    """
    kept = [one for one in RELATIONS.values() if not choice.shape or choice.shape in one.shapes]
    return [_card(one, subject, choice, judged) for one in kept]


def _card(relation: Relation, subject: Subject, choice: Choice, judged: bool) -> Card:
    try:
        told = told_of(relation, choice, (subject.x, subject.y))
        seen = straightened(told, subject.curve)
        axes = axes_of(seen.relation, subject)
        if seen.x.size < 2:
            left = f"{seen.left_out} of {seen.kept.size} readings have no place in these axes."
            return Card(relation, axes, trouble=left)
        x, y, _ = thinned(seen.x, seen.y, most=MOST)
        line = fit(model_of(relation), x, y)
        picture = small(x, y, line if judged else None, subject.run.marked)
        if not judged:
            return Card(relation, axes, picture)
        judged_so = unless_within_uncertainty(straightness(x, y), seen.x, seen.y, seen.u_y)
        is_straight, verdict = _verdict(relation, x, y, judged_so)
    except GalenaError as error:
        return Card(relation, (), trouble=str(error))
    return Card(relation, axes, picture, verdict, is_straight)


def axes_of(relation: Relation, subject: Subject) -> tuple[str, ...]:
    """Give what is plotted, and against what: E, 1/d²; or what is to be done to have that."""
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        return relation.of_y.text, relation.of_x.text
    if isinstance(relation, Own):
        return ("formulas that you type",)
    return relation.y.shown(*subject.y), relation.x.shown(*subject.x)


def straightened(relation: Relation, curve: Curve) -> Straightened:
    """Give a run's readings in the axes of a relation. Raises GalenaError."""
    return relation.straighten(curve.x, curve.y, u_y=curve.u)


def _verdict(
    relation: Relation, x: Floats, y: Floats, straight: Straightness
) -> tuple[bool | None, str]:
    """Say what the readings say to a relation: whether a line is enough, and whether this one."""
    if straight.is_straight is False:
        return False, f"still a curve: {straight.why}"
    if straight.is_straight is None:
        return None, straight.why
    if relation.key not in ("none", "proportional"):
        return True, "straight within the scatter"
    line = fit("line", x, y)
    if relation.key == "none":
        depends = shows_dependence(line)
        return not depends, "straight, but not level" if depends else "level within the scatter"
    beside = abs(line.params["intercept"]) > FAR * line.uncertainties["intercept"]
    how = "straight, but not through the origin" if beside else "straight, through the origin"
    return not beside, how
