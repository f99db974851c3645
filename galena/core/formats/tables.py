"""Tables of text from elsewhere: which sign separates the columns, which one the decimals.

Both are decided from the whole text and told, never cell by cell: `1,2` may be one number or
two, and only its neighbours say which.
"""

from __future__ import annotations

import codecs
import csv
import math
import re
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import TableError
from galena.core.formats.heads import Head, apart, head_or_name

Separator = Literal["\t", ";", ",", " ", ""]
Mark = Literal[".", ","]
MOST_TROUBLES = 20
_IN_WORDS = {"\t": "tabs", ";": "semicolons", ",": "commas", " ": "blanks"}
_NUMBER = re.compile(numbers.NUMBER, re.ASCII)
_WORD = re.compile(r"[^\W\d_]")
_BETWEEN_DIGITS = re.compile(r"(?<=\d),(?=\d)")
_INVISIBLE = "".join(one for one in numbers.BLANKS if one != " ")


@dataclass(frozen=True)
class Column:
    """A column: its head, its numbers, shape (n,), NaN where a cell is empty or no number.

    `texts` has the digits of each cell as they were written, with a point for the decimals.
    """

    name: str
    symbol: str
    unit: str
    values: NDArray[np.float64]
    texts: tuple[str, ...]


@dataclass(frozen=True)
class Understood:
    """A table and what was taken for its separator and its decimal mark.

    troubles: a sentence for each cell that holds something other than a number.
    """

    columns: tuple[Column, ...]
    separator: Separator
    decimal_mark: Mark
    troubles: tuple[str, ...]
    heads: tuple[Head, ...] = ()

    @property
    def took(self) -> str:
        """Say in words what was taken for what."""
        decimals = "a point" if self.decimal_mark == "." else "a comma"
        if len(self.columns) == 1:
            return f"one column; decimals with {decimals}"
        between = _IN_WORDS.get(self.separator, "lines")
        return f"{len(self.columns)} columns, separated by {between}; decimals with {decimals}"


def understand(data: bytes, name: str = "") -> Understood:
    """Read a table of numbers from text in any usual form.

    data: UTF-8, UTF-16 with its mark, or Windows-1252; name: of its file, for what is said.

    Columns are separated by tabs, semicolons, commas or runs of blanks. Commas separate under a
    head that has commas, where a blank follows them, where a cell has several, and beside
    decimal points; otherwise `1,2` is a decimal number. Blanks group thousands (full groups of
    three digits) only where something else separates. A first line without any number is the
    heads. Raises TableError where there is nothing to read.
    """
    lines = [line.strip("\r") for line in _decoded(data).split("\n")]
    while lines and not lines[-1].strip():
        lines.pop()
    while lines and not lines[0].strip():
        lines.pop(0)
    if not lines:
        raise TableError(f"There is nothing to read{f' in {name}' if name else ''}.")
    separator = _separator(lines)
    rows = _cut(lines, separator)
    has_heads = len(rows) > 1 and any(rows[0]) and not any(map(_looks_like_number, rows[0]))
    body = rows[1:] if has_heads else rows
    width = max(len(row) for row in body)
    heads: tuple[Head, ...] = ()
    if has_heads:
        cells = rows[0] if separator != " " else apart(lines[0], width)
        heads = tuple(head_or_name(cell) for cell in cells or ())
        width = max(width, len(heads))
    body = [row + [""] * (width - len(row)) for row in body]
    mark, grouping = _marks([cell for row in body for cell in row if cell], separator)
    texts, troubles = _read(body, mark, grouping, separator)
    named = heads + (Head(),) * (width - len(heads))
    columns = tuple(
        Column(of.name, of.symbol, of.unit, _values(cells), cells)
        for of, cells in zip(named, texts, strict=True)
    )
    return Understood(columns, separator, mark, troubles, heads)


def _decoded(data: bytes) -> str:
    if data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return data.decode("utf-16", errors="replace")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace")


