"""The experiment as one file is written: a zip whose entries have their checksums beside them.

It is written from the first byte to the last, so that it can go into a stream. Entries have no
times, so that the same experiment gives the same bytes.
"""

import hashlib
import zipfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import IO, Any

CHECKSUMS = "checksums.sha256"
STORED, DEFLATED = zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED
_LARGE = 2_000_000_000  # bytes: beyond, an entry needs 64-bit sizes
_NO_TIME = (1980, 1, 1, 0, 0, 0)
_LEVEL = 1  # noise packs hardly better at a higher one


class Entry:
    """A file that is being written into the zip."""

    def __init__(self, file: IO[bytes], written: Callable[[int], None]) -> None:
        self._file, self._written = file, written
        self._hash, self.size = hashlib.sha256(), 0

    def write(self, data: bytes) -> None:
        """Write some bytes."""
        self._file.write(data)
        self._hash.update(data)
        self.size += len(data)
        self._written(len(data))

    @property
    def checksum(self) -> str:
        """SHA-256 of all that was written."""
        return self._hash.hexdigest()


class Packing:
    """An experiment file that is being written.

    told: what could not be written, in sentences. films: whether those come along. resources: what
    `datapackage.json` will list.
    """

    def __init__(
        self,
        file: IO[bytes],
        written: Callable[[int], None] = lambda _: None,
        *,
        films: bool = True,
    ) -> None:
        self.films = films
        self._zip = zipfile.ZipFile(file, "w", DEFLATED)
        self._written = written
        self._checksums: list[tuple[str, str]] = []
        self.told: list[str] = []
        self.resources: list[dict[str, Any]] = []

    @contextmanager
    def file(self, name: str, size: int = 0, method: int = DEFLATED) -> Iterator[Entry]:
        """Write a file of about so many bytes."""
        info = zipfile.ZipInfo(name, _NO_TIME)
        info.compress_type, info._compresslevel = method, _LEVEL  # type: ignore[attr-defined]
        info.external_attr = 0o644 << 16
        with self._zip.open(info, "w", force_zip64=size > _LARGE) as opened:
            entry = Entry(opened, self._written)
            yield entry
        self._checksums.append((entry.checksum, name))

    def put(self, name: str, data: bytes) -> None:
        """Write a file as a whole."""
        with self.file(name, len(data)) as entry:
            entry.write(data)

    def end(self) -> None:
        """Write the checksums, as `sha256sum -c` reads them, and the list of what is there."""
        lines = "".join(f"{checksum}  {name}\n" for checksum, name in self._checksums)
        self.put(CHECKSUMS, lines.encode())
        self._zip.close()


def numbered(keys: Iterable[int]) -> dict[int, int]:
    """Give each row the number that it has in the file, from 1 on, by its key."""
    return {key: number for number, key in enumerate(keys, start=1)}
