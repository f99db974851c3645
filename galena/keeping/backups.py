"""A backup: everything in the data folder as one zip file, made while runs are being recorded.

Inside: `galena.sqlite3` (a snapshot by SQLite's online backup), `secret_key`, what was handed in,
the clips, and last `backup.json`, which says when and by which version it was made, which
migrations it has seen, and the size and SHA-256 checksum of each file.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import sqlite3
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from galena import __version__
from galena.core.errors import GalenaError

DATABASE, KEY, CLIPS, HAND_INS, ABOUT = (
    "galena.sqlite3", "secret_key", "clips", "hand-ins", "backup.json",
)  # fmt: skip
FORMAT = 1
ENDING = ".galena-backup.zip"
FOLDER = "backups"
NIGHTLY_KEPT = 7
PIECE = 1 << 20
_LEFT_FREE = 100_000_000  # bytes of the disk: recording goes on meanwhile


class BackupError(GalenaError):
    """A backup cannot be made, or cannot be brought back."""


@dataclass(frozen=True)
class Made:
    """A backup that was made: where, how many files it holds, and its size in bytes."""

    path: Path
    files: int
    size: int


def make(folder: Path, target: Path, why: str, *, with_clips: bool = True) -> Made:
    """Write all that a data folder holds into a file; BackupError where that cannot be done.

    with_clips: whether films go into it as well; without them it is small, and serves while the
    films are still in the folder. An unfinished file never stands under the target's name.
    """
    if not (folder / DATABASE).exists():
        raise BackupError(f"There is no database in {folder} yet, so there is nothing to keep.")
    needed = _size_of(folder, with_clips) + _LEFT_FREE
    part = target.with_name(target.name + ".part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if needed > (free := shutil.disk_usage(target.parent).free):
            raise BackupError(
                f"A backup may take {needed / 1e6:.0f} MB, and only {free / 1e6:.0f} MB are free "
                f"beside {target}. Make room, or name another disk."
            )
        count = _write(folder, part, why, with_clips)
        part.replace(target)
        _sync(target.parent)
    except OSError as error:
        raise BackupError(f"{target} cannot be written ({error.strerror}).") from error
    except sqlite3.Error as error:
        raise BackupError(f"The database cannot be read ({error}). Say: galena check") from error
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)
    return Made(target, count, target.stat().st_size)


def _write(folder: Path, part: Path, why: str, with_clips: bool) -> int:
    files: dict[str, dict[str, object]] = {}
    opened = os.open(part, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)  # it holds names and a key
    with (
        os.fdopen(opened, "wb") as out,
        tempfile.TemporaryDirectory(dir=part.parent, prefix=".snapshot-") as own,
    ):
        snapshot = Path(own) / DATABASE
        migrations = take_snapshot(folder / DATABASE, snapshot)
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
            listed = [(DATABASE, snapshot), *_beside(folder, with_clips)]
            for name, path in listed:
                with suppress(FileNotFoundError):  # removed meanwhile: the snapshot knows it still
                    files[name] = _add(archive, name, path)
            about = {
                "format": FORMAT, "galena": __version__, "why": why, "with_clips": with_clips,
                "made_at": datetime.now().astimezone().isoformat(timespec="seconds"),
                "migrations": migrations, "files": files,
            }  # fmt: skip
            archive.writestr(ABOUT, json.dumps(about, indent=1))
        out.flush()
        os.fsync(out.fileno())
    return len(files)


def take_snapshot(database: Path, target: Path) -> list[list[str]]:
    """Copy a database as it is at one moment, whoever writes; gives the migrations it has seen."""
    with (
        closing(sqlite3.connect(f"{database.absolute().as_uri()}?mode=ro", uri=True)) as source,
        closing(sqlite3.connect(target)) as copy,
    ):
        source.backup(copy)  # in one step: a writer in between would have it begin again
        copy.execute("PRAGMA journal_mode=DELETE")
        with suppress(sqlite3.OperationalError):  # not migrated yet
            return [list(row) for row in copy.execute(
                "SELECT app, name FROM django_migrations ORDER BY id"
            )]  # fmt: skip
    return []


def _beside(folder: Path, with_clips: bool) -> Iterator[tuple[str, Path]]:
    """List what is kept beside the database, by its name in the backup."""
    yield KEY, folder / KEY
    for name in (HAND_INS, CLIPS) if with_clips else (HAND_INS,):
        for path in sorted((folder / name).rglob("*")):
            if path.is_file() and not path.is_symlink():
                yield path.relative_to(folder).as_posix(), path


def _add(archive: zipfile.ZipFile, name: str, path: Path) -> dict[str, object]:
    """Put a file into a backup as it is now; gives its size and checksum."""
    entry = zipfile.ZipInfo(name, datetime.now().timetuple()[:6])
    # Films are compressed already.
    entry.compress_type = zipfile.ZIP_STORED if name.startswith(CLIPS) else zipfile.ZIP_DEFLATED
    checksum, size = hashlib.sha256(), 0
    with path.open("rb") as source, archive.open(entry, "w", force_zip64=True) as out:
        while piece := source.read(PIECE):
            checksum.update(piece)
            size += len(piece)
            out.write(piece)
    return {"size": size, "sha256": checksum.hexdigest()}


def _size_of(folder: Path, with_clips: bool) -> int:
    """Give the most bytes that a backup and its snapshot can take at once."""
    database = (folder / DATABASE).stat().st_size
    sizes = []
    for _, path in _beside(folder, with_clips):
        with suppress(OSError):
            sizes.append(path.stat().st_size)
    return 2 * database + sum(sizes)


def _sync(folder: Path) -> None:
    """Have the disk know a new name; systems that cannot do so for a folder do it themselves."""
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def own_name(why: str, now: datetime) -> str:
    """Give the name of a backup that Galena makes by itself; they sort by time."""
    return f"{now:%Y-%m-%d %H-%M-%S} {why}{ENDING}"


def own_backups(folder: Path) -> list[Path]:
    """List the backups that Galena made by itself, the newest first."""
    return sorted((folder / FOLDER).glob(f"*{ENDING}"), key=lambda path: path.name, reverse=True)


def keep_some(folder: Path, why: str, most: int = NIGHTLY_KEPT) -> None:
    """Remove the oldest of a kind beyond so many."""
    kind = [path for path in own_backups(folder) if path.name.endswith(f" {why}{ENDING}")]
    for path in kind[most:]:
        path.unlink(missing_ok=True)
