"""Models side by side on the same readings: has an extra parameter earned its place?"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from galena.core.fits.result import Fit
from galena.core.residual_signs import Signs, signs

CLEAR = 4.0  # of AICc: below, two models are about as good


@dataclass(frozen=True)
class Compared:
    """A fit beside the others. `worse` is by how much its AICc is above the lowest.

    `verdict` says in a sentence whether it earns its parameters.
    """

    fit: Fit
    place: int
    signs: Signs
    worse: float
    verdict: str


def compare(fits: Sequence[Fit]) -> list[Compared]:
    """Compare fits of the same readings, in the order of their numbers of parameters.

    `place` is that in the order given. The measure is AICc: it pays for every parameter.
    Source: Burnham and Anderson, Model Selection and Multimodel Inference, 2nd ed. (2002), 2.6.
    """
    order = sorted(range(len(fits)), key=lambda place: len(fits[place].free))
    known = [one.aicc for one in fits if not math.isnan(one.aicc)]
    lowest = min(known, default=math.nan)
    found: list[Compared] = []
    for place in order:
        one = fits[place]
        worse = 0.0 if one.aicc == lowest else one.aicc - lowest
        found.append(Compared(one, place, signs(one.residuals), worse, _verdict(one, found, worse)))
    return found


def _verdict(fit: Fit, simpler: list[Compared], worse: float) -> str:
    if math.isnan(fit.aicc):
        return "Too few readings to compare it with others."
    before = [one for one in simpler if len(one.fit.free) < len(fit.free)]
    before = [one for one in before if not math.isnan(one.fit.aicc)]
    if not before:
        if worse > CLEAR:
            return "The simplest; a model with more parameters does clearly better."
        return "The simplest, and none does clearly better." if simpler == [] else _level(worse)
    best = min(before, key=lambda one: one.fit.aicc)
    more = len(fit.free) - len(best.fit.free)
    extra = "Its extra parameter" if more == 1 else f"Its {more} extra parameters"
    earns, does = ("earns its place", "does not earn its place") if more == 1 else (
        "earn their place", "do not earn their place")  # fmt: skip
    gain = best.fit.aicc - fit.aicc
    if math.isnan(gain) or math.isinf(gain):
        gain = math.inf if fit.rss < best.fit.rss else 0.0
    falls = "to nothing" if math.isinf(gain) else f"by {gain:.1f}"
    if gain > CLEAR:
        return f"{extra} {earns}: AICc falls {falls} against {best.fit.model.label}."
    how = f"falls by only {gain:.1f}" if gain > 0 else f"rises by {-gain:.1f}"
    return f"{extra} {does}: AICc {how} against {best.fit.model.label}."


def _level(worse: float) -> str:
    if worse > CLEAR:
        return f"AICc is {worse:.1f} above the lowest: clearly worse."
    return "As good as the best."
