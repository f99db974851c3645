"""What may be claimed from a line in the axes of a relation, and what it forbids to say."""

from __future__ import annotations

import math
from dataclasses import dataclass

from galena.core.fits.result import Fit
from galena.core.second_look.fits import FAR, FAR_OFF, shows_dependence
from galena.core.straightening.relation import Relation
from galena.core.straightness import Straightness

_NO_DEPENDENCE = "No dependence is seen: the slope agrees with zero."
_CLOSE = 0.125  # an uncertainty of an exponent beyond this tells no half from the next


@dataclass(frozen=True)
class Claim:
    """sentence: what it would mean, with {y} and {x} for the quantities; is_open: whether that
    may be said of these readings; has_constant: whether an intercept belongs to the law; notes:
    what else is to be said; exponent: the whole or half number that an exponent agrees with."""

    sentence: str
    is_open: bool
    has_constant: bool
    notes: tuple[str, ...] = ()
    exponent: float | None = None


def claim(relation: Relation, fit: Fit, straight: Straightness, left_out: int = 0) -> Claim:
    """Say what a relation claims with its line, and whether these readings allow it.

    fit: of the line through the straightened readings; straight: what is judged of these.
    """
    notes = [] if not left_out else [_without(left_out)]
    if straight.is_straight is False:
        notes.append("Keep it as a guess that was tried, or look for another.")
        curved = f"This does not make a straight line: {straight.why}."
        return Claim(curved, False, True, tuple(notes))
    if straight.is_straight is None:
        notes.append(f"Nothing may be claimed yet: {straight.why}.")
    if relation.key == "none":
        return _independent(fit, straight, notes)
    if "slope" in fit.params and not shows_dependence(fit):
        notes.append("Take readings over a wider stretch, or with less scatter.")
        return Claim(_NO_DEPENDENCE, False, True, tuple(notes))
    wrong = _wrong_way(relation, fit)
    if wrong:
        return Claim(wrong, False, True, tuple(notes))
    if relation.key == "power":
        return _power(relation, fit, straight, notes)
    if relation.key in ("linear", "proportional") and fit.params["slope"] < 0:
        notes.append("A straight line that falls is not an inverse relation: it is linear, with a "
                     "negative slope.")  # fmt: skip
    return _with_intercept(relation, fit, straight, notes)


def _independent(fit: Fit, straight: Straightness, notes: list[str]) -> Claim:
    if "slope" in fit.params and shows_dependence(fit):
        off = _off(_distance(fit, "slope"))
        return Claim(f"{{y}} does depend on {{x}}: the slope is {off}.", False, True, tuple(notes))
    notes.append("“No dependence” holds within the scatter, and over this stretch only.")
    return Claim("{y} does not depend on {x}", straight.is_straight is True, True, tuple(notes))


def _wrong_way(relation: Relation, fit: Fit) -> str:
    """Say where a line runs the wrong way for its relation."""
    slope = fit.params["slope"]
    if relation.key == "exponential_growth" and slope < 0:
        return "{y} falls: this is a fall, not a growth."
    if relation.key == "exponential_decay" and slope > 0:
        return "{y} rises: this is a growth, not a fall."
    if relation.key != "reciprocal" or "intercept" not in fit.params:
        return ""
    if fit.params["intercept"] > FAR * fit.uncertainties["intercept"]:
        return ""
    return "No limit is seen: the line meets the axis at zero, or below."


def _power(relation: Relation, fit: Fit, straight: Straightness, notes: list[str]) -> Claim:
    n, u = relation.law(fit)["n"]
    if "slope" in fit.held:
        notes.append(f"The exponent is held at {number(n)}.")
        return Claim(relation.plus_constant, straight.is_straight is True, False, tuple(notes))
    exponent = near_half(n, u)
    if exponent is not None:
        notes.append(f"The exponent agrees with {number(exponent)}.")
    elif u <= _CLOSE:
        notes.append("The exponent agrees with no whole or half number.")
    else:
        notes.append("The exponent is too uncertain to tell a whole or half number from the next.")
    sentence = relation.plus_constant
    return Claim(sentence, straight.is_straight is True, False, tuple(notes), exponent)


def _with_intercept(
    relation: Relation, fit: Fit, straight: Straightness, notes: list[str]
) -> Claim:
    """Say what the intercept of a line allows."""
    judged = straight.is_straight is True
    if relation.key in ("exponential_growth", "exponential_decay", "logarithmic", "reciprocal",
                        "linear"):  # fmt: skip
        if relation.key == "linear" and "intercept" in fit.params and _agrees(fit):
            notes.append(
                "The intercept agrees with zero: “directly proportional” may be open, too."
            )
        return Claim(relation.plus_constant, judged, True, tuple(notes))
    if "intercept" not in fit.params:
        return Claim(relation.as_constant, judged, False, tuple(notes))
    if _agrees(fit):
        notes.append(f"The intercept agrees with zero ({_distance(fit):.1f} of its uncertainties).")
        return Claim(relation.as_constant, judged, False, tuple(notes))
    named = "Directly proportional" if relation.key == "proportional" else "Proportional alone"
    notes.append(
        f"“{named}” is not open to you: the line misses the origin by {_many(_distance(fit))}. "
        + _what_adds(fit)
    )
    is_open = judged and relation.key != "proportional"
    return Claim(relation.plus_constant, is_open, True, tuple(notes))


def _what_adds(fit: Fit) -> str:
    sign = "adds to" if fit.params["intercept"] > 0 else "takes something from"
    return f"Something that {sign} every reading alike would do that: a wrong zero, a background."


def _agrees(fit: Fit) -> bool:
    return abs(fit.params["intercept"]) <= FAR * fit.uncertainties["intercept"]


def _distance(fit: Fit, name: str = "intercept") -> float:
    """Give how many of its uncertainties a parameter is away from zero."""
    value, u = abs(fit.params[name]), fit.uncertainties[name]
    return value / u if u else (math.inf if value else 0.0)


def _off(off: float) -> str:
    return "far from zero" if off >= FAR_OFF else f"{off:.0f} of its uncertainties from zero"


def _many(off: float) -> str:
    return "many of its uncertainties" if off >= FAR_OFF else f"{off:.0f} of its uncertainties"


def _without(count: int) -> str:
    readings = "reading has" if count == 1 else "readings have"
    return f"{count} {readings} no place in these axes and did not count."


def near_half(value: float, u: float) -> float | None:
    """Give the whole or half number that an exponent agrees with; None where it agrees with none,
    or is too uncertain to tell it from the next."""
    nearest = round(2 * value) / 2
    is_near = abs(value - nearest) <= max(FAR * u, 1e-9)
    return nearest if is_near and u <= _CLOSE and nearest else None


def number(value: float) -> str:
    """Write a whole or half number, with a minus sign proper."""
    return f"{value:g}".replace("-", "−")
