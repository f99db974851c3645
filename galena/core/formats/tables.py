"""Tables of text from elsewhere: which sign separates the columns, which one the decimals.

Both are decided from the whole text and told, never cell by cell: `1,2` may be one number or
two, and only its neighbours say which.
"""

from __future__ import annotations

import csv
import math
import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import TableError
from galena.core.formats.clock_times import is_date, is_time_of_day, seconds_from_first
from galena.core.formats.decoding import decoded, is_binary
from galena.core.formats.framing import framed
from galena.core.formats.heads import Head, apart, head_or_name
from galena.core.formats.separators import Mark, Separator, is_grouped, marks_of, separator_of
from galena.core.formats.spreadsheets import is_workbook, rows_of

MOST_TROUBLES = 20
MOST_COLUMNS, MOST_ROWS = 200, 2_000_000
_FIRST = 2000  # rows that tell the decimals of many
FEW = 20_000  # rows: of more the texts of the cells are not kept
_NO_DIGITS = re.compile(r"[^\d.,eE+\-\n]")  # what a plain number has none of
_IN_WORDS = {"\t": "tabs", ";": "semicolons", "|": "strokes", ",": "commas", " ": "blanks"}
_INVISIBLE = "".join(one for one in numbers.BLANKS if one != " ")


@dataclass(frozen=True)
class Column:
    """A column: its head, its numbers, shape (n,), NaN where a cell is empty or no number.

    `texts` has the digits of each cell as they were written, with a point for the decimals; of
    many rows none. kind: `time` for what was a time of day or a date. decimals: the most that a
    cell has, of many rows among the first.
    """

    name: str
    symbol: str
    unit: str
    values: NDArray[np.float64]
    texts: tuple[str, ...]
    kind: Literal["number", "time"] = "number"
    decimals: int = 0


@dataclass(frozen=True)
class Understood:
    """A table and what was taken for its separator and its decimal mark.

    troubles: a sentence for each cell that holds something other than a number. left_out: lines
    before, in and after the table that are none of it. encoding: of a text, none of a workbook.
    """

    columns: tuple[Column, ...]
    separator: Separator
    decimal_mark: Mark
    troubles: tuple[str, ...]
    heads: tuple[Head, ...] = ()
    left_out: tuple[str, ...] = ()
    encoding: str = ""
    has_heads: bool = False

    @property
    def took(self) -> str:
        """Say in words what was taken for what."""
        decimals = "a point" if self.decimal_mark == "." else "a comma"
        if len(self.columns) == 1:
            return f"one column; decimals with {decimals}"
        between = _IN_WORDS.get(self.separator, "lines")
        return f"{len(self.columns)} columns, separated by {between}; decimals with {decimals}"


def understand(
    data: bytes, name: str = "", *, separator: Separator | None = None,
    decimal_mark: Mark | None = None, sheet: str = "", encoding: str = "",
    has_heads: bool | None = None, begins: int = 1,
) -> Understood:  # fmt: skip
    """Read a table of numbers from a text in any usual form, or from a workbook.

    data: UTF-8, UTF-16 with its mark, or Windows-1252; or a workbook, whose sheet is the first
    that has numbers, unless one is named. name: of its file, for what is said. separator,
    decimal_mark, encoding, has_heads: what they are, where a person says so; begins: the line,
    counted from 1, that the table does not begin before.

    Columns are separated by tabs, semicolons, commas, strokes or runs of blanks. Commas separate
    under a head that has commas, where a blank follows them, where a cell has several, and beside
    decimal points; otherwise `1,2` is a decimal number. Blanks group thousands (full groups of
    three digits) only where something else separates. A first line without any number is the
    heads, with units under the names if the next line has them. What stands before and after the
    table, and comments, are left out and told. A column of times of day or dates becomes seconds
    from its first. Raises TableError where there is nothing to read.
    """
    if is_workbook(data):
        rows = [row for row in rows_of(data, sheet) if any(row)]
        text, encoding = "\n".join("\t".join(row) for row in rows), ""
        separator, decimal_mark = "\t", "."
    else:
        if is_binary(data):
            raise TableError(f"{name or 'This file'} holds no text and is no workbook.")
        text, encoding = decoded(data, encoding)
    if begins > 1:
        text = "\n" * (begins - 1) + "\n".join(text.splitlines()[begins - 1 :])
    frame = framed(text)
    lines = list(frame.lines)
    if not any(line.strip() for line in lines):
        raise TableError(f"There is nothing to read{f' in {name}' if name else ''}.")
    chosen = separator if separator is not None else separator_of(lines, frame.stated)
    (first,) = _cut(lines[:1], chosen)
    if has_heads is None:
        has_heads = len(lines) > 1 and any(first) and not any(map(_looks_like_number, first))
    cells_of = _cells(lines[1:] if has_heads else lines, chosen)
    if not cells_of:
        raise TableError(f"There is nothing to read{f' in {name}' if name else ''}.")
    heads: tuple[Head, ...] = ()
    if has_heads:
        cells = first if chosen != " " else apart(lines[0], len(cells_of))
        heads = tuple(head_or_name(cell) for cell in cells or ())[:MOST_COLUMNS]
        empty = [""] * len(cells_of[0])
        cells_of += [list(empty) for _ in range(len(heads) - len(cells_of))]
    cells_of, heads = _days_with_times(cells_of, heads)
    is_named = len(heads) == len(cells_of) and heads[-1] != Head()
    if len(cells_of) > 1 and not any(cells_of[-1]) and not is_named:
        cells_of = cells_of[:-1]  # every line ends with a separator
    columns, mark, troubles = _read_columns(cells_of, heads, chosen, decimal_mark)
    return Understood(
        columns, chosen, mark, troubles, heads[: len(columns)], frame.left_out, encoding, has_heads
    )


