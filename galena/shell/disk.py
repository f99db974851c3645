"""How much room is left on the disk that everything is kept on, and what that allows."""

from __future__ import annotations

import shutil
from pathlib import Path

from django.conf import settings

WARNS_AT = 1_000_000_000  # bytes left: a word on the pages
REFUSES_AT = 200_000_000  # no new run begins
STOPS_AT = 50_000_000  # a run ends with all that it has, while there is room to end it well


def free() -> int:
    """Give the bytes that are left where the database is."""
    return shutil.disk_usage(Path(settings.DATA_DIR)).free


def in_words(size: float) -> str:
    """Write a number of bytes as a person reads it: 1.2 GB, 340 MB, 56 kB."""
    for unit, amount in (("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size >= amount:
            return f"{size / amount:.3g} {unit}"
    return f"{size:.0f} B"


def warning() -> str:
    """Say that the disk is nearly full; empty where it is not."""
    left = free()
    if left > WARNS_AT:
        return ""
    told = f"The disk of this computer is nearly full: {in_words(left)} are left."
    if left > REFUSES_AT:
        return told + " Make room soon."
    return told + " No run can be recorded until there is room."


def refusal() -> str:
    """Say why no run can begin; empty where one can."""
    left = free()
    if left > REFUSES_AT:
        return ""
    return (
        f"The disk has {in_words(left)} left, and a run needs {in_words(REFUSES_AT)} to be safe. "
        "Make room on it first."
    )
