"""Files that are brought: each in a folder of its own until it was taken in, for a day at most."""

import shutil
import uuid
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from galena.core.errors import TableError
from galena.exchange.models import Arrival
from galena.experiments.models import Experiment
from galena.shell import pieces

LARGEST = 2_000_000_000  # bytes
MOST_WAITING = 20  # of a person
STAYS = timedelta(days=1)
_LEFT_FREE = 200_000_000  # bytes of the disk
_LONGEST_NAME = 150


def folder() -> Path:
    """Give the folder of all files that wait; it is made where there is none."""
    path = Path(settings.DATA_DIR) / "arrivals"
    path.mkdir(mode=0o700, exist_ok=True)
    return path


def file_of(arrival: Arrival, name: str = "file") -> Path:
    """Give a file of an arrival: what came, or what was made of it."""
    return folder() / arrival.folder / name


def begin(name: str, size: int, person, experiment: Experiment | None) -> Arrival:
    """Begin to take a file of so many bytes. Raises TableError where it is empty or too large."""
    sweep()
    if size <= 0:
        raise TableError("This file is empty.")
    if size > LARGEST:
        raise TableError(f"A file has at most {LARGEST // 1_000_000_000} GB.")
    if size + _LEFT_FREE > shutil.disk_usage(folder()).free:
        raise TableError("The disk has no room for this file. Make room first.")
    waiting = Arrival.objects.filter(person=person)
    for oldest in list(waiting)[: max(0, waiting.count() + 1 - MOST_WAITING)]:
        drop(oldest)
    shown = " ".join("".join(one for one in name if one.isprintable()).split())
    place = uuid.uuid4().hex
    (folder() / place).mkdir(mode=0o700)
    return Arrival.objects.create(
        person=person, experiment=experiment, name=shown[-_LONGEST_NAME:] or "file",
        folder=place, size=size,
    )  # fmt: skip


def add(arrival: Arrival, at: int, piece: pieces.Readable) -> int:
    """Keep a piece that begins at a byte; gives how many have come. Raises PieceError."""
    beyond = "More came than was announced. Send the file anew."
    return pieces.append(file_of(arrival), at, piece, arrival.size, beyond)


def is_here(arrival: Arrival) -> bool:
    """Tell whether all of a file has come."""
    return pieces.come(file_of(arrival)) == arrival.size


def drop(arrival: Arrival) -> None:
    """Take a file away, with all that was made of it."""
    shutil.rmtree(folder() / arrival.folder, ignore_errors=True)
    arrival.delete()


def sweep() -> None:
    """Take away what waited too long, and folders that nobody knows."""
    for arrival in Arrival.objects.filter(came_at__lt=timezone.now() - STAYS):
        drop(arrival)
    named = set(Arrival.objects.values_list("folder", flat=True))
    for path in folder().iterdir():
        if path.name not in named and _is_old(path):
            shutil.rmtree(path, ignore_errors=True)


def _is_old(path: Path) -> bool:
    try:
        return timezone.now().timestamp() - path.stat().st_mtime > STAYS.total_seconds()
    except OSError:
        return False
