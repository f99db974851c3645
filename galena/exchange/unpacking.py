"""An experiment file is opened: what it may hold, and that it is whole, is checked first."""

import hashlib
import json
import lzma
import re
import shutil
import struct
import zipfile
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, Any

from galena.core.errors import GalenaError
from galena.exchange.errors import PackageError
from galena.exchange.packing import CHECKSUMS

MOST_ENTRIES = 20_000
MOST_UNPACKED = 8_000_000_000  # bytes, all together
LONGEST_NAME = 200
LARGEST_JSON = 256_000_000  # bytes
TIGHTEST = 100  # times that text may be packed; more, and it was made to burst
_BURSTS_FROM = 100_000_000  # bytes
_LEFT_FREE = 200_000_000  # bytes of the disk
_PIECE = 1_000_000
_END, _END_SIZE = b"PK\x05\x06", 22
_NAME = re.compile(r"[a-z0-9][a-z0-9._-]*(/[a-z0-9][a-z0-9._-]*)*", re.ASCII)
_CHECKSUM = re.compile(r"([0-9a-f]{64})  (.+)", re.ASCII)
_DAMAGED = "This file is damaged"
_UNREADABLE = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, EOFError, NotImplementedError,
    OSError,
)  # fmt: skip


class Unpacking:
    """An experiment file that is read. Raises PackageError for what is none.

    file: opened for reading. folder: where its content will lie, which must have room for it.
    undo: what takes away files that were made of it, where it cannot be taken in after all.
    """

    def __init__(self, file: IO[bytes], folder: Path | None = None) -> None:
        self.undo: list[Callable[[], None]] = []
        _refuse_many(file)
        try:
            self._zip = zipfile.ZipFile(file)
            infos = self._zip.infolist()
        except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as error:
            raise PackageError(
                f"{_DAMAGED}, or no experiment file: it cannot be opened."
            ) from error
        self._entries = {info.filename: info for info in infos}
        if len(self._entries) != len(infos):
            raise PackageError(f"{_DAMAGED}: a name stands in it twice.")
        for info in infos:
            _refuse_odd(info)
        unpacked = sum(info.file_size for info in infos)
        if unpacked > MOST_UNPACKED:
            raise PackageError("This file holds more than Galena takes at once.")
        if folder is not None and unpacked + _LEFT_FREE > shutil.disk_usage(folder).free:
            raise PackageError("The disk has no room for what this file holds. Make room first.")
        if "galena.json" not in self._entries:
            raise PackageError("This is no experiment file: it has no galena.json.")

    @property
    def names(self) -> list[str]:
        """The names of all files in it."""
        return list(self._entries)

    def check(self, looked_at: Callable[[float], None] = lambda _: None) -> None:
        """Have each file be what its checksum says. Raises PackageError.

        looked_at: is told which part of all was looked at, 0 to 1.
        """
        checksums = self._checksums()
        if missing := [name for name in checksums if name not in self._entries]:
            raise PackageError(f"{_DAMAGED}: {missing[0]} is missing.")
        if odd := [name for name in self._entries if name not in checksums and name != CHECKSUMS]:
            raise PackageError(f"{_DAMAGED}: {odd[0]} does not belong to it.")
        total, done = sum(info.file_size for info in self._entries.values()) or 1, 0
        for name, checksum in checksums.items():
            hashed = hashlib.sha256()
            with self.file(name) as file:
                while piece := file.read(_PIECE):
                    hashed.update(piece)
                    done += len(piece)
                    looked_at(done / total)
            if hashed.hexdigest() != checksum:
                raise PackageError(f"{_DAMAGED}: {name} was changed since it was written.")

    @contextmanager
    def file(self, name: str) -> Iterator[IO[bytes]]:
        """Read a file of it. Raises PackageError."""
        if name not in self._entries:
            raise PackageError(f"{_DAMAGED}: {name} is missing.")
        with self._open(name) as file:
            try:
                yield file
            except _UNREADABLE as error:
                raise PackageError(f"{_DAMAGED}: {name} cannot be unpacked.") from error

    def _open(self, name: str) -> IO[bytes]:
        try:
            return self._zip.open(self._entries[name])
        except (*_UNREADABLE, ValueError, OverflowError) as error:  # its place is none in the file
            raise PackageError(f"{_DAMAGED}: {name} cannot be unpacked.") from error

    def text(self, name: str, most: int = LARGEST_JSON) -> str:
        """Read a text. Raises PackageError."""
        with self.file(name) as file:
            data = file.read(most + 1)
        if len(data) > most:
            raise PackageError(f"{name} is too large.")
        try:
            return data.decode()
        except UnicodeDecodeError as error:
            raise PackageError(f"{_DAMAGED}: {name} is no text.") from error

    def json(self, name: str) -> Any:
        """Read JSON. Raises PackageError."""
        try:
            return json.loads(self.text(name), parse_constant=_refuse)
        except (ValueError, RecursionError) as error:
            if isinstance(error, GalenaError):
                raise
            raise PackageError(f"{_DAMAGED}: {name} is no JSON.") from error

    def _checksums(self) -> dict[str, str]:
        checksums = {}
        for line in self.text(CHECKSUMS).splitlines():
            matched = _CHECKSUM.fullmatch(line)
            if matched is None:
                raise PackageError(f"{_DAMAGED}: its checksums cannot be read.")
            checksums[matched[2]] = matched[1]
        return checksums


def _refuse(constant: str) -> None:
    raise ValueError(f"{constant} is no number")


def _refuse_many(file: IO[bytes]) -> None:
    """Raise PackageError where the end of a zip announces too many entries, before all are read."""
    size = file.seek(0, 2)
    file.seek(max(0, size - 65_557))
    end = file.read()
    at = end.rfind(_END)
    file.seek(0)
    if at < 0 or len(end) - at < _END_SIZE:
        raise PackageError("This is no experiment file, or it broke off on its way.")
    entries, listed = struct.unpack("<HI", end[at + 10 : at + 16])
    if entries == 0xFFFF or listed > 200 * MOST_ENTRIES or entries > MOST_ENTRIES:
        raise PackageError("This file holds more files than an experiment has.")


def _refuse_odd(info: zipfile.ZipInfo) -> None:
    """Raise PackageError for an entry that no experiment file has."""
    name = info.filename
    if len(name) > LONGEST_NAME or not _NAME.fullmatch(name) or ".." in name:
        raise PackageError(f"This is no experiment file: “{name[:60]}” is a name that none has.")
    if info.flag_bits & 1:
        raise PackageError("This file is locked with a password. Unlock it first.")
    is_text = not name.endswith(".npy")
    if is_text and info.file_size > max(_BURSTS_FROM, TIGHTEST * info.compress_size):
        raise PackageError(f"{name} would burst when it is unpacked. It was not read.")
