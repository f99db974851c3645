"""Formats out: each states its key, its suffix, its media type, and how tables are written."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType

from galena.core.formats import comma_separated, office_open, open_document
from galena.core.formats.sheets import Sheet


@dataclass(frozen=True)
class Format:
    """A format in which readings can be taken along.

    stream: gives a table in pieces, as they are sent. write: writes all tables into a file, one
    sheet each; a plain function of a module, for a process of its own. One of both is there.
    """

    key: str
    suffix: str
    media_type: str
    stream: Callable[[Sheet], Iterator[bytes]] | None = None
    write: Callable[[list[Sheet], str], None] | None = None


_formats: dict[str, Format] = {}
FORMATS: Mapping[str, Format] = MappingProxyType(_formats)


def register(*formats: Format) -> None:
    """Have further formats."""
    for format_out in formats:
        _formats[format_out.key] = format_out


register(
    Format("csv", ".csv", "text/csv; charset=utf-8", stream=comma_separated.write),
    Format("tsv", ".tsv", "text/tab-separated-values; charset=utf-8",
           stream=comma_separated.write_tabs),
    Format("ods", ".ods", open_document.MEDIA_TYPE, write=open_document.write),
    Format("xlsx", ".xlsx", office_open.MEDIA_TYPE, write=office_open.write),
)  # fmt: skip
