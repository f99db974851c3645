"""Comma-separated values with a head that tells where the readings come from (RFC 4180)."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator

from galena.core.formats.sheets import Sheet

_AT_ONCE = 5000  # rows: a piece takes a few milliseconds, in which nothing else is held up
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_ODD = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*\u202a-\u202e\u2066-\u2069]+')


def write(sheet: Sheet, separator: str = ",") -> Iterator[bytes]:
    """Write head lines, each after `# `, the headings, and the rows, in pieces of many rows.

    Shorter columns end early. UTF-8 with a byte order mark, by which spreadsheets know it. No cell
    of a head line or heading is taken for a formula, and none opens a quotation.
    """
    out = io.StringIO(newline="")
    rows = csv.writer(out, delimiter=separator)
    for line in sheet.head:
        # Commas part cells here too, so that a line stays a comment; its quotation marks are
        # typeset ones, which open no cell.
        text = " ".join(line.split()).replace('"', "”")
        rows.writerow([harmless(cell) for cell in f"# {text}".split(separator)])
    rows.writerow([harmless(column.heading) for column in sheet.columns])
    yield out.getvalue().encode("utf-8-sig")
    yield from rows_of(sheet, separator)


def rows_of(sheet: Sheet, separator: str = ",") -> Iterator[bytes]:
    """Write only the rows, in pieces of many."""
    for first in range(0, sheet.rows, _AT_ONCE):
        count = min(_AT_ONCE, sheet.rows - first)
        texts = []
        for column in sheet.columns:
            values = column.numbers[first : first + count].tolist()
            texts.append([*map(column.form.__mod__, values), *[""] * (count - len(values))])
        piece = "".join(separator.join(row) + "\r\n" for row in zip(*texts, strict=True))
        yield piece.encode()


def write_tabs(sheet: Sheet) -> Iterator[bytes]:
    """Write the same with tabs between the cells."""
    return write(sheet, "\t")


def harmless(text: str) -> str:
    """Give a text with an apostrophe before what a spreadsheet would take for a formula."""
    bare = text.lstrip()
    blanks = text[: len(text) - len(bare)]
    return f"{blanks}'{bare}" if bare.startswith(_FORMULA) or text.startswith(_FORMULA) else text


def file_name(*parts: str) -> str:
    """Make a file name that every system takes, of parts that may hold any character."""
    kept = [_ODD.sub("_", part).strip(" ._") for part in parts]
    return " - ".join(part[:60] for part in kept if part)[:150] or "readings"
