"""Comma-separated values with a head that tells where the readings come from (RFC 4180)."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_FORMULA = ("=", "+", "-", "@", "\t", "\r")
_ODD = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*\u202a-\u202e\u2066-\u2069]+')


@dataclass(frozen=True)
class Column:
    """A column: its heading, its numbers, shape (n,), and how each is written, as in `%.6f`."""

    heading: str
    numbers: NDArray[np.float64]
    form: str


def write(head: Sequence[str], columns: Sequence[Column]) -> bytes:
    """Write head lines, each after `# `, the headings, and the rows; shorter columns end early.

    UTF-8 with a byte order mark, by which spreadsheets know it. No cell of a head line or
    heading is taken for a formula, and none opens a quotation.
    """
    out = io.StringIO(newline="")
    rows = csv.writer(out)
    for line in head:
        # Commas part cells here too, so that a line stays a comment; its quotation marks are
        # typeset ones, which open no cell.
        text = " ".join(line.split()).replace('"', "”")
        rows.writerow([harmless(cell) for cell in f"# {text}".split(",")])
    rows.writerow([harmless(column.heading) for column in columns])
    count = max((column.numbers.size for column in columns), default=0)
    texts = []
    for column in columns:
        cells = np.char.mod(column.form, column.numbers).tolist()
        texts.append(cells + [""] * (count - len(cells)))
    out.write("".join(",".join(row) + "\r\n" for row in zip(*texts, strict=True)))
    return out.getvalue().encode("utf-8-sig")


def harmless(text: str) -> str:
    """Give a text with an apostrophe before what a spreadsheet would take for a formula."""
    bare = text.lstrip()
    blanks = text[: len(text) - len(bare)]
    return f"{blanks}'{bare}" if bare.startswith(_FORMULA) or text.startswith(_FORMULA) else text


def file_name(*parts: str) -> str:
    """Make a file name that every system takes, of parts that may hold any character."""
    kept = [_ODD.sub("_", part).strip(" ._") for part in parts]
    return " - ".join(part[:60] for part in kept if part)[:150] or "readings"
