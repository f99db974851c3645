"""What a question needs to be told, each input stated once.

The inputs of a question drive how what is typed is read, whether a finding is the same as another,
what the card shows, and what docs/findings.md lists.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from galena.core import numbers
from galena.desk.errors import DeskError

Look = Literal["number", "tick", "choice", "parameter", "formula"]
REQUIRED = object()  # the default of what must be typed
_WHOLE = re.compile(r"[0-9]{1,6}", re.ASCII)


@dataclass(frozen=True)
class Input:
    """One thing that a question is told.

    key: its name in a finding's details and on the card. label: before its field; `{x}` and `{y}`
    in it are the symbols of the axes. parse: from the text typed to what is kept; raises
    GalenaError. default: what is meant where nothing is typed. look: how the card asks for it;
    choices: pairs of what is sent and the words for it. after: words behind the field.
    """

    key: str
    label: str
    parse: Callable[[str], object] = field(repr=False)
    default: object = REQUIRED
    look: Look = "number"
    choices: tuple[tuple[str, str], ...] = ()
    after: str = ""

    @property
    def shown(self) -> str:
        """What stands in its field at first."""
        return str(self.default) if isinstance(self.default, int) and self.default else ""

    def read(self, typed: Mapping[str, str]) -> object:
        """Read it from what was typed; its default where that is empty. Raises GalenaError."""
        text = typed.get(self.key, "").strip()
        if self.look == "tick":
            return self.key in typed
        if not text and self.default is not REQUIRED:
            return self.default
        return self.parse(text)


def number(name: str) -> Callable[[str], float]:
    """Read a number; name stands for it in what is said of a wrong one."""
    return lambda text: numbers.parse(text, name)


def whole(lo: int, hi: int, refusal: str) -> Callable[[str], int]:
    """Read a whole number from lo to hi; refusal is said of all else."""

    def parse(text: str) -> int:
        if not (_WHOLE.fullmatch(text) and lo <= int(text) <= hi):
            raise DeskError(refusal)
        return int(text)

    return parse


def of_choices(*choices: int) -> Callable[[str], int]:
    """Read one of some whole numbers; the first for all else."""
    return lambda text: next((choice for choice in choices if str(choice) == text), choices[0])


def number_or_word(word: str, name: str) -> Callable[[str], float | str]:
    """Read a number, or a word that stands for something else."""
    return lambda text: word if text == word else numbers.parse(text, name)


def words(refusal: str) -> Callable[[str], str]:
    """Read a text that must not be empty; refusal is said of one that is."""

    def parse(text: str) -> str:
        if not text:
            raise DeskError(refusal)
        return text

    return parse


def ticked(text: str) -> bool:
    """Tell whether a box was ticked."""
    return bool(text)
