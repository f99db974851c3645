"""The answers to what was asked, kept in memory as long as nothing they depend on changes."""

from dataclasses import replace
from functools import lru_cache

import numpy as np

from galena.core import series, units
from galena.core.errors import GalenaError, SeriesError
from galena.desk.models import Finding
from galena.desk.questions import QUESTIONS, Answer
from galena.experiments.models import Series
from galena.experiments.readings import NOTHING, Readings, of_series

X_UNIT = "s"


def answers(findings: list[Finding]) -> list[Answer]:
    """Work out what each question has for an answer now."""
    runs = {finding.run_id for finding in findings}
    stored = list(
        Series.objects.filter(stream__run__in=runs)
        .exclude(quantity=None)
        .select_related("quantity", "stream__run")
    )
    wanted = {(one.run_id, one.quantity_id) for one in findings}
    stored = [one for one in stored if (one.stream.run_id, one.quantity_id) in wanted]
    try:
        read = dict(zip([one.pk for one in stored], of_series(stored), strict=True))
    except SeriesError as error:
        return [Answer(trouble=str(error)) for _ in findings]
    by_place = {(one.stream.run_id, one.quantity_id): one for one in stored}
    return [
        _ask(finding, by_place.get((finding.run_id, finding.quantity_id)), read)
        for finding in findings
    ]


def _ask(finding: Finding, series: Series | None, read: dict[int, Readings]) -> Answer:
    if series is None:
        return Answer(trouble=f"Run {finding.run.number} did not measure this.")
    readings = read[series.pk]
    key = _Key(readings, (series.pk, series.correction, series.stream.scale, len(readings)))
    return _answer(key, finding.kind, finding.span.lo, finding.span.hi, finding.quantity.unit)


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
def _answer(key: _Key, kind: str, lo: float, hi: float, unit: str) -> Answer:
    readings = key.readings
    part = series.inside(readings.t, lo, hi)
    shared = None if readings.shared is None else readings.shared[part]
    inside = Readings(readings.t[part], readings.y[part], shared)
    key.readings = NOTHING  # what is remembered must not hold the run's arrays
    try:
        answer = QUESTIONS[kind].answer(inside, units.parse(X_UNIT), units.parse(unit))
    except GalenaError as error:
        return Answer(trouble=str(error))
    if answer.fit is None:
        return answer
    return replace(answer, fit=replace(answer.fit, residuals=np.empty(0)))
