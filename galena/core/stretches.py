"""Values that hold over stretches of rows: first row, last row, and the text as it was typed."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable, Sequence
from typing import overload

Stretch = tuple[int, int, str]  # first row, last row, text


def overlaid(stretches: Iterable[Stretch], first: int, last: int, text: str) -> list[Stretch]:
    """Have a text hold from a row to a row, over what held there; an empty one takes it away.

    Gives stretches in order that nowhere overlap; neighbours with the same text are one.
    """
    kept = []
    for begin, end, before in stretches:
        parts = ((begin, min(end, first - 1)), (max(begin, last + 1), end))
        kept += [(lo, hi, before) for lo, hi in parts if lo <= hi]
    if text:
        kept.append((first, last, text))
    joined: list[Stretch] = []
    for lo, hi, of_it in sorted(kept):
        if joined and joined[-1][1] == lo - 1 and joined[-1][2] == of_it:
            joined[-1] = (joined[-1][0], hi, of_it)
        else:
            joined.append((lo, hi, of_it))
    return joined


def consecutive(rows: Iterable[int]) -> list[tuple[int, int]]:
    """Put rows together that follow each other: first and last of each group."""
    groups: list[tuple[int, int]] = []
    for row in sorted(set(rows)):
        if groups and groups[-1][1] == row - 1:
            groups[-1] = (groups[-1][0], row)
        else:
            groups.append((row, row))
    return groups


class StretchedCells(Sequence[str]):
    """The texts of all rows, empty where nothing holds; of a million rows only stretches are kept.

    stretches: in order, nowhere overlapping; rows: how many.
    """

    def __init__(self, stretches: Sequence[Stretch], rows: int) -> None:
        self.stretches, self.rows = stretches, rows
        self._begins = [first for first, _, _ in stretches]

    def __len__(self) -> int:
        return self.rows

    @overload
    def __getitem__(self, row: int) -> str: ...
    @overload
    def __getitem__(self, row: slice) -> list[str]: ...
    def __getitem__(self, row: int | slice) -> str | list[str]:
        if isinstance(row, slice):
            return [self[one] for one in range(*row.indices(self.rows))]
        if not -self.rows <= row < self.rows:
            raise IndexError(row)
        place = bisect_right(self._begins, row % self.rows) - 1
        if place < 0 or self.stretches[place][1] < row % self.rows:
            return ""
        return self.stretches[place][2]
