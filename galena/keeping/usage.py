"""What the disk is used by: measured, filmed, handed in, backups, and what is left."""

from __future__ import annotations

import os
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from galena.keeping.backups import CLIPS, DATABASE, FOLDER, HAND_INS

ARRIVALS = "arrivals"
PUT_ASIDE = ("before restoring ", "galena of before ")


@dataclass(frozen=True)
class Use:
    """What one kind of thing takes on the disk; size in bytes."""

    words: str
    size: int


def uses(folder: Path) -> list[Use]:
    """Tell what a data folder holds, by kind; what takes nothing is left out."""
    database = sum(_size(folder / (DATABASE + end)) for end in ("", "-wal", "-shm"))
    aside = sum(
        size_of(path) for path in folder.iterdir() if path.name.startswith(PUT_ASIDE)
    )  # fmt: skip
    listed = [
        Use("experiments, with all readings", database),
        Use("films", size_of(folder / CLIPS)),
        Use("reports that were handed in", size_of(folder / HAND_INS)),
        Use("files that were brought and wait", size_of(folder / ARRIVALS)),
        Use("backups", size_of(folder / FOLDER)),
        Use("what was put aside", aside),
    ]
    return [use for use in listed if use.size]


def size_of(path: Path) -> int:
    """Give the bytes of a file, or of all files in a folder."""
    return sum(_size(file) for file in _files(path))


def _files(path: Path) -> Iterator[Path]:
    if path.is_file():
        yield path
        return
    for folder, _, names in os.walk(path):
        for name in names:
            yield Path(folder) / name


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:  # gone meanwhile, or not there
        return 0
