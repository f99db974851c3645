"""Tells the pages of a lesson what has happened, and keeps in memory who is where."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from galena.bench.live.bench import BENCH
from galena.classroom.models import Lesson, Person

AWAY_AFTER = 60.0  # seconds without a request and without an open page
MOST = 5000


def tell(lesson: Lesson | int, what: str, **about: object) -> None:
    """Tell all pages of a lesson: `class` for the teacher's, others for the groups' as well."""
    key = lesson if isinstance(lesson, int) else lesson.pk
    BENCH.hub.tell(f"lesson:{key}", "lesson", {"what": what} | about)


def tell_teacher(lesson: Lesson | int, what: str = "groups") -> None:
    """Tell the teacher's pages that something of the groups is new."""
    key = lesson if isinstance(lesson, int) else lesson.pk
    BENCH.hub.tell(f"class:{key}", "class", {"what": what})


def tell_group(group: Person, what: str, **about: object) -> None:
    """Tell the pages of one group."""
    BENCH.hub.tell(f"group:{group.pk}", "lesson", {"what": what} | about)


@dataclass
class Seen:
    """Where a group was last, and when, on this process's clock."""

    page: str
    at: float


class Presence:
    """Who is where: in memory only, gone with the process."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._seen: dict[int, Seen] = {}
        self._lock = threading.Lock()

    def note(self, group: int, page: str) -> bool:
        """Note a request of a group; tells whether it is at another page than before, or back."""
        now = self._now()
        with self._lock:
            before = self._seen.get(group)
            self._seen[group] = Seen(page or (before.page if before else ""), now)
            while len(self._seen) > MOST:
                self._seen.pop(next(iter(self._seen)))
        return before is None or (page != "" and before.page != page) or (
            now - before.at > AWAY_AFTER
        )  # fmt: skip

    def where(self, group: int) -> Seen | None:
        """Give where a group was last."""
        with self._lock:
            return self._seen.get(group)

    def away_for(self, group: int) -> float | None:
        """Tell for how many seconds a group has been away; None while it is here."""
        seen = self.where(group)
        if BENCH.hub.watching(f"group:{group}"):
            return None
        if seen is None:
            return float("inf")
        lasted = self._now() - seen.at
        return lasted if lasted > AWAY_AFTER else None

    def forget(self) -> None:
        """Forget everybody."""
        with self._lock:
            self._seen.clear()


PRESENCE = Presence()