def _cells(lines: list[str], separator: Separator) -> list[list[str]]:
    """Give the columns of some lines, all as long; shorter rows end early, empty ones are none.

    Raises TableError where there are too many.
    """
    if len(lines) > MOST_ROWS:
        raise TableError(f"A table has at most {MOST_ROWS:,} rows; this one has {len(lines):,}.")
    if len(lines) > FEW and (regular := _regular(lines, separator)):
        return regular
    rows = _cut(lines, separator)
    width = max(len(row) for row in rows)
    if width > MOST_COLUMNS:
        raise TableError(f"A table has at most {MOST_COLUMNS} columns; this one has {width}.")
    if width > 1:
        rows = [row for row in rows if any(row)]
    if not all(len(row) == width for row in rows):
        rows = [row + [""] * (width - len(row)) for row in rows]
    return [list(column) for column in zip(*rows, strict=True)]


def _regular(lines: list[str], separator: Separator) -> list[list[str]] | None:
    """Give the columns of many lines that all have as many cells; None where they have not."""
    if separator in (" ", ""):
        return None
    width = lines[0].count(separator) + 1
    if width > MOST_COLUMNS or any(line.count(separator) != width - 1 for line in lines):
        return None
    text = separator.join(lines)
    if '"' in text:
        return None
    cells = text.split(separator)
    if any(blank in text for blank in " \xa0\u2009\u202f"):
        cells = [cell.strip() for cell in cells]
    return [cells[place::width] for place in range(width)]


def _days_with_times(
    columns: list[list[str]], heads: tuple[Head, ...]
) -> tuple[list[list[str]], tuple[Head, ...]]:
    """Put a column of days and the column of times after it together."""
    for place in range(len(columns) - 1):
        days, times = columns[place], columns[place + 1]
        first = next((row for row in range(len(days)) if days[row] and times[row]), None)
        if first is None or not (is_date(days[first]) and is_time_of_day(times[first])):
            continue
        both = [f"{day} {time}".strip() for day, time in zip(days, times, strict=True)]
        kept = heads[: place + 1] + heads[place + 2 :]
        return [*columns[:place], both, *columns[place + 2 :]], kept
    return columns, heads


def _read_columns(
    cells_of: list[list[str]], heads: tuple[Head, ...], separator: Separator, wanted: Mark | None
) -> tuple[tuple[Column, ...], Mark, tuple[str, ...]]:
    """Read columns as numbers or times; gives them, the decimal mark, and what is neither."""
    times = {place: seconds_from_first(cells) for place, cells in enumerate(cells_of)}
    numeric = [cells for place, cells in enumerate(cells_of) if times[place] is None]
    mark, grouping = marks_of([cell for cells in numeric for cell in _some(cells)], separator)
    if wanted is not None and wanted != mark:
        mark, grouping = wanted, "," if wanted == "." else "."
    troubles = _Troubles()
    columns = []
    for place, cells in enumerate(cells_of):
        of = heads[place] if place < len(heads) else Head()
        seconds = times[place]
        if seconds is not None:
            texts = tuple("" if math.isnan(one) else f"{one:.6f}" for one in seconds.tolist())
            decimals = _most_decimals(texts[:_FIRST], trimmed=True)
            columns.append(Column(of.name, of.symbol or "t", "s", seconds, texts, "time", decimals))
            continue
        values = _fast(cells, mark, grouping) if len(cells) > FEW else None
        if values is not None:
            some = [cell.replace(",", ".") for cell in cells[:_FIRST]]
            columns.append(Column(of.name, of.symbol, of.unit, values, (), "number",
                                  _most_decimals(some)))  # fmt: skip
            continue
        texts = tuple(_texts(cells, place, mark, grouping, separator, troubles))
        decimals = _most_decimals(texts)
        columns.append(
            Column(of.name, of.symbol, of.unit, _values(texts), texts, "number", decimals)
        )
    return tuple(columns), mark, troubles.told


