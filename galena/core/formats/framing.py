"""Where in a text its table stands: what is before, between and after that is none of it.

Loggers write lines about themselves over a table, people write remarks under it. What is left out
is told, with its line.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass

from galena.core.errors import UnitError
from galena.core.units import parse

MOST_JOINED = 30  # lines that a cell in quotation marks may go over
LONGEST_SHOWN = 60  # characters of a line that is told
WINDOW = 2000  # lines at either end of a text that are looked at one by one
_OPENING = ("#", "%", "/")
_COMMENT = re.compile(r"\s*(#|%|//)")
_STATED = re.compile(r"\s*sep=(.)\s*$", re.IGNORECASE)
_CELL = re.compile(
    r"""["']?\s*[-+\u2212]?\s*(?:
        [\d.,'\u2019\u2009\u202f\xa0]*\d[\d.,]*(?:[eE][-+\u2212]?\d+)?\s*%?   # a number
      | \d{1,4}[-/.]\d{1,2}[-/.]\d{1,4}(?:[T\s]\d{1,2}:\d{2}(?::\d{2}(?:[.,]\d+)?)?)?Z?  # a date
      | \d{1,3}:\d{2}(?::\d{2}(?:[.,]\d+)?)?(?:\s*[ap]m)?                       # a time of day
    )\s*["']?""",
    re.VERBOSE | re.IGNORECASE,
)
_PARTS = re.compile(r"[\t;|]+|,\s|\s+")

Shape = Callable[[str], bool]  # tells whether a line is one of the table
Placed = list[tuple[int, str]]  # lines with their places in the text


@dataclass(frozen=True)
class Framed:
    """The lines of a table, heads first; the separator that the text states; what is left out.

    left_out: sentences on lines that are none of it.
    """

    lines: tuple[str, ...]
    stated: str
    left_out: tuple[str, ...]


def framed(text: str) -> Framed:
    """Find the table in a text. Of a long one both ends are looked at, `WINDOW` lines each."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    if '"' in text:
        lines = _joined(lines)
    stated = ""
    if match := _STATED.match(lines[0]):
        stated, lines = match[1], ["", *lines[1:]]
    comments = [place for place, line in enumerate(lines) if line.lstrip()[:1] in _OPENING
                and _COMMENT.match(line)]  # fmt: skip
    kept = _kept(lines, comments)
    left_out = [_told(lines, place) for place in comments]
    at_ends = [*range(min(WINDOW, len(kept))), *range(max(WINDOW, len(kept) - WINDOW), len(kept))]
    numeric = [at for at in at_ends if is_numeric(kept[at][1])]
    if not numeric:
        return Framed(tuple(line for _, line in kept), stated, _some(left_out))
    shape = _shape([kept[at][1] for at in numeric])
    of_shape = [at for at in numeric if shape(kept[at][1])]
    first, last = of_shape[0], of_shape[-1]
    if len(kept) - last > WINDOW:  # nothing at its end looks like the table: all of it is kept
        last = len(kept) - 1
    top = _heads_from(kept, first)
    if first == 0 and comments and top == 0:
        kept, first, last, top = _with_head_of_comment(lines, kept, comments, last)
    heads = _heads([line for _, line in kept[top:first]])
    after = [at for at in range(last + 1, len(kept)) if kept[at][1].strip()]
    if any(shape(kept[at][1]) for at in after):
        last, after = len(kept) - 1, []
    before = [at for at in range(top) if kept[at][1].strip()]
    left_out += [_told(lines, kept[at][0]) for at in (*before, *after)]
    body = [line for _, line in kept[first : last + 1]]
    return Framed((*heads, *body), stated, _some(left_out))


def _kept(lines: list[str], comments: list[int]) -> Placed:
    """Give the lines that are no comments, without the blank ones at both ends."""
    if not comments:
        kept = list(enumerate(lines))
    else:
        out = set(comments)
        kept = [(place, line) for place, line in enumerate(lines) if place not in out]
    while kept and not kept[-1][1].strip():
        kept.pop()
    first = next((at for at, (_, line) in enumerate(kept) if line.strip()), 0)
    return kept[first:]


def is_numeric(line: str) -> bool:
    """Tell whether a line holds numbers or times, and not mostly words."""
    parts = [part for part in _PARTS.split(line.replace('"', "").strip()) if part]
    return bool(parts) and 2 * sum(map(_is_cell, parts)) > len(parts)


def _is_cell(part: str) -> bool:
    """Tell whether a part is a number or a time, or several with commas between them."""
    if _CELL.fullmatch(part):
        return True
    return "," in part and all(_CELL.fullmatch(one) for one in part.split(",") if one)


def _shape(numeric: list[str]) -> Shape:
    """Give what tells the lines of the table: how many cells most lines with numbers have."""
    for mark in ("\t", ";", "|"):
        counts = Counter(line.count(mark) for line in numeric)
        count, often = counts.most_common(1)[0]
        if count and 2 * often > len(numeric):
            return lambda line: line.count(mark) == count
    counts = Counter(len(line.split()) for line in numeric)
    count, often = counts.most_common(1)[0]
    if count > 1 and 2 * often > len(numeric):
        return lambda line: len(line.split()) == count
    counts = Counter(line.count(",") for line in numeric)
    count, often = counts.most_common(1)[0]
    if count > 1 and 2 * often > len(numeric):
        return lambda line: line.count(",") == count
    return lambda line: bool(line.strip())


def _heads_from(kept: Placed, first: int) -> int:
    """Give where the heads begin: over the numbers, two lines over them where one has units."""
    top = first
    while top > 0 and not kept[top - 1][1].strip():
        top -= 1  # blank lines between heads and numbers
    if top == 0 or is_numeric(kept[top - 1][1]):
        return first
    top -= 1
    over = top - 1
    if over >= 0 and kept[over][1].strip() and not is_numeric(kept[over][1]):
        names, units = _cells(kept[over][1]), _cells(kept[top][1])
        if len(names) == len(units) > 1 and _are_units_of(names, units):
            return over
    return top


def _heads(lines: list[str]) -> list[str]:
    """Give the heads as one line: names with the units that stand under them."""
    heads = [line for line in lines if line.strip()]
    if len(heads) < 2:
        return heads
    names, units = _cells(heads[0]), _cells(heads[1])
    mark = _mark_of(heads[0])
    joined = (
        f"{name} / {unit.strip('()[] ')}" if unit.strip("()[] -") else name
        for name, unit in zip(names, units, strict=True)
    )
    return [mark.join(joined)]


def _with_head_of_comment(
    lines: list[str], kept: Placed, comments: list[int], last: int
) -> tuple[Placed, int, int, int]:
    """Take the last comment over the numbers for their heads, where it has as many cells."""
    before = [place for place in comments if place < kept[0][0]]
    if not before:
        return kept, 0, last, 0
    text = _COMMENT.sub("", lines[before[-1]], count=1).strip()
    cells, wanted = _cells(text), _cells(kept[0][1])
    if len(cells) != len(wanted) or len(cells) < 2 or ":" in text:
        return kept, 0, last, 0
    return [(before[-1], text), *kept], 1, last + 1, 0


def _mark_of(line: str) -> str:
    return next((mark for mark in ("\t", ";", "|", ",") if mark in line), "  ")


def _cells(line: str) -> list[str]:
    mark = _mark_of(line)
    cells = re.split(r"\s{2,}", line.strip()) if mark == "  " else line.split(mark)
    if mark == "  " and len(cells) == 1:
        cells = line.split()
    return [cell.strip().strip('"').strip() for cell in cells]


def _are_units_of(names: list[str], cells: list[str]) -> bool:
    """Tell whether a line under names holds their units, some of them perhaps empty.

    `t / s` is a head of its own, though it could be tonnes a second.
    """
    pairs = [(name, cell.strip("()[] ")) for name, cell in zip(names, cells, strict=True)]
    filled = [(name, unit) for name, unit in pairs if unit.strip("-")]
    if not filled or not all(
        name and len(unit) <= 20 and " / " not in unit for name, unit in filled
    ):
        return False
    try:
        for _, unit in filled:
            parse(unit)
    except UnitError:
        return False
    return True


def _joined(lines: list[str]) -> list[str]:
    """Put lines together that a cell in quotation marks goes over."""
    joined: list[str] = []
    held: list[str] = []
    for line in lines:
        held.append(line)
        if sum(one.count('"') for one in held) % 2 == 0:
            joined.append(" ".join(held))
            held = []
        elif len(held) >= MOST_JOINED:
            joined += held
            held = []
    return joined + held


def _told(lines: list[str], place: int) -> str:
    text = lines[place].strip()
    shown = text if len(text) <= LONGEST_SHOWN else text[:LONGEST_SHOWN] + "…"
    return f"line {place + 1}: “{shown}”"


def _some(left_out: list[str], most: int = 20) -> tuple[str, ...]:
    if len(left_out) <= most:
        return tuple(left_out)
    return (*left_out[:most], f"{len(left_out) - most} more lines")
