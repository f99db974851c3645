"""Carries events from the bench and the recorder to everyone who watches, each encoded once.

A watcher has a bounded queue. When it is full its whole backlog is dropped and one `gap` event
put in its place: a slow watcher never delays the recorder or another watcher.
"""

import asyncio
import json
from collections.abc import AsyncIterator

BACKLOG = 20
KEEP_ALIVE = 15.0


class Watcher:
    """One open event stream and the topics that it wants."""

    def __init__(self, topics: frozenset[str]) -> None:
        self.topics = topics
        self.queue: asyncio.Queue[bytes] = asyncio.Queue(BACKLOG)
        self.gaps = 0

    def offer(self, event: bytes) -> None:
        if self.queue.full():
            while not self.queue.empty():
                self.queue.get_nowait()
            self.gaps += 1
            self.queue.put_nowait(encode("gap", {}))
        self.queue.put_nowait(event)


class Hub:
    """The watchers of this process; all calls come from the event loop's thread."""

    def __init__(self) -> None:
        self._watchers: set[Watcher] = set()
        self._closing = False

    def wanted(self, topic: str) -> bool:
        """Tell whether anyone watches a topic."""
        return any(topic in watcher.topics for watcher in self._watchers)

    def publish(self, topic: str, event: str, content: object) -> None:
        """Send an event to all who watch its topic."""
        watchers = [watcher for watcher in self._watchers if topic in watcher.topics]
        if watchers:
            encoded = encode(event, content)
            for watcher in watchers:
                watcher.offer(encoded)

    async def stream(self, topics: frozenset[str]) -> AsyncIterator[bytes]:
        """Give events as they come, and a comment now and then so that a dead line is noticed."""
        watcher = Watcher(topics)
        self._watchers.add(watcher)
        try:
            yield encode("hello", {})
            while not self._closing:
                try:
                    yield await asyncio.wait_for(watcher.queue.get(), KEEP_ALIVE)
                except TimeoutError:
                    yield b": still here\n\n"
        finally:
            self._watchers.discard(watcher)

    def close(self) -> None:
        """End all streams."""
        self._closing = True
        for watcher in self._watchers:
            watcher.offer(encode("closing", {}))


def encode(event: str, content: object) -> bytes:
    """Write an event as text/event-stream has it."""
    data = json.dumps(content, separators=(",", ":"), ensure_ascii=False)
    return f"event: {event}\ndata: {data}\n\n".encode()
