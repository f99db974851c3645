"""The answers to what was asked, kept in memory as long as nothing they depend on changes."""

from functools import lru_cache

from galena.core import series, units
from galena.core.errors import GalenaError
from galena.desk.models import Finding
from galena.desk.questions import QUESTIONS, Answer
from galena.experiments.models import Series
from galena.experiments.readings import Readings, of_series

X_UNIT = "s"


def answer(finding: Finding) -> Answer:
    """Work out what a finding's question has for an answer now."""
    stored = (
        Series.objects.filter(stream__run=finding.run_id, quantity=finding.quantity_id)
        .select_related("stream")
        .first()
    )
    if stored is None:
        return Answer(trouble=f"Run {finding.run.number} did not measure this.")
    try:
        readings = of_series(stored)
    except GalenaError as error:
        return Answer(trouble=str(error))
    key = _Key(readings, (stored.pk, stored.zero, len(readings)))
    return _answer(key, finding.kind, finding.span.lo, finding.span.hi, finding.quantity.unit)


class _Key:
    """Readings that are the same while their series, zero and number are."""

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
    inside = Readings(readings.t[part], readings.y[part])
    try:
        return QUESTIONS[kind].answer(inside, units.parse(X_UNIT), units.parse(unit))
    except GalenaError as error:
        return Answer(trouble=str(error))
    finally:
        key.readings = inside  # what is remembered need not hold the whole run
