"""The answers of several runs to one question, together; and numbers in a unit that fits them."""

from __future__ import annotations

import math
from dataclasses import dataclass

from galena.core.numbers import MINUS
from galena.core.prefixes import with_prefix
from galena.desk.findings.answers import identity
from galena.desk.findings.questions import Estimate
from galena.desk.ledger.rows import Row


@dataclass(frozen=True)
class Line:
    """A number on a card: whose it is, and what it is in a unit in which it has few digits."""

    row: Row
    estimate: Estimate
    text: str
    unit: str
    is_first: bool = True

    @property
    def is_held(self) -> bool:
        """Tell whether it was held and not found."""
        fit = self.row.answer.fit
        return fit is not None and not self.row.answer.by_hand and self.estimate.key in fit.held


@dataclass(frozen=True)
class Group:
    """One question with the answers of one run or more."""

    rows: list[Row]

    @property
    def first(self) -> Row:
        """The answer that says what was asked."""
        return self.rows[0]

    @property
    def is_of_several(self) -> bool:
        return len(self.rows) > 1

    @property
    def is_of_single_numbers(self) -> bool:
        """Tell whether each answer is one number, so that it needs no line above."""
        return all(len(row.answer.estimates) <= 1 and not row.is_fit for row in self.rows)

    @property
    def lines(self) -> list[Line]:
        """Its numbers: one after the other, each of all runs."""
        by_key: dict[str, list[Line]] = {}
        for row in self.rows:
            for place, estimate in enumerate(row.answer.estimates):
                line = line_of(row, estimate, is_first=place == 0)
                by_key.setdefault(estimate.key, []).append(line)
        return [line for lines in by_key.values() for line in lines]

    @property
    def remarks(self) -> list[tuple[Row, str]]:
        """How each answer was found, or why none was."""
        told = [(row, row.answer.trouble or row.answer.remark) for row in self.rows]
        return [(row, text) for row, text in told if text]


def line_of(row: Row, estimate: Estimate, *, is_first: bool = True) -> Line:
    """Give a number with the prefix of its unit with which it has few digits."""
    fit = row.answer.fit
    if fit is not None and estimate.key in fit.held:  # as it was typed
        typed = f"{estimate.value:.6g}".replace("-", MINUS)
        return Line(row, estimate, typed, estimate.unit_text, is_first)
    value, u, unit = with_prefix(estimate.value, estimate.uncertainty, estimate.unit)
    if unit == estimate.unit or not (math.isfinite(u) and u > 0):
        return Line(row, estimate, estimate.text, estimate.unit_text, is_first)
    scaled = Estimate(estimate.key, estimate.name, value, u, unit)
    return Line(row, estimate, scaled.text, scaled.unit_text, is_first)


def groups_of(rows: list[Row]) -> list[Group]:
    """Put the answers to one question together, in the order in which they come."""
    by_question: dict[tuple, list[Row]] = {}
    for row in rows:
        by_question.setdefault(identity(row.finding) + tuple(_built_of(row)), []).append(row)
    return [Group(of_it) for of_it in by_question.values()]


def _built_of(row: Row) -> list[object]:
    """Tell findings apart that are built on others, unless they say the law of one line each."""
    finding = row.finding
    if not finding.is_built:
        return []
    return [str(finding.details.get("relation"))] if finding.kind == "law" else [finding.pk]
