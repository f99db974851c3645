"""Formats out: each states its key, its suffix, its media type, and how columns are written."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

from galena.core.formats import comma_separated
from galena.core.formats.comma_separated import Column


@dataclass(frozen=True)
class Format:
    """A format in which a run can be taken along.

    write: takes head lines and columns, gives the file; a plain function of a module, so that it
    can run in a process of its own.
    """

    key: str
    suffix: str
    media_type: str
    write: Callable[[Sequence[str], Sequence[Column]], bytes]


_formats: dict[str, Format] = {}
FORMATS: Mapping[str, Format] = MappingProxyType(_formats)


def register(*formats: Format) -> None:
    """Have further formats."""
    for format_out in formats:
        _formats[format_out.key] = format_out


register(Format("csv", ".csv", "text/csv; charset=utf-8", comma_separated.write))