def _separator(lines: list[str]) -> Separator:
    filled = [line for line in lines if line.strip()]
    for mark in ("\t", ";"):
        if any(mark in line for line in filled):
            return mark
    has_heads = len(filled) > 1 and _WORD.search(_NUMBER.sub("", filled[0])) is not None
    body = filled[1:] if has_heads else filled
    if any("," in line for line in body) and _commas_separate(filled[0] if has_heads else "", body):
        return ","
    if any(" " in line.strip() for line in body):
        return " "
    return ""


def _commas_separate(heads: str, body: list[str]) -> bool:
    if "," in heads:
        return True
    for line in body:
        if line.count(",") != len(_BETWEEN_DIGITS.findall(line)):
            return True  # a blank, a quotation mark or nothing stands beside one
        if any(cell.count(",") > 1 or ("," in cell and "." in cell) for cell in line.split(" ")):
            return True
    return any("." in line for line in body)


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


def _marks(cells: list[str], separator: Separator) -> tuple[Mark, str]:
    """Tell the decimal mark of all cells, and which mark sets off groups of three, if one does."""
    if separator == ",":
        return ".", ""
    for cell in cells:
        if "," in cell and "." in cell:
            return (".", ",") if cell.rindex(".") > cell.rindex(",") else (",", ".")
    commas, points = ([cell for cell in cells if mark in cell] for mark in ",.")
    if any(cell.count(",") > 1 for cell in commas):
        return ".", ","
    if any(cell.count(".") > 1 for cell in points):
        return ",", "."
    if not commas:
        return ".", ""
    if not points:
        return ",", ""
    # Each cell has one mark, some a comma, some a point: what only stands before full groups of
    # three sets off thousands.
    if all(_is_grouped(cell, ",") for cell in commas):
        return ".", ","
    return (",", ".") if all(_is_grouped(cell, ".") for cell in points) else (".", "")


def _is_grouped(cell: str, mark: str) -> bool:
    whole = rf"[-+{numbers.MINUS}]?\d{{1,3}}(?:{re.escape(mark)}\d{{3}})+"
    return re.fullmatch(whole, cell, re.ASCII) is not None


def _read(
    rows: list[list[str]], mark: Mark, grouping: str, separator: Separator
) -> tuple[list[tuple[str, ...]], tuple[str, ...]]:
    """Give the columns as texts of digits, and what is wrong with cells that are no numbers."""
    troubles: list[str] = []
    more = 0
    columns: list[list[str]] = [[] for _ in rows[0]]
    for number, row in enumerate(rows, start=1):
        for place, cell in enumerate(row):
            try:
                columns[place].append(_digits(cell, mark, grouping, separator) if cell else "")
            except ValueError:
                columns[place].append("")
                more += len(troubles) >= MOST_TROUBLES
                if len(troubles) < MOST_TROUBLES:
                    shown = cell if len(cell) <= 30 else cell[:30] + "…"
                    where = f"row {number}, column {place + 1}"
                    troubles.append(f"“{shown}” in {where} is not a number.")
    if more:
        troubles.append(f"{more} more cells are not numbers.")
    return [tuple(column) for column in columns], tuple(troubles)


def _digits(cell: str, mark: Mark, grouping: str, separator: Separator) -> str:
    if separator in (" ", "") and " " in cell:
        raise ValueError("A blank stands inside.")
    if grouping and grouping in cell:
        whole, after, rest = cell.partition(mark)
        if not _is_grouped(whole, grouping) or grouping in rest:
            raise ValueError("The groups of digits are not full.")
        cell = whole.replace(grouping, "") + after + rest
    plain = numbers.plain_digits(cell)
    if len(plain) > 40 or not math.isfinite(float(plain)):
        raise ValueError("It is too large.")
    return plain


def _values(texts: tuple[str, ...]) -> NDArray[np.float64]:
    return np.array([float(text) if text else math.nan for text in texts], dtype=np.float64)
