"""Tables as they are pasted from elsewhere into a typed table."""

from __future__ import annotations

from dataclasses import dataclass

from galena.core import numbers
from galena.core.errors import TableError
from galena.core.formats.heads import Head
from galena.core.formats.tables import understand

MOST_ROWS, MOST_COLUMNS, MOST_CHARACTERS = 20_000, 30, 4_000_000
LONGEST_CELL = 40


@dataclass(frozen=True)
class Pasted:
    """Rows of cells as text, all of the same length, and the heads of the columns if there were.

    `took` says what was taken for separator and decimal mark.
    """

    heads: tuple[Head, ...]
    rows: tuple[tuple[str, ...], ...]
    took: str = ""


def pasted(text: str) -> Pasted:
    """Read a table from text as spreadsheets and people write it.

    Raises TableError where it is no table of numbers, and says what is wrong with it.
    """
    if len(text) > MOST_CHARACTERS:
        raise TableError(f"This is too long: {MOST_CHARACTERS:,} characters can be pasted at once.")
    plain = text.replace("\r\n", "\n").replace("\r", "\n").rstrip("\n ")
    if not plain.strip():
        raise TableError("There is nothing to paste. Copy the cells once more.")
    count = plain.count("\n") + 1
    if count > MOST_ROWS + 1:
        raise TableError(f"A typed table has at most {MOST_ROWS:,} rows; these are {count:,}.")
    table = understand(plain.encode("utf-8", errors="replace"))
    width = len(table.columns)
    if width > MOST_COLUMNS:
        raise TableError(f"A typed table has at most {MOST_COLUMNS} columns; these are {width}.")
    if table.troubles:
        raise TableError(
            f"{table.troubles[0].rstrip('.')}. Nothing was pasted: leave such cells empty, or "
            "take them out before you copy."
        )
    rows = tuple(zip(*(column.texts for column in table.columns), strict=True))
    return Pasted(table.heads, rows, table.took)


def cell_text(text: str) -> str:
    """Give a cell as it is kept: the digits as typed, with a point for a decimal comma.

    Raises NumberError where it is neither empty nor a number.
    """
    if not text.strip():
        return ""
    numbers.parse(text, "This cell", "0.25")
    return numbers.plain_digits(text)
