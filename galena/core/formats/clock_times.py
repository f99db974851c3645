"""Times of day and dates in a column, as seconds from the first."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
DAY = 86_400.0
MOST_OTHER = 0.2  # of the cells that may be no times, in a column of times
_TIME = re.compile(r"(\d{1,3}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?\s*([ap]m)?", re.IGNORECASE)
_DATE = re.compile(r"(\d{1,4})([-/.])(\d{1,2})\2(\d{1,4})")
_ISO = re.compile(r"\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}:\d{2}(?:\.\d{1,6})?")


def seconds_from_first(cells: Sequence[str]) -> Floats | None:
    """Give a column of times as seconds from the first of them; None where it holds none.

    `12:03:04.5`, `1:05 pm`, `2026-11-28 12:03:04`, `28.11.2026 12:03`, `11/28/2026 1:05 pm`; of
    days alone, midnights. A time of day that goes back by more than half a day is one of the next
    day. Days stand before months unless a number beyond 12, or am and pm, say otherwise. NaN where
    a cell is no time.
    """
    filled = [cell for cell in cells if cell]
    if not filled or not _is_time(filled[0]):
        return None
    if all(map(_ISO.fullmatch, filled)):
        return _iso(cells)
    months_first = _months_first(filled)
    read = [_seconds(cell, months_first) for cell in cells]
    times = [one for one in read if one is not None]
    if len(times) < (1 - MOST_OTHER) * len(filled):
        return None
    has_days = any(_DATE.match(cell) for cell in filled)
    days, before, values = 0.0, None, []
    for one in read:
        if one is None:
            values.append(np.nan)
            continue
        if not has_days and before is not None and one - before < -DAY / 2:
            days += DAY
        before = one
        values.append(one + days)
    table = np.array(values, dtype=np.float64)
    first = table[np.isfinite(table)]
    return np.asarray(table - first[0]) if first.size else None


def is_date(cell: str) -> bool:
    """Tell whether a cell is a day without a time."""
    return _DATE.fullmatch(cell.strip()) is not None


def is_time_of_day(cell: str) -> bool:
    """Tell whether a cell is a time without a day."""
    return _TIME.fullmatch(cell.strip()) is not None


def _is_time(cell: str) -> bool:
    return _seconds(cell, False) is not None or _seconds(cell, True) is not None


def _iso(cells: Sequence[str]) -> Floats:
    stamps = np.array([cell.replace(" ", "T") if cell else "NaT" for cell in cells])
    ticks = stamps.astype("datetime64[us]")
    first = ticks[~np.isnat(ticks)][0]
    return np.asarray((ticks - first) / np.timedelta64(1, "s"), dtype=np.float64)


def _months_first(cells: Sequence[str]) -> bool:
    """Tell whether dates with strokes or points have the month first."""
    for cell in cells:
        match = _DATE.match(cell)
        if match is None or len(match[1]) > 2:
            continue
        first, second = int(match[1]), int(match[3])
        if first > 12 or second > 12:
            return second > 12
    return any(re.search(r"[ap]m", cell, re.IGNORECASE) for cell in cells[:20])


def _seconds(cell: str, months_first: bool) -> float | None:
    text = cell.strip().rstrip("Z")
    total = 0.0
    if match := _DATE.match(text):
        day = _day(match, months_first)
        if day is None:
            return None
        total = day * DAY
        text = text[match.end() :].lstrip("T ,")
        if not text:
            return total
    match = _TIME.fullmatch(text)
    if match is None:
        return None
    hours, minutes, seconds = int(match[1]), int(match[2]), match[3]
    if minutes > 59:
        return None
    if match[4]:
        hours = hours % 12 + (12 if match[4].lower() == "pm" else 0)
    return total + hours * 3600 + minutes * 60 + float((seconds or "0").replace(",", "."))


def _day(match: re.Match[str], months_first: bool) -> int | None:
    """Give the number of a day; None where there is no such day."""
    parts = [int(match[1]), int(match[3]), int(match[4])]
    if len(match[1]) > 2:
        year, month, day = parts
    else:
        first, second, year = parts
        day, month = (second, first) if months_first else (first, second)
        year += 2000 if year < 70 else 1900 if year < 100 else 0
    try:
        return date(year, month, day).toordinal()
    except ValueError:
        return None
