"""What can be asked of a span, each question stated once."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

import numpy as np

from galena.core import fits, numbers
from galena.core.statistics import describe
from galena.core.units import Unit
from galena.core.units import format as typeset
from galena.experiments.readings import Readings


@dataclass(frozen=True)
class Estimate:
    """A value with its standard uncertainty and unit; `key` names it in references."""

    key: str
    name: str
    value: float
    uncertainty: float
    unit: Unit

    @property
    def text(self) -> str:
        """The value rounded to its uncertainty."""
        return numbers.estimate(self.value, self.uncertainty)

    @property
    def unit_text(self) -> str:
        return typeset(self.unit)


@dataclass(frozen=True)
class Answer:
    """What was found: estimates, a word on how, the fit if there was one, or why nothing was."""

    estimates: tuple[Estimate, ...] = ()
    remark: str = ""
    fit: fits.Fit | None = None
    trouble: str = ""


@dataclass(frozen=True)
class Question:
    """`ask` is the word on the card; `answer` takes the readings inside and both units."""

    key: str
    ask: str
    answer: Callable[[Readings, Unit, Unit], Answer] = field(repr=False)


def _mean(inside: Readings, x: Unit, y: Unit) -> Answer:
    found = describe(inside.y)
    shared = 0.0 if inside.shared is None else float(np.nanmean(inside.shared))
    u = math.hypot(found.standard_error, shared)
    estimate = Estimate("mean", "mean", found.mean, u, y)
    count = numbers.grouped(found.count)
    readings = "one reading" if found.count == 1 else f"{count} readings"
    spread = (
        ""
        if found.count == 1
        else f", standard deviation {numbers.significant(found.sd)} {typeset(y)}"
    )
    if shared > 0:
        # JCGM 100:2008 (GUM), F.1.2.3: what all readings share does not average out.
        spread += f"; {numbers.significant(shared)} {typeset(y)} of ± is shared by all readings"
    return Answer((estimate,), readings + spread)


def _fit(model: str) -> Callable[[Readings, Unit, Unit], Answer]:
    def answer(inside: Readings, x: Unit, y: Unit) -> Answer:
        found = fits.fit(model, inside.t, inside.y)
        units = found.model.units(x, y)
        estimates = tuple(
            Estimate(name, name, value, found.errors[name], units[name])
            for name, value in found.params.items()
        )
        count = numbers.grouped(found.residuals.size)
        remark = (
            f"{count} readings, residuals {numbers.significant(found.residual_sd)} {typeset(y)}"
        )
        return Answer(estimates, remark, found)

    return answer


QUESTIONS: Mapping[str, Question] = MappingProxyType(
    {
        question.key: question
        for question in (
            Question("mean", "mean", _mean),
            Question("line", "line", _fit("line")),
            Question("proportional", "proportional", _fit("proportional")),
        )
    }
)
