"""Rows of cells from a workbook: Office Open XML, OpenDocument, and the binary one before them."""

from __future__ import annotations

import io
import zipfile
from datetime import date, datetime, time, timedelta

import python_calamine

from galena.core.errors import TableError

ZIP, BINARY = b"PK\x03\x04", b"\xd0\xcf\x11\xe0"
MOST_UNPACKED = 700_000_000  # bytes
MOST_PARTS = 5_000
MOST_CELLS = 20_000_000
_DAY = timedelta(days=1)


def is_workbook(data: bytes) -> bool:
    """Tell whether data may be a workbook, by its first bytes."""
    return data.startswith((ZIP, BINARY))


def sheet_names(data: bytes) -> list[str]:
    """Give the names of the sheets of a workbook. Raises TableError."""
    return list(_opened(data).sheet_names)


def rows_of(data: bytes, sheet: str = "") -> list[list[str]]:
    """Give the rows of a sheet, or of the first one that has numbers, as texts of their values.

    Of formulas the values are taken, numbers with all digits and a point. Raises TableError.
    """
    book = _opened(data)
    names = book.sheet_names
    if sheet and sheet not in names:
        raise TableError(f"There is no sheet “{sheet}” in this workbook.")
    for name in [sheet] if sheet else names:
        rows = _rows(book, name)
        if sheet or _has_numbers(rows):
            return rows
    return _rows(book, names[0]) if names else []


def _opened(data: bytes) -> python_calamine.CalamineWorkbook:
    _refuse_bombs(data)
    try:
        return python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
    except Exception as error:  # its reader has an error of its own for each format
        raise TableError("This workbook cannot be read: it is damaged, or none.") from error


def _refuse_bombs(data: bytes) -> None:
    if not data.startswith(ZIP):
        return
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as zipped:
            parts = zipped.infolist()
    except (zipfile.BadZipFile, ValueError, OSError) as error:
        raise TableError("This workbook is damaged: it cannot be unpacked.") from error
    if len(parts) > MOST_PARTS or sum(part.file_size for part in parts) > MOST_UNPACKED:
        raise TableError("This workbook is too large to be unpacked. Save the sheet as CSV.")


def _rows(book: python_calamine.CalamineWorkbook, name: str) -> list[list[str]]:
    try:
        sheet = book.get_sheet_by_name(name)
        if sheet.total_height * max(1, sheet.total_width) > MOST_CELLS:
            raise TableError(f"The sheet “{name}” has too many cells. Save a part of it as CSV.")
        return [[_text(cell) for cell in row] for row in sheet.to_python()]
    except TableError:
        raise
    except Exception as error:
        raise TableError(f"The sheet “{name}” cannot be read: it is damaged.") from error


def _text(cell: object) -> str:
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, bool):
        return str(int(cell))
    if isinstance(cell, datetime):
        return cell.isoformat(sep=" ")
    if isinstance(cell, date | time):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        hours, rest = divmod(cell.total_seconds(), 3600)
        return f"{hours:.0f}:{rest // 60:02.0f}:{rest % 60:09.6f}"
    return " ".join(str(cell).split())


def _has_numbers(rows: list[list[str]]) -> bool:
    return any(any(cell[:1].isdigit() for cell in row) for row in rows[:1000])
