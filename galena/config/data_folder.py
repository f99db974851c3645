"""The folder in which everything is kept: where it is, that it is one's own, and used by one.

Knows no Django: settings ask here.
"""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from filelock import FileLock, Timeout
from platformdirs import user_data_path

from galena.core.errors import GalenaError


class DataFolderError(GalenaError):
    """Nothing can be kept in the data folder."""


def data_folder() -> Path:
    """Give the folder, made where it is not there; DataFolderError where it is not one's own."""
    named = os.environ.get("GALENA_DATA")
    folder = Path(named) if named else user_data_path("galena", appauthor=False)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)  # readings, names and the key are for who runs the server
        with (folder / "serving.lock").open("a"):
            pass
    except OSError as error:
        raise DataFolderError(
            f"Nothing can be kept in {folder} ({error.strerror}). It may be somebody else's, or "
            "the disk can only be read. Name a folder of your own in GALENA_DATA."
        ) from error
    return folder


@contextmanager
def held() -> Iterator[Path]:
    """Be the only one who serves, restores or migrates in the folder; else DataFolderError."""
    folder = data_folder()
    lock = FileLock(folder / "serving.lock", timeout=0)
    try:
        lock.acquire()
    except Timeout as error:
        raise DataFolderError(
            f"Another Galena is running on {folder}. End that one first, or name another folder in "
            "GALENA_DATA."
        ) from error
    try:
        yield folder
    finally:
        lock.release()
