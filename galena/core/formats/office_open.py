"""A workbook as Office Open XML spreadsheet, written row by row (ISO/IEC 29500-1, part 18).

The library for this format keeps 16 digits of a number; a table of readings needs 17 to be read
back as it was, and few of its elements, so that these are written as a stream.
"""

from __future__ import annotations

import math
import zipfile
from collections.abc import Iterator
from xml.sax.saxutils import escape, quoteattr

from galena.core.formats.open_document import plain
from galena.core.formats.sheets import Sheet, names_of

MEDIA_TYPE = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
_AT_ONCE = 5000  # rows
_OPENING = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>'
_MAIN = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_LINKS = "http://schemas.openxmlformats.org/package/2006/relationships"
_OFFICE = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_TYPES = "http://schemas.openxmlformats.org/package/2006/content-types"
_PART = "application/vnd.openxmlformats-officedocument.spreadsheetml"


def write(sheets: list[Sheet], path: str) -> None:
    """Write a workbook with a sheet for each table; numbers at full precision, text as text."""
    numbers = range(1, len(sheets) + 1)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as book:
        book.writestr("[Content_Types].xml", _content_types(numbers))
        book.writestr("_rels/.rels", _links([("officeDocument", "xl/workbook.xml")]))
        book.writestr("xl/workbook.xml", _workbook(names_of(sheets)))
        pages = [("worksheet", f"worksheets/sheet{number}.xml") for number in numbers]
        book.writestr("xl/_rels/workbook.xml.rels", _links(pages))
        for number, sheet in zip(numbers, sheets, strict=True):
            page = f"xl/worksheets/sheet{number}.xml"
            with book.open(page, "w", force_zip64=True) as file:
                for piece in _worksheet(sheet):
                    file.write(piece.encode())


def _content_types(numbers: range) -> str:
    pages = "".join(
        f'<Override PartName="/xl/worksheets/sheet{number}.xml" '
        f'ContentType="{_PART}.worksheet+xml"/>'
        for number in numbers
    )
    return (
        f'{_OPENING}<Types xmlns="{_TYPES}"><Default Extension="rels" '
        'ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
        '<Default Extension="xml" ContentType="application/xml"/>'
        f'<Override PartName="/xl/workbook.xml" ContentType="{_PART}.sheet.main+xml"/>'
        f"{pages}</Types>"
    )


def _links(targets: list[tuple[str, str]]) -> str:
    links = "".join(
        f'<Relationship Id="rId{number}" Type="{_OFFICE}/{kind}" Target="{target}"/>'
        for number, (kind, target) in enumerate(targets, start=1)
    )
    return f'{_OPENING}<Relationships xmlns="{_LINKS}">{links}</Relationships>'


def _workbook(names: list[str]) -> str:
    pages = "".join(
        f'<sheet name={quoteattr(plain(name))} sheetId="{number}" r:id="rId{number}"/>'
        for number, name in enumerate(names, start=1)
    )
    spaces = f'xmlns="{_MAIN}" xmlns:r="{_OFFICE}"'
    return f"{_OPENING}<workbook {spaces}><sheets>{pages}</sheets></workbook>"


def _worksheet(sheet: Sheet) -> Iterator[str]:
    yield f'{_OPENING}<worksheet xmlns="{_MAIN}"><sheetData>'
    for number, line in enumerate(sheet.head, start=1):
        yield f'<row r="{number}">{_text("A", number, line)}</row>'
    top = len(sheet.head) + 1
    letters = [_letters(place) for place in range(len(sheet.columns))]
    headings = zip(letters, sheet.columns, strict=True)
    cells = "".join(_text(letter, top, column.heading) for letter, column in headings)
    yield f'<row r="{top}">{cells}</row>'
    for first in range(0, sheet.rows, _AT_ONCE):
        yield from _rows(sheet, letters, first, top + 1)
    yield "</sheetData></worksheet>"


def _rows(sheet: Sheet, letters: list[str], first: int, top: int) -> Iterator[str]:
    columns = [column.numbers[first : first + _AT_ONCE].tolist() for column in sheet.columns]
    count = max(map(len, columns))
    written = []
    for row in range(count):
        at = top + first + row
        cells = "".join(
            f'<c r="{letter}{at}"><v>{values[row]!r}</v></c>'
            for letter, values in zip(letters, columns, strict=True)
            if row < len(values) and math.isfinite(values[row])
        )
        written.append(f'<row r="{at}">{cells}</row>')
    yield "".join(written)


def _letters(place: int) -> str:
    """Give the letters of a column: A, B … Z, AA, AB …"""
    letters, left = "", place + 1
    while left:
        left, rest = divmod(left - 1, 26)
        letters = chr(ord("A") + rest) + letters
    return letters


def _text(letter: str, row: int, text: str) -> str:
    return (
        f'<c r="{letter}{row}" t="inlineStr"><is><t xml:space="preserve">{escape(plain(text))}'
        "</t></is></c>"
    )
