"""Tables as they are pasted from elsewhere, and the heads of their columns as people write them."""

from __future__ import annotations

import re
from dataclasses import dataclass

from galena.core import numbers, units
from galena.core.errors import NumberError, TableError, UnitError

MOST_ROWS, MOST_COLUMNS, MOST_CHARACTERS = 20_000, 30, 4_000_000
LONGEST_CELL = 40
_ENCLOSED = re.compile(r"^(?P<name>.*?)\s*[(\[](?P<unit>[^()\[\]]*)[)\]]\s*$")
_OVER = re.compile(r"^(?P<name>.*?)\s+/\s*(?P<unit>.+)$|^(?P<short>[^\s/]+)/(?P<per>[^\s/]+)$")


@dataclass(frozen=True)
class Head:
    """The head of a column: a name, a symbol and a unit, each perhaps empty."""

    name: str
    symbol: str
    unit: str


@dataclass(frozen=True)
class Pasted:
    """Rows of cells as text, all of the same length, and the heads of the columns if there were."""

    heads: tuple[Head, ...]
    rows: tuple[tuple[str, ...], ...]


def head(text: str) -> Head:
    """Read a head: `overhang L / m`, `L (m)`, `L [m]`, `s/mm`, `length`, `θ`.

    A last word of one or two letters, or with an underscore, is the symbol. Raises UnitError
    where what stands for the unit is none.
    """
    said = " ".join(text.split())
    unit = ""
    for pattern in (_ENCLOSED, _OVER):
        if match := pattern.match(said):
            found = match.groupdict()
            unit = found["unit"] or found.get("per") or ""
            said = (found["name"] or found.get("short") or "").rstrip(" ,")
            units.parse(unit)
            break
    words = said.split()
    if words and _is_symbol(words[-1]):
        return Head(" ".join(words[:-1]).rstrip(","), words[-1], unit)
    return Head(said, "", unit)


def _is_symbol(word: str) -> bool:
    base, _, below = word.partition("_")
    return (len(base) <= 2 or word == "pH") and base.isalpha() and len(below) <= 12


def pasted(text: str) -> Pasted:
    """Read a table from text with tabs, semicolons or commas between its cells.

    A first line that holds no number is the heads. Raises TableError where it is no table, and
    says what is wrong with it.
    """
    if len(text) > MOST_CHARACTERS:
        raise TableError(f"This is too long: {MOST_CHARACTERS:,} characters can be pasted at once.")
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    while lines and not lines[-1].strip():
        lines.pop()
    if not lines:
        raise TableError("There is nothing to paste. Copy the cells once more.")
    if len(lines) > MOST_ROWS + 1:
        raise TableError(f"A typed table has at most {MOST_ROWS:,} rows; these are {len(lines):,}.")
    split = _separator(lines)
    rows = [[cell.strip().strip('"') for cell in line.split(split)] for line in lines]
    width = max(len(row) for row in rows)
    if width > MOST_COLUMNS:
        raise TableError(f"A typed table has at most {MOST_COLUMNS} columns; these are {width}.")
    rows = [row + [""] * (width - len(row)) for row in rows]
    heads: tuple[Head, ...] = ()
    if not any(_is_number(cell) for cell in rows[0]) and any(rows[0]) and len(rows) > 1:
        heads = tuple(_head_or_name(cell) for cell in rows.pop(0))
    _refuse_words(rows)
    return Pasted(heads, tuple(tuple(cell_text(cell) for cell in row) for row in rows))


def cell_text(text: str) -> str:
    """Give a cell as it is kept: the digits as typed, with a point for a decimal comma.

    Raises NumberError where it is neither empty nor a number.
    """
    said = text.strip()
    if not said:
        return ""
    numbers.parse(said, "This cell", "0.25")
    plain = said.replace("\u202f", "").replace("\xa0", "").replace(" ", "")
    plain = plain.replace(numbers.THIN_SPACE, "").replace(numbers.MINUS, "-")
    return plain.replace(",", ".") if "," in plain and "." not in plain else plain


def _separator(lines: list[str]) -> str:
    for mark in ("\t", ";"):
        if any(mark in line for line in lines):
            return mark
    # Between digits a comma is a decimal comma; with a point, or several times, it separates.
    if all(line.count(",") > 1 or ("," in line and "." in line) for line in lines[1:] or lines):
        return ","
    return "\t"


def _is_number(cell: str) -> bool:
    try:
        numbers.parse(cell)
    except NumberError:
        return False
    return True


def _head_or_name(cell: str) -> Head:
    try:
        return head(cell)
    except UnitError:
        return Head(" ".join(cell.split())[:100], "", "")


def _refuse_words(rows: list[list[str]]) -> None:
    for number, row in enumerate(rows, start=1):
        for place, cell in enumerate(row, start=1):
            if not cell or (_is_number(cell) and len(cell) <= LONGEST_CELL):
                continue
            shown = cell if len(cell) <= 30 else cell[:30] + "…"
            raise TableError(
                f"“{shown}” in row {number}, column {place} is not a number. Nothing was pasted: "
                "leave such cells empty, or take them out before you copy."
            )
