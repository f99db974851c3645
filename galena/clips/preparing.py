"""A film is made ready in a worker of its own, so that no report waits for it."""

import contextlib
import json
import threading

import numpy as np
from django.db import connections

from galena.clips import files, video
from galena.clips.models import Clip
from galena.core.errors import GalenaError
from galena.shell.worker import WorkerError, Workers

WORKERS = Workers(1)
PATIENCE, TIMES = 30.0, 4.0  # s, and so many times its duration
_LOOK = 20.0  # s in which a file tells how long it lasts
_GAP = 1.5  # usual steps between two pictures: more, and some are missing
_under_way: dict[int, threading.Thread] = {}
_lock = threading.Lock()


def begin(clip: Clip) -> None:
    """Prepare a film beside what else goes on; also one that a server left half prepared."""
    with _lock:
        thread = _under_way.get(clip.pk)
        if thread is not None and thread.is_alive():
            return
        Clip.objects.filter(pk=clip.pk).update(state=Clip.State.PREPARING, trouble="")
        clip.state = Clip.State.PREPARING
        thread = threading.Thread(target=_prepare, args=(clip.pk, clip.folder), daemon=True)
        _under_way[clip.pk] = thread
        thread.start()


def wait(clip: Clip, seconds: float) -> None:
    """Wait until a film is prepared, at most so long."""
    with _lock:  # what is just being begun has begun then
        thread = _under_way.get(clip.pk)
    if thread is not None:
        thread.join(seconds)
    clip.refresh_from_db()


def progress(clip: Clip) -> int:
    """Tell how many pictures were prepared so far."""
    with contextlib.suppress(OSError, ValueError, TypeError, IndexError):
        told = json.loads(files.file_of(clip.folder, files.PROGRESS).read_text())
        return int(told[0])
    return 0


def _prepare(key: int, folder: str) -> None:
    try:
        fields = prepared_fields(folder)
    except WorkerError as error:
        fields = {"state": Clip.State.FAILED, "trouble": f"Preparing was given up: {error}"[:300]}
    except GalenaError as error:
        fields = {"state": Clip.State.FAILED, "trouble": str(error)[:300]}
    except Exception:  # a decoder may fail in ways that nobody foresaw: the clip must say so
        fields = {"state": Clip.State.FAILED, "trouble": "This film cannot be prepared."}
    try:
        if Clip.objects.filter(pk=key).exclude(times=b"").exists():
            # It was prepared before, elsewhere: which pictures are measured stays as it was.
            fields = {
                name: value for name, value in fields.items() if name not in ("start", "stop")
            }
        Clip.objects.filter(pk=key).update(**fields)
    finally:
        with _lock:
            _under_way.pop(key, None)
        connections.close_all()


def prepared_fields(folder: str) -> dict:
    """Prepare a film in a worker; give what is kept of it. Raises GalenaError."""
    original, place = files.file_of(folder, files.ORIGINAL), files.clips_folder() / folder
    seconds = WORKERS.do(video.length_of, str(original), patience=_LOOK)
    patience = PATIENCE + TIMES * seconds
    prepared = WORKERS.do(video.prepare, str(original), str(place), patience=patience)
    steps = np.diff(prepared.times)
    usual = float(np.median(steps)) if steps.size else 0.0
    missing = np.rint(steps[steps > _GAP * usual] / usual - 1).sum() if usual else 0
    return {
        "state": Clip.State.READY,
        "trouble": "",
        "width": prepared.width,
        "height": prepared.height,
        "shown_width": prepared.shown_width,
        "shown_height": prepared.shown_height,
        "times": prepared.times.astype("<i8").tobytes(),
        "missing": int(missing),
        "left_out": prepared.left_out,
        "is_broken": prepared.broken,
        "start": 0,
        "stop": prepared.times.size - 1,
    }
