"""A workbook as OpenDocument spreadsheet, written row by row (OASIS OpenDocument 1.3, part 3).

The library for this format builds all of a document in memory, 3.5 s for 20,000 rows of two
columns; a table of numbers needs few of its elements, so that these are written as a stream.
"""

from __future__ import annotations

import math
import re
import zipfile
from collections.abc import Iterator
from itertools import zip_longest
from xml.sax.saxutils import escape, quoteattr

from galena.core.formats.sheets import Sheet, names_of

MEDIA_TYPE = "application/vnd.oasis.opendocument.spreadsheet"
_AT_ONCE = 5000  # rows
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")
_SPACES = " ".join(
    f'xmlns:{name}="urn:oasis:names:tc:opendocument:xmlns:{path}:1.0"'
    for name, path in (("office", "office"), ("table", "table"), ("text", "text"))
)
_OPENING = (
    '<?xml version="1.0" encoding="UTF-8"?>'
    f'<office:document-content {_SPACES} office:version="1.3">'
    "<office:body><office:spreadsheet>"
)
_CLOSING = "</office:spreadsheet></office:body></office:document-content>"
_MANIFEST = (
    '<?xml version="1.0" encoding="UTF-8"?><manifest:manifest '
    'xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3">'
    f'<manifest:file-entry manifest:full-path="/" manifest:media-type="{MEDIA_TYPE}"/>'
    '<manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/>'
    "</manifest:manifest>"
)
_EMPTY = "<table:table-cell/>"


def write(sheets: list[Sheet], path: str) -> None:
    """Write a workbook with a sheet for each table; numbers at full precision, text as text."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as book:
        book.writestr(zipfile.ZipInfo("mimetype"), MEDIA_TYPE, zipfile.ZIP_STORED)
        with book.open("content.xml", "w", force_zip64=True) as content:
            content.write(_OPENING.encode())
            for name, sheet in zip(names_of(sheets), sheets, strict=True):
                for piece in _table(name, sheet):
                    content.write(piece.encode())
            content.write(_CLOSING.encode())
        book.writestr("META-INF/manifest.xml", _MANIFEST)


def _table(name: str, sheet: Sheet) -> Iterator[str]:
    width = max(len(sheet.columns), 1)
    yield f"<table:table table:name={quoteattr(plain(name))}>"
    yield f'<table:table-column table:number-columns-repeated="{width}"/>'
    for line in sheet.head:
        yield f"<table:table-row>{_text(line)}</table:table-row>"
    headings = "".join(_text(column.heading) for column in sheet.columns)
    yield f"<table:table-row>{headings}</table:table-row>"
    for first in range(0, sheet.rows, _AT_ONCE):
        columns = [
            [_number(value) for value in column.numbers[first : first + _AT_ONCE].tolist()]
            for column in sheet.columns
        ]
        rows = zip_longest(*columns, fillvalue=_EMPTY)
        yield "".join(f"<table:table-row>{''.join(row)}</table:table-row>" for row in rows)
    yield "</table:table>"


def _number(value: float) -> str:
    if not math.isfinite(value):
        return _EMPTY
    return f'<table:table-cell office:value-type="float" office:value="{value!r}"/>'


def _text(text: str) -> str:
    return (
        '<table:table-cell office:value-type="string">'
        f"<text:p>{escape(plain(text))}</text:p></table:table-cell>"
    )


def plain(text: str) -> str:
    """Give a text without what XML cannot hold."""
    return _NO_XML.sub("", text)
