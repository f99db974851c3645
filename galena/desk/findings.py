"""The answers to what was asked, kept in memory as long as nothing they depend on changes."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from galena.core import series, units
from galena.core.errors import GalenaError, SeriesError
from galena.desk.models import Finding
from galena.desk.questions import QUESTIONS, Answer
from galena.experiments.columns import Found, over
from galena.experiments.readings import NOTHING, Readings


def answers(findings: list[Finding]) -> list[Answer]:
    """Work out what each question has for an answer now."""
    found: dict[tuple[int, int, int], Found] = {}
    sheets = {finding.span.sheet_id: finding.span.sheet for finding in findings}
    try:
        for key, sheet in sheets.items():
            asked = [one for one in findings if one.span.sheet_id == key]
            read = over(sheet.x, [(one.run, one.quantity) for one in asked])
            found |= {(key, *pair): one for pair, one in read.items()}
    except SeriesError as error:
        return [Answer(trouble=str(error)) for _ in findings]
    return [
        _ask(one, found.get((one.span.sheet_id, one.run_id, one.quantity_id))) for one in findings
    ]


def _ask(finding: Finding, found: Found | None) -> Answer:
    sheet = finding.span.sheet
    if found is None:
        return Answer(trouble=f"Run {finding.run.number} has not both of this sheet's quantities.")
    key = _Key(found.readings, found.version)
    span, unit = finding.span, finding.quantity.unit
    return _answer(key, finding.kind, span.lo, span.hi, sheet.x_unit, unit)


def forget() -> None:
    """Throw away all answers that are kept in memory."""
    _answer.cache_clear()


class _Key:
    """Readings that are the same while their series, what is done to them and their number are."""

    def __init__(self, readings: Readings, version: tuple) -> None:
        self.readings, self.version = readings, version

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Key) and self.version == other.version

    def __hash__(self) -> int:
        return hash(self.version)


@lru_cache(maxsize=500)
def _answer(key: _Key, kind: str, lo: float, hi: float, x_unit: str, unit: str) -> Answer:
    readings = key.readings
    part = series.inside(readings.t, lo, hi)
    inside = readings.at(part).counted
    key.readings = NOTHING  # what is remembered must not hold the run's arrays
    try:
        answer = QUESTIONS[kind].answer(inside, units.parse(x_unit), units.parse(unit))
    except GalenaError as error:
        return Answer(trouble=str(error))
    if answer.fit is None:
        return answer
    return replace(answer, fit=replace(answer.fit, residuals=np.empty(0)))
