"""What a finding is built on: other findings, with their answers and what these share."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from galena.core import dimensions, fits
from galena.core.covariance import Correlation, OfOrigin, own_covariance
from galena.core.formula import Symbol, Value
from galena.core.influence import independent_parts
from galena.desk.errors import DeskError
from galena.desk.findings.questions.answer import Answer, Estimate, Subject
from galena.desk.findings.questions.fitted import shifts_of, weights_of

OF_A_FIT = "fit "  # how the sources begin that only the numbers of one fit share


@dataclass(frozen=True)
class Source:
    """A finding that another is built on: its answer, and what it was asked of."""

    name: str
    answer: Answer
    subject: Subject | None

    @property
    def fit(self) -> fits.Fit:
        """Its fit. Raises DeskError where there is none."""
        if self.answer.trouble:
            raise DeskError(f"{self.name}: {self.answer.trouble}")
        if self.answer.fit is None or self.subject is None:
            raise DeskError(f"{self.name} is no fit.")
        if self.answer.by_hand:
            raise DeskError(f"{self.name} is laid on by hand. Fit it first.")
        return self.answer.fit

    @property
    def readings(self) -> Subject:
        """What its fit was asked of. Raises DeskError where it is no fit."""
        if self.subject is None:
            raise DeskError(f"{self.name} is no fit.")
        return self.subject

    def carried_to(self, x: float) -> float:
        """Give by how much the fit's value at x moves with what all its readings share."""
        fit, subject = self.fit, self.readings
        shifts = shifts_of(subject, fit, weights_of(subject))
        if not shifts:
            return 0.0
        jacobian = fit.model.jacobian(np.array([x]), fit.params)[0]
        moved = (jacobian[k] * shifts.get(name, 0.0) for k, name in enumerate(fit.params))
        return float(np.nan_to_num(sum(moved)))

    def estimate(self, key: str) -> Estimate:
        """Give one of its numbers. Raises DeskError."""
        if self.answer.trouble:
            raise DeskError(f"{self.name}: {self.answer.trouble}")
        estimates = (one for one in self.answer.estimates if one.key == key)
        chosen = next(estimates, None)
        if chosen is None:
            raise DeskError(f"{self.name} has no {key} any more.")
        return chosen


@dataclass(frozen=True)
class Named:
    """A number of a finding: `origin` names the finding, so that two of its numbers are known to
    come from one."""

    name: str
    estimate: Estimate
    origin: str

    @property
    def own(self) -> OfOrigin:
        """What of its uncertainty is its own."""
        parts = self.estimate.parts.items()
        of_fit = {source: part for source, part in parts if source.startswith(OF_A_FIT)}
        return OfOrigin(self.origin, self.estimate.own_uncertainty, of_fit)

    @property
    def shared(self) -> dict[str, float]:
        """What of its uncertainty other findings may share, by source, in its unit."""
        parts = self.estimate.parts.items()
        return {source: part for source, part in parts if not source.startswith(OF_A_FIT)}


class Basis(ABC):
    """What a question about findings is asked of."""

    @property
    @abstractmethod
    def details(self) -> Mapping[str, Any]:
        """What the question was told."""

    @property
    @abstractmethod
    def sources(self) -> list[Source]:
        """The findings, in order. Raises DeskError."""

    @property
    @abstractmethod
    def numbers(self) -> list[Named]:
        """One number of each finding, in order. Raises DeskError."""

    @property
    @abstractmethod
    def correlation(self) -> Correlation:
        """How far two of the numbers come from the same readings, by their places."""

    @property
    @abstractmethod
    def subject(self) -> Subject:
        """The readings of the quantity that is named with the findings. Raises DeskError."""

    @abstractmethod
    def symbols(self) -> tuple[dict[str, Symbol], dict[str, Value]]:
        """What a formula over the findings may name, and the values."""


def as_values(numbers: list[Named], correlation: Correlation) -> list[Value]:
    """Give numbers in SI units, each with its sources; what two share has the same source."""
    parts = independent_parts(own_covariance([one.own for one in numbers], correlation))
    made_of = " + ".join(sorted({f"{one.origin} {one.estimate.key}" for one in numbers}))
    values = []
    for place, number in enumerate(numbers):
        unit = number.estimate.unit
        size = dimensions.factor(unit)
        shared = {source: part * size for source, part in number.shared.items()}
        shared |= {f"{made_of} {k}": float(part) * size
                   for k, part in enumerate(parts[place]) if part}  # fmt: skip
        values.append(Value(number.estimate.value * size + dimensions.origin(unit), shared=shared))
    return values
