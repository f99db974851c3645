"""Bringing a backup back: looked through as a whole first, then put in the place of what is there.

What was in the data folder before is put aside, never deleted.
"""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import sqlite3
import zipfile
import zlib
from collections.abc import Collection
from contextlib import closing
from datetime import datetime
from pathlib import Path

from galena import __version__
from galena.keeping.backups import (
    ABOUT,
    CLIPS,
    DATABASE,
    FORMAT,
    HAND_INS,
    KEY,
    PIECE,
    BackupError,
)  # fmt: skip

MOST_FILES = 1_000_000
LARGEST_ABOUT = 300_000_000  # bytes
_NAME = re.compile(
    rf"{re.escape(DATABASE)}|{KEY}|(?:{CLIPS}|{HAND_INS})(?:/[\w .()\-]+){{1,6}}", re.UNICODE
)
COMING = "restoring"  # the folder that a backup is unpacked into
_BROKEN = (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError, ValueError)


def restore(file: Path, folder: Path, known: Collection[tuple[str, str]]) -> Path | None:
    """Put a backup in the place of what a data folder holds; gives where that was put aside.

    known: the migrations (app, name) that this Galena has. Raises BackupError where the file is
    damaged, newer than this Galena, or no backup; nothing is changed then.
    """
    coming = folder / COMING
    shutil.rmtree(coming, ignore_errors=True)
    try:
        with zipfile.ZipFile(file) as archive:
            about = read_about(archive, known)
            _unpack(archive, about["files"], coming)
        _look_through(coming / DATABASE)
        aside = _put_aside(folder, _replaced(about))
        _put_in_place(coming, folder)
        return aside
    except FileNotFoundError as error:
        raise BackupError(f"There is no file {file}.") from error
    except OSError as error:
        raise BackupError(
            f"{file.name} cannot be brought back ({error.strerror or error}). "
            f"What was there before is in {folder}, at most put aside."
        ) from error
    except _BROKEN as error:
        raise _damaged(f"it cannot be unpacked: {error}") from error
    finally:
        shutil.rmtree(coming, ignore_errors=True)


def read_about(archive: zipfile.ZipFile, known: Collection[tuple[str, str]]) -> dict:
    """Read what a backup says of itself; BackupError where it is none, or newer than this."""
    try:
        entry = archive.getinfo(ABOUT)
    except KeyError:
        raise BackupError("This file is no backup of Galena: it does not say what it is.") from None
    if entry.file_size > LARGEST_ABOUT or len(archive.namelist()) > MOST_FILES:
        raise _damaged("it holds more than a backup can")
    try:
        about = json.loads(archive.read(entry))
        files, migrations = about["files"], about["migrations"]
        whole = all(
            isinstance(name, str)
            and isinstance(one["size"], int)
            and isinstance(one["sha256"], str)
            for name, one in files.items()
        )
        newer = about["format"] > FORMAT or any(tuple(one) not in known for one in migrations)
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise _damaged("what it says of itself cannot be read") from error
    if newer:
        raise BackupError(
            f"This backup was made by a newer Galena ({str(about.get('galena'))[:20]}); this is "
            f"{__version__}. Install the newer one first."
        )
    if not whole or DATABASE not in files or KEY not in files:
        raise _damaged("what it says of itself cannot be read")
    if strange := [name for name in files if not _NAME.fullmatch(name) or ".." in name]:
        raise _damaged(f"it holds a file of a strange name, “{strange[0][:60]}”")
    return about


def _unpack(archive: zipfile.ZipFile, files: dict[str, dict], coming: Path) -> None:
    needed = sum(one["size"] for one in files.values())
    coming.mkdir(mode=0o700)
    if needed > (free := shutil.disk_usage(coming).free):
        raise BackupError(
            f"Bringing it back takes {needed / 1e6:.0f} MB, and only {free / 1e6:.0f} MB are free."
        )
    present = set(archive.namelist())
    for name, told in files.items():
        if name not in present:
            raise _damaged(f"{name} is missing")
        path = coming / name
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        checksum, size = hashlib.sha256(), 0
        with archive.open(name) as source, path.open("wb") as out:
            while piece := source.read(PIECE):
                size += len(piece)
                if size > told["size"]:
                    raise _damaged(f"{name} is longer than it should be")
                checksum.update(piece)
                out.write(piece)
        if size != told["size"] or checksum.hexdigest() != told["sha256"]:
            raise _damaged(f"{name} is not as it was when it was kept")
        path.chmod(0o600)


def _look_through(database: Path) -> None:
    """Have SQLite look through a database that came; BackupError where it is not whole."""
    try:
        with closing(sqlite3.connect(database)) as opened:
            word = opened.execute("PRAGMA integrity_check(1)").fetchone()[0]
    except sqlite3.Error as error:
        raise _damaged(f"its database cannot be opened: {error}") from error
    if word != "ok":
        raise _damaged(f"its database is not whole: {word}")


def _replaced(about: dict) -> list[str]:
    """Name what a backup takes the place of, the database last; without films, they stay."""
    beside = [CLIPS, HAND_INS] if about.get("with_clips", True) else [HAND_INS]
    return [*beside, KEY, DATABASE + "-wal", DATABASE + "-shm", DATABASE]


def _put_aside(folder: Path, names: list[str]) -> Path | None:
    """Move what stands in the way into a folder of its own; None where nothing does."""
    present = [folder / name for name in names if (folder / name).exists()]
    if not present:
        return None
    aside = folder / f"before restoring {datetime.now().astimezone():%Y-%m-%d %H-%M-%S}"
    aside.mkdir(mode=0o700)
    for path in present:
        path.rename(aside / path.name)
    return aside


def _put_in_place(coming: Path, folder: Path) -> None:
    for name in (CLIPS, HAND_INS, KEY, DATABASE):
        if (coming / name).exists():
            (coming / name).rename(folder / name)


def _damaged(why: str) -> BackupError:
    return BackupError(f"This backup is damaged: {why}. Nothing was changed. Try an older one.")
