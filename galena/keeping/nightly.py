"""The backup of each night; a laptop that was off makes up for it. Knows no Django."""

from __future__ import annotations

from datetime import datetime, timedelta
from pathlib import Path

from galena.keeping import backups

NIGHTLY = "nightly"
AT_HOUR = 3


def is_due(folder: Path, now: datetime) -> bool:
    """Tell whether a night has passed since the newest nightly backup."""
    night = now.replace(hour=AT_HOUR, minute=0, second=0, microsecond=0)
    if now < night:
        night -= timedelta(days=1)
    made = [
        path.name
        for path in backups.own_backups(folder)
        if f" {NIGHTLY}" in path.name and path.name <= backups.own_name(NIGHTLY, now)
    ]  # one from the future was made while the clock was wrong
    return not made or made[0] < backups.own_name(NIGHTLY, night)


def make_nightly(folder: Path, now: datetime) -> backups.Made:
    """Make the backup of the night, and keep the seven newest.

    Films are left out: they never change, and stay in the folder for longer than these do.
    """
    target = folder / backups.FOLDER / backups.own_name(NIGHTLY, now)
    made = backups.make(folder, target, NIGHTLY, with_clips=False)
    backups.keep_some(folder, NIGHTLY)
    return made