def _some(cells: list[str]) -> list[str]:
    """Give the cells that are not empty, of many those at both ends: they tell how all look."""
    some = cells if len(cells) <= 2 * FEW else cells[:FEW] + cells[-FEW:]
    return [cell for cell in some if cell]


def _fast(cells: list[str], mark: Mark, grouping: str) -> NDArray[np.float64] | None:
    """Read many cells that are all plain numbers or empty; None where one is not."""
    joined = "\n".join(cells)
    if grouping or _NO_DIGITS.search(joined):
        return None
    if mark == ",":
        joined = joined.replace(",", ".")
    try:
        values = [float(cell) if cell else math.nan for cell in joined.split("\n")]
    except ValueError:
        return None
    table = np.array(values, dtype=np.float64)
    return None if np.isinf(table).any() else table


def _most_decimals(texts: Iterable[str], *, trimmed: bool = False) -> int:
    """Tell how many decimals the cells have at most, 15 at most; trimmed: without zeros at ends."""
    longest = 0
    for text in texts:
        mantissa, _, exponent = text.lower().partition("e")
        decimals = mantissa.partition(".")[2]
        places = len(decimals.rstrip("0") if trimmed else decimals)
        if exponent.lstrip("+-").isdigit():
            places -= int(exponent)
        longest = max(longest, places)
    return min(longest, 15)


class _Troubles:
    """Sentences on cells that are no numbers, in the order of the rows; many are counted."""

    def __init__(self) -> None:
        self._listed: list[tuple[int, int, str]] = []

    def add(self, row: int, place: int, cell: str) -> None:
        self._listed.append((row, place, cell if len(cell) <= 30 else cell[:30] + "…"))

    @property
    def told(self) -> tuple[str, ...]:
        self._listed.sort(key=lambda one: one[:2])
        sentences = [
            f"“{cell}” in row {row}, column {place + 1} is not a number."
            for row, place, cell in self._listed[:MOST_TROUBLES]
        ]
        if more := len(self._listed) - len(sentences):
            sentences.append(f"{more} more cells are not numbers.")
        return tuple(sentences)


def _texts(
    cells: list[str], place: int, mark: Mark, grouping: str, separator: Separator,
    troubles: _Troubles,
) -> Iterator[str]:  # fmt: skip
    """Give the digits of each cell; what is no number is told and left empty."""
    for row, cell in enumerate(cells, start=1):
        try:
            yield _digits(cell, mark, grouping, separator) if cell else ""
        except ValueError:
            troubles.add(row, place, cell)
            yield ""


def _cut(lines: list[str], separator: Separator) -> list[list[str]]:
    if separator == "":
        return [[line.strip().strip('"')] for line in lines]
    if separator == " ":
        return [re.split(" +", line.strip(" ")) if line.strip() else [] for line in lines]
    spaced = csv.reader(lines, delimiter=separator, skipinitialspace=True)
    try:
        return [[cell.strip() for cell in row] for row in spaced]
    except csv.Error as error:
        raise TableError(
            f"The cells cannot be told apart: {error}. Check quotation marks."
        ) from error


def _looks_like_number(cell: str) -> bool:
    try:
        numbers.plain_digits(cell.replace(",", "").replace(".", "") or "-")
    except ValueError:
        return False
    return True


def _digits(cell: str, mark: Mark, grouping: str, separator: Separator) -> str:
    if separator in (" ", "") and " " in cell:
        raise ValueError("A blank stands inside.")
    if grouping and grouping in cell:
        whole, after, rest = cell.partition(mark)
        if not is_grouped(whole, grouping) or grouping in rest:
            raise ValueError("The groups of digits are not full.")
        cell = whole.replace(grouping, "") + after + rest
    plain = numbers.plain_digits(cell)
    if len(plain) > 40 or not math.isfinite(float(plain)):
        raise ValueError("It is too large.")
    return plain


def _values(texts: tuple[str, ...]) -> NDArray[np.float64]:
    return np.array([float(text) if text else math.nan for text in texts], dtype=np.float64)
