"""Carries events from the bench, the recorder and the Desk to everyone who watches, each encoded
once.

A watcher has a bounded queue. When it is full its whole backlog is dropped and one `gap` event
put in its place: a slow watcher never delays the recorder or another watcher.
"""

import asyncio
import contextlib
import json
from collections.abc import AsyncIterator, Awaitable, Callable

BACKLOG = 20
KEEP_ALIVE = 15.0
ASK_AGAIN = 60.0
Allowed = Callable[[], Awaitable[bool]]


class Watcher:
    """One open event stream, the topics that it wants, and the session that it was opened in."""

    def __init__(self, topics: frozenset[str], session: str = "") -> None:
        self.topics, self.session = topics, session
        self.queue: asyncio.Queue[bytes] = asyncio.Queue(BACKLOG)
        self.gaps = 0
        self.is_over = False

    def offer(self, event: bytes) -> None:
        if self.queue.full():
            self._drop_backlog()
            self.gaps += 1
            self.queue.put_nowait(encode("gap", {}))
        self.queue.put_nowait(event)

    async def next_events(self) -> bytes:
        """Wait for an event; gives it with all that has come behind it."""
        events = [await self.queue.get()]
        while not self.queue.empty():
            events.append(self.queue.get_nowait())
        return events[0] if len(events) == 1 else b"".join(events)

    def end(self, event: bytes) -> None:
        """Have the stream end with an event."""
        self._drop_backlog()
        self.is_over = True
        self.queue.put_nowait(event)

    def _drop_backlog(self) -> None:
        while not self.queue.empty():
            self.queue.get_nowait()


class Hub:
    """The watchers of this process; all but `tell` is called from the event loop's thread."""

    def __init__(self) -> None:
        self._watchers: set[Watcher] = set()
        self._loop: asyncio.AbstractEventLoop | None = None
        self._closing = False

    @property
    def count(self) -> int:
        """How many watch."""
        return len(self._watchers)

    def wanted(self, topic: str | frozenset[str]) -> bool:
        """Tell whether anyone watches a topic, or one of several."""
        topics = frozenset((topic,)) if isinstance(topic, str) else topic
        return any(topics & watcher.topics for watcher in self._watchers)

    def watching(self, topic: str) -> int:
        """Count the open streams of a topic."""
        return sum(topic in watcher.topics for watcher in self._watchers)

    def publish(self, topic: str | frozenset[str], event: str, content: object) -> None:
        """Send an event to all who watch its topic, or one of several."""
        topics = frozenset((topic,)) if isinstance(topic, str) else topic
        watchers = [watcher for watcher in self._watchers if topics & watcher.topics]
        if watchers:
            encoded = encode(event, content)
            for watcher in watchers:
                watcher.offer(encoded)

    def tell(self, topic: str | frozenset[str], event: str, content: object) -> None:
        """Send an event from any thread."""
        if self._loop is not None:
            with contextlib.suppress(RuntimeError):  # the loop has ended: nobody watches
                self._loop.call_soon_threadsafe(self.publish, topic, event, content)

    def end_session(self, session: str) -> None:
        """End the streams that were opened in a session, from any thread."""
        if self._loop is not None and session:
            with contextlib.suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._end_session, session)

    def _end_session(self, session: str) -> None:
        for watcher in self._watchers:
            if watcher.session == session:
                watcher.end(encode("signed-out", {}))

    async def stream(
        self, topics: frozenset[str], session: str = "", allowed: Allowed | None = None
    ) -> AsyncIterator[bytes]:
        """Give events as they come, and a comment now and then so that a dead line is noticed.

        allowed: asked every `ASK_AGAIN` seconds whether the session still is one.
        """
        self._loop = asyncio.get_running_loop()
        ask_at = self._loop.time() + ASK_AGAIN
        watcher = Watcher(topics, session)
        self._watchers.add(watcher)
        self._loop.call_later(KEEP_ALIVE, self._beat, watcher)
        try:
            yield encode("hello", {})
            while not (watcher.is_over or self._closing):
                if allowed is not None and self._loop.time() > ask_at:
                    ask_at = self._loop.time() + ASK_AGAIN
                    if not await allowed():
                        yield encode("signed-out", {})
                        return
                yield await watcher.next_events()
        finally:
            self._watchers.discard(watcher)

    def _beat(self, watcher: Watcher) -> None:
        """Send a comment to a watcher now and then, as long as there is the stream."""
        if watcher in self._watchers and self._loop is not None:
            watcher.offer(b": still here\n\n")
            self._loop.call_later(KEEP_ALIVE, self._beat, watcher)

    def close(self) -> None:
        """End all streams."""
        self._closing = True
        for watcher in self._watchers:
            watcher.end(encode("closing", {}))


def encode(event: str, content: object) -> bytes:
    """Write an event as text/event-stream has it."""
    data = json.dumps(content, separators=(",", ":"), ensure_ascii=False)
    return f"event: {event}\ndata: {data}\n\n".encode()
