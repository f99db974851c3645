"""What is kept in memory while there is room; the longest unused is thrown away first.

Every cache of measured or worked-out data is a `Cache`: all of them are known here, so that one
call empties them.
"""

import threading
from collections import OrderedDict
from collections.abc import Hashable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import Any, Generic, TypeVar
from weakref import WeakSet

Kept = TypeVar("Kept")
CACHES: "WeakSet[Cache[Any]]" = WeakSet()
_in_passing: ContextVar[bool] = ContextVar("_in_passing", default=False)


class Cache(Generic[Kept]):
    """Things by key, so many bytes of them at most; safe to use from several threads."""

    def __init__(self, room: int) -> None:
        self.room = room
        self._lock = threading.Lock()
        self._kept: OrderedDict[Hashable, tuple[Kept, int]] = OrderedDict()
        self._states: dict[Hashable, Hashable] = {}
        self._used = 0
        CACHES.add(self)

    def __len__(self) -> int:
        return len(self._kept)

    def get(self, key: Hashable) -> Kept | None:
        """Give what is kept under a key, if anything."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key][0]

    def put(self, key: Hashable, kept: Kept, size: int, state_of: Hashable | None = None) -> None:
        """Keep a thing of so many bytes, unless it is only passed through.

        state_of: what changes all the time, of which this is the state now: its last one goes.
        """
        if _in_passing.get():
            return
        with self._lock:
            if state_of is not None:
                self._drop(self._states.get(state_of))
                self._states[state_of] = key
            self._drop(key)
            self._kept[key] = (kept, size)
            self._used += size
            while self._used > self.room and len(self._kept) > 1:
                self._drop(next(iter(self._kept)))

    def _drop(self, key: Hashable) -> None:
        _, freed = self._kept.pop(key, (None, 0))
        self._used -= freed

    def clear(self) -> None:
        """Throw everything away."""
        with self._lock:
            self._kept.clear()
            self._states.clear()
            self._used = 0


def forget() -> None:
    """Throw away all that any cache keeps in memory."""
    for cache in list(CACHES):
        cache.clear()


@contextmanager
def in_passing() -> Iterator[None]:
    """Keep nothing that is read meanwhile: all of an experiment goes by once."""
    token = _in_passing.set(True)
    try:
        yield
    finally:
        _in_passing.reset(token)
