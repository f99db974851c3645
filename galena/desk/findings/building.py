"""What a question about other findings is asked of, from their answers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from galena.core import dimensions, units
from galena.core.covariance import Correlation
from galena.core.formula import Symbol, Value
from galena.core.influence import correlation
from galena.desk.findings.questions import QUESTIONS, Subject
from galena.desk.findings.questions.basis import Basis, Named, Source, as_values
from galena.desk.models import Finding
from galena.experiments.formulas.symbols import formulas_of
from galena.experiments.models import Condition, ConditionValue, Given, Run

if TYPE_CHECKING:
    from galena.desk.findings.answers import Answers


class OfFindings(Basis):
    """The findings that one is built on; `answers` has all of them."""

    def __init__(self, answers: Answers, finding: Finding) -> None:
        self.answers, self.finding = answers, finding

    @property
    def details(self) -> Mapping[str, Any]:
        return QUESTIONS[self.finding.kind].completed_details(self.finding.details)

    @property
    def sources(self) -> list[Source]:
        return [self.answers.source(pk) for pk in self.finding.of]

    @property
    def numbers(self) -> list[Named]:
        return [self._number(pk, key) for pk, key in self._pairs]

    @property
    def correlation(self) -> Correlation:
        pairs = self._pairs
        influences = [self.answers.influence(pk, key) for pk, key in pairs]
        readings = [self.answers.readings_key(pk) for pk, _ in pairs]

        def between(i: int, j: int) -> float:
            first, second = influences[i], influences[j]
            if first is None or second is None or readings[i] != readings[j]:
                return 0.0
            return correlation(first, second)

        return between

    @property
    def subject(self) -> Subject:
        return self.answers.subject_of(self.finding)

    def symbols(self) -> tuple[dict[str, Symbol], dict[str, Value]]:
        names = list(self.finding.details.get("symbols", {}))
        numbers = self.numbers
        symbols = {name: Symbol(number.estimate.unit, "quantity", name)
                   for name, number in zip(names, numbers, strict=True)}  # fmt: skip
        values = dict(zip(names, as_values(numbers, self.correlation), strict=True))
        used = (self.answers.findings.get(pk) for pk in self.finding.of)
        runs = {finding.run for finding in used if finding is not None}
        for name, (symbol, value) in _constants(self.finding, runs).items():
            symbols.setdefault(name, symbol)
            values.setdefault(name, value)
        return symbols, values

    @property
    def _pairs(self) -> list[tuple[int, str]]:
        """The keys of the findings and the names of their numbers."""
        symbols = self.finding.details.get("symbols")
        pairs = self.finding.details["of"] if symbols is None else symbols.values()
        return [(pk, key) for pk, key in pairs]

    def _number(self, pk: int, key: str) -> Named:
        source = self.answers.source(pk)
        return Named(source.name, source.estimate(key), f"finding {pk}")


def _constants(finding: Finding, runs: set[Run | None]) -> dict[str, tuple[Symbol, Value]]:
    """Give the givens, and the conditions of the run that a formula is about, if it is one."""
    run = next(iter(runs)) if len(runs) == 1 else None
    held = ConditionValue.objects.filter(run=run) if run is not None else ()
    by_condition = {value.condition_id: value for value in held}
    constants: dict[str, tuple[Symbol, Value]] = {}
    for symbol, named in formulas_of(finding.sheet.experiment).things.items():
        condition = by_condition.get(named.pk) if isinstance(named, Condition) else None
        if isinstance(named, Given):
            source, value, u = f"given {named.pk}", named.value, named.u
        elif condition is not None and condition.value is not None:
            source = f"condition {named.pk} of {run.pk}"
            value, u = condition.value, condition.u
        else:
            continue
        unit = units.parse(named.unit)
        size, origin = dimensions.factor(unit), dimensions.origin(unit)
        shared = {source: u * size} if u else {}
        constants[symbol] = (
            Symbol(unit, "given", named.name),
            Value(value * size + origin, shared=shared),
        )
    return constants
