"""What the recorder is at, for tests that record one run at a time."""

from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Recording, RunInProgress, Stepping, Waiting


def current() -> RunInProgress | None:
    return _first(RunInProgress)


def waiting() -> Waiting | None:
    return _first(Waiting)


def stepping() -> Stepping | None:
    return _first(Stepping)


def is_free() -> bool:
    return current() is None and stepping() is None


def _first(kind: type[Recording]):
    return next((one for one in RECORDER.recordings.all() if isinstance(one, kind)), None)
