"""Work on files that may take longer than a page should: it goes on while a bar shows how far."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from django.db import connections

from galena.core.errors import GalenaError

AT_ONCE = 1.2  # s that a page waits for its work
WHILE_POLLED = 0.2  # s that the answer to a look at the bar waits
KEPT = 600.0  # s that a result is kept for
MOST = 40  # pieces of work that are remembered


@dataclass
class Work:
    """A piece of work: how far it is, 0 to 1, or None where nobody knows; then what came of it."""

    part: float | None = None
    result: Any = None
    error: GalenaError | None = None
    is_done: bool = False
    began: float = field(default_factory=time.monotonic)
    thread: threading.Thread | None = None

    @property
    def seconds(self) -> float:
        """How long it has gone on, s."""
        return time.monotonic() - self.began


_work: dict[str, Work] = {}
_lock = threading.Lock()


def of(key: str, act: Callable[[Work], Any], wait: float = AT_ONCE) -> Work:
    """Give the work of a key; it is begun where there is none, and waited for a moment."""
    with _lock:
        _forget()
        work = _work.get(key)
        if work is None:
            work = _work[key] = Work()
            _begin(work, act)
    if work.thread is not None:
        work.thread.join(wait)
    return work


def under_way(key: str, wait: float = AT_ONCE) -> Work | None:
    """Give the work of a key, if there is any, after waiting for it for a moment."""
    with _lock:
        work = _work.get(key)
    if work is not None and work.thread is not None:
        work.thread.join(wait)
    return work


def forget(prefix: str) -> None:
    """Forget all work whose key begins so."""
    with _lock:
        for key in [key for key in _work if key.startswith(prefix)]:
            del _work[key]


def _begin(work: Work, act: Callable[[Work], Any]) -> None:
    work.thread = threading.Thread(target=_in_thread, args=(work, act), daemon=True)
    work.thread.start()


def _in_thread(work: Work, act: Callable[[Work], Any]) -> None:
    try:
        _do(work, act)
    finally:
        connections.close_all()


def _do(work: Work, act: Callable[[Work], Any]) -> None:
    try:
        work.result = act(work)
    except GalenaError as error:
        work.error = error
    except Exception:  # the page must say so, whatever it was
        work.error = GalenaError("This file could not be read, for a reason that nobody foresaw.")
    finally:
        work.is_done = True


def _forget() -> None:
    old = [key for key, work in _work.items() if work.is_done and work.seconds > KEPT]
    done = [key for key, work in _work.items() if work.is_done and key not in old]
    for key in [*old, *done[: max(0, len(_work) - len(old) - MOST)]]:
        del _work[key]
