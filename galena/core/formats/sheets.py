"""A table that leaves: its name, lines on where it comes from, and columns of numbers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

LONGEST_NAME = 31  # characters that every spreadsheet takes
_FORBIDDEN = str.maketrans(dict.fromkeys("[]:*?/\\'", " "))


@dataclass(frozen=True)
class Column:
    """A column: its heading, its numbers, shape (n,), and how each is written, as in `%.6f`."""

    heading: str
    numbers: NDArray[np.float64]
    form: str


@dataclass(frozen=True)
class Sheet:
    """A sheet: its name, head lines, and columns, of which shorter ones end early."""

    name: str
    head: tuple[str, ...]
    columns: tuple[Column, ...]

    @property
    def rows(self) -> int:
        """How many rows of numbers there are."""
        return max((column.numbers.size for column in self.columns), default=0)


def names_of(sheets: list[Sheet]) -> list[str]:
    """Give names that a workbook takes: short, without signs it keeps for itself, no two alike."""
    names: list[str] = []
    for sheet in sheets:
        plain = " ".join(sheet.name.translate(_FORBIDDEN).split())[:LONGEST_NAME] or "sheet"
        name, number = plain, 1
        while name.casefold() in {one.casefold() for one in names}:
            number += 1
            name = f"{plain[: LONGEST_NAME - 5]} {number}"
        names.append(name)
    return names
