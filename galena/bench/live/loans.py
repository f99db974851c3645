"""Which instruments a person may use: teachers the whole Bench but what is lent, a group what was
lent to it and the microphone of its own device.
"""

from __future__ import annotations

import threading
from collections.abc import Iterable, Mapping

from galena.bench.live.feed import Feed
from galena.classroom.models import Person
from galena.instruments.errors import InstrumentError


class NotLentError(InstrumentError):
    """An instrument is somebody else's for now."""


class Loans:
    """What is lent now, by the key of the instrument; told by whoever lends."""

    def __init__(self) -> None:
        self._lent: dict[int, tuple[int, str]] = {}
        self._lock = threading.Lock()

    def set(self, lent: Mapping[int, tuple[int, str]]) -> None:
        """Have these be all loans: of each instrument the key and the name of a group."""
        with self._lock:
            self._lent = dict(lent)

    def holder_of(self, feed: Feed) -> tuple[int, str] | None:
        """Give the key and the name of the group that holds an instrument."""
        if feed.group is not None:
            return feed.group, "a group"
        with self._lock:
            return self._lent.get(feed.channels[0].instrument_id) if feed.channels else None

    def in_sight_of(self, person: Person, feed: Feed) -> bool:
        """Tell whether a person's Bench shows an instrument."""
        if person.is_group:
            holder = self.holder_of(feed)
            return holder is not None and holder[0] == person.pk
        return feed.group is None

    def refuse(self, person: Person, feeds: Iterable[Feed]) -> None:
        """Raise NotLentError where a person may not use one of these instruments."""
        for feed in feeds:
            holder = self.holder_of(feed)
            if person.is_group and (holder is None or holder[0] != person.pk):
                raise NotLentError(
                    "This instrument is not lent to you. Ask your teacher to lend it."
                )
            if not person.is_group and holder is not None:
                raise NotLentError(f"This instrument is lent to {holder[1]}. Take it back first.")
