"""Models side by side on the same readings: has an extra parameter earned its place?"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from galena.core.fits.result import Fit
from galena.core.runs_test import RunsTest, runs_test

CLEAR = 4.0  # of AICc: below, two models are about as good


@dataclass(frozen=True)
class Compared:
    """A fit beside the others. `worse` is by how much its AICc is above the lowest.

    `verdict` says in a sentence whether it earns its parameters.
    """

    fit: Fit
    place: int
    runs_test: RunsTest
    worse: float
    verdict: str


def compare(fits: Sequence[Fit]) -> list[Compared]:
    """Compare fits of the same readings, in the order of their numbers of parameters.

    `place` is that in the order given. The measure is AICc: it pays for every parameter.
    Source: Burnham and Anderson, Model Selection and Multimodel Inference, 2nd ed. (2002), 2.6.
    """
    order = sorted(range(len(fits)), key=lambda place: len(fits[place].free))
    criteria = [fit.aicc for fit in fits if not math.isnan(fit.aicc)]
    lowest = min(criteria, default=math.nan)
    compared: list[Compared] = []
    for place in order:
        fit = fits[place]
        worse = 0.0 if fit.aicc == lowest else fit.aicc - lowest
        verdict = _verdict(fit, [other for other in fits if other is not fit], worse)
        compared.append(Compared(fit, place, runs_test(fit.residuals), worse, verdict))
    return compared


def _verdict(fit: Fit, others: list[Fit], worse: float) -> str:
    """Say in a sentence how a fit stands beside others, in the words that fit these."""
    if math.isnan(fit.aicc):
        return "Too few readings to compare it with others."
    others = [other for other in others if not math.isnan(other.aicc)]
    if not others:
        return "There is nothing to compare it with."
    simpler = [other for other in others if len(other.free) < len(fit.free)]
    if simpler:
        return _earned(fit, min(simpler, key=lambda other: other.aicc))
    same = [other for other in others if len(other.free) == len(fit.free)]
    first = "As simple as any" if same else "The simplest"
    if worse <= CLEAR:
        if len(same) == len(others):
            return _level(worse)
        return f"{first}, and none does clearly better."
    best = min(others, key=lambda other: other.aicc)
    if len(best.free) > len(fit.free):
        return f"{first}; a model with more parameters does clearly better."
    return _level(worse)


def _earned(fit: Fit, best: Fit) -> str:
    """Say whether the extra parameters of a fit earn their place beside the best simpler one."""
    more = len(fit.free) - len(best.free)
    extra = "Its extra parameter" if more == 1 else f"Its {more} extra parameters"
    earns, does = ("earns its place", "does not earn its place") if more == 1 else (
        "earn their place", "do not earn their place")  # fmt: skip
    gain = best.aicc - fit.aicc
    if math.isnan(gain) or math.isinf(gain):
        gain = math.inf if fit.rss < best.rss else 0.0
    falls = "to nothing" if math.isinf(gain) else f"by {gain:.1f}"
    if gain > CLEAR:
        return f"{extra} {earns}: AICc falls {falls} against {best.model.label}."
    how = f"falls by only {gain:.1f}" if gain > 0 else f"rises by {-gain:.1f}"
    return f"{extra} {does}: AICc {how} against {best.model.label}."


def _level(worse: float) -> str:
    if worse > CLEAR:
        return f"AICc is {worse:.1f} above the lowest: clearly worse."
    return "The best of these." if worse == 0 else "About as good as the best."
