"""Where the files of clips lie: a folder each, under a name that nobody chose."""

import shutil
import uuid
from pathlib import Path

from django.conf import settings

ORIGINAL, WORKING, POSTER, PROGRESS = "original", "working.mp4", "poster.jpg", "progress.json"


def clips_folder() -> Path:
    """Give the folder of all clips; it is made where there is none."""
    folder = Path(settings.DATA_DIR) / "clips"
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder


def new_folder() -> str:
    """Make a folder for a clip and give its name."""
    name = uuid.uuid4().hex
    (clips_folder() / name).mkdir(mode=0o700)
    return name


def file_of(folder: str, name: str) -> Path:
    """Give a file of a clip."""
    return clips_folder() / folder / name


def remove(folder: str) -> None:
    """Remove all files of a clip."""
    shutil.rmtree(clips_folder() / folder, ignore_errors=True)
