"""How tables leave: in pieces as they are written, or from a file that a worker has made."""

import tempfile
import zipfile
from collections.abc import AsyncIterator, Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from asgiref.sync import sync_to_async
from django.http import HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils.http import content_disposition_header

from galena.core.errors import TableError
from galena.core.formats.comma_separated import file_name
from galena.core.formats.sheets import Sheet
from galena.core.numbers import grouped
from galena.exchange.formats import Format
from galena.exchange.working import Work
from galena.shell.worker import WORKERS

SHORT = 20_000  # rows that are sent at once
MOST_IN_A_BOOK = 500_000  # rows of a workbook
MOST = 5_000_000  # rows of all runs together
PATIENCE = 150.0  # s that a workbook may take
ZIP, ZIP_SUFFIX = "application/zip", ".zip"
_PIECE = 256_000  # bytes


@dataclass(frozen=True)
class Made:
    """A file that was made for sending, in a folder that goes with it."""

    path: Path
    folder: tempfile.TemporaryDirectory
    name: str
    media_type: str

    def response(self) -> HttpResponseBase:
        """Send it; then it is taken away."""
        return _named(_of_file(self.path, self.folder.cleanup), self.name, self.media_type)


def streamed(format_out: Format, sheet: Sheet, name: str) -> HttpResponseBase:
    """Send a table while it is written, in a format that can be."""
    assert format_out.stream is not None
    pieces = format_out.stream(sheet)
    if sheet.rows <= SHORT:
        response: HttpResponseBase = HttpResponse(b"".join(pieces))
    else:
        response = StreamingHttpResponse(_as_they_come(pieces))
    return _named(response, name + format_out.suffix, format_out.media_type)


def refuse_long(format_out: Format, sheets: list[Sheet]) -> None:
    """Raise TableError where tables are too long for one file."""
    rows = sum(sheet.rows for sheet in sheets)
    most = MOST if format_out.write is None else MOST_IN_A_BOOK
    if rows > most:
        raise TableError(
            f"These are {grouped(rows)} rows; a workbook takes {grouped(most)}. Take CSV instead."
            if format_out.write
            else f"These are {grouped(rows)} rows; at most {grouped(most)} leave at once. Take "
            "the runs one by one."
        )


def make(
    format_out: Format, sheets: list[Sheet], names: list[str], name: str, work: Work
) -> Made:  # fmt: skip
    """Make one file of tables, a workbook or a zip with a file for each. Raises WorkerError."""
    folder = tempfile.TemporaryDirectory()
    path = Path(folder.name) / "tables"
    try:
        if format_out.write is not None:
            WORKERS.do(format_out.write, sheets, str(path), patience=PATIENCE)
            return Made(path, folder, name + format_out.suffix, format_out.media_type)
        files = [one + format_out.suffix for one in names]
        WORKERS.do(write_zip, format_out.stream, sheets, files, str(path), patience=PATIENCE)
        return Made(path, folder, name + ZIP_SUFFIX, ZIP)
    except BaseException:
        folder.cleanup()
        raise


def write_zip(
    stream: Callable[[Sheet], Iterator[bytes]], sheets: list[Sheet], names: list[str], path: str
) -> None:
    """Write tables into a zip, a file each. A plain function, for a process of its own."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as zipped:
        for sheet, name in zip(sheets, names, strict=True):
            with zipped.open(name, "w", force_zip64=True) as file:
                for piece in stream(sheet):
                    file.write(piece)


def names_of(title: str, labels: list[tuple[int, str]]) -> list[str]:
    """Name the files of runs by experiment, run and conditions; numbers keep them apart."""
    return [file_name(title, f"run {number}", label) for number, label in labels]


def _of_file(path: Path, then: Callable[[], None]) -> HttpResponseBase:
    """Send a file that is there for this moment only; then it is taken away."""
    if path.stat().st_size <= _PIECE:
        written = path.read_bytes()
        then()
        return HttpResponse(written)
    file = path.open("rb")

    def close() -> None:
        file.close()
        then()

    pieces = iter(lambda: file.read(_PIECE), b"")
    return StreamingHttpResponse(_as_they_come(pieces, close))


def _named(response: HttpResponseBase, name: str, media_type: str) -> HttpResponseBase:
    response.headers["Content-Type"] = media_type
    response.headers["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


async def _as_they_come(
    pieces: Iterator[bytes], then: Callable[[], None] = lambda: None
) -> AsyncIterator[bytes]:
    """Give pieces without holding up what else the server does while one is made."""

    def following() -> bytes:
        return next(pieces, b"")

    try:
        while piece := await sync_to_async(following, thread_sensitive=False)():
            yield piece
    finally:
        then()
