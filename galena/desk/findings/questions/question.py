"""A question, stated once: its words, what it is asked of, what it is told, and its answer."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from galena.core.influence import Influence
from galena.desk.findings.questions.answer import Answer, Subject
from galena.desk.findings.questions.basis import Basis
from galena.desk.findings.questions.inputs import Input

Of = Literal["span", "marker", "pair", "fit", "findings"]


@dataclass(frozen=True)
class Question:
    """`ask` is the word on the card, `of` what it is asked of, `about` a sentence on it.

    answer: takes readings, where it is asked of a span or of markers. build: takes other findings,
    where it is asked of them; `count` is how many, None for any; of_fits: they must be fits;
    of_numbers: it is about one number of each; of_quantity: another quantity is named with them.
    inputs: what it needs to be told; presets: words for further buttons, with what they tell.
    influence: tells how one of its numbers changes with each reading, where that is known.
    """

    key: str
    ask: str
    of: Of
    about: str = ""
    answer: Callable[[Subject], Answer] | None = field(default=None, repr=False)
    build: Callable[[Basis], Answer] | None = field(default=None, repr=False)
    inputs: tuple[Input, ...] = ()
    presets: tuple[tuple[str, str], ...] = ()
    influence: Callable[[Subject, Answer, str], Influence | None] | None = field(
        default=None, repr=False
    )
    count: int | None = 1
    of_fits: bool = False
    of_numbers: bool = False
    of_quantity: bool = False

    def read(self, typed: Mapping[str, str]) -> dict[str, Any]:
        """Read what it is told from what was typed. Raises GalenaError."""
        return {one.key: one.read(typed) for one in self.inputs}

    def completed_details(self, details: Mapping[str, Any]) -> dict[str, Any]:
        """Give a finding's details with what is meant where it was not told."""
        return {one.key: one.default for one in self.inputs} | dict(details)

    def identity(self, details: Mapping[str, Any]) -> tuple[Hashable, ...]:
        """Give what two findings of this kind have in common when they ask the same."""
        completed = self.completed_details(details)
        return tuple(str(completed[one.key]) for one in self.inputs)

    def needs_telling(self) -> bool:
        """Tell whether it cannot be asked by a button alone."""
        return any(one.look == "formula" for one in self.inputs)
