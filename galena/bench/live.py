"""The bench of this computer as it is now: links to instruments and their latest readings.

One process holds one bench. Readings arrive in the links' threads; events leave from the event
loop, every `PUBLISH_EVERY` seconds.
"""

import asyncio
import base64
import contextlib
import logging
import math
import threading
from collections import deque
from collections.abc import Callable

import numpy as np
from django.db import close_old_connections, connections

from galena.bench import flows
from galena.bench.hub import Hub
from galena.bench.models import Channel
from galena.core import numbers, statistics
from galena.core.calibration import Correction
from galena.core.errors import TooFewReadings
from galena.instruments import discovery
from galena.instruments.address import Address
from galena.instruments.link import Link, StreamStart
from galena.instruments.protocol import Block

PUBLISH_EVERY = 0.048
STRIPS_EVERY = 2  # publishings: a little more than ten times a second
NOISE_OVER = 2.0  # seconds
log = logging.getLogger(__name__)


class Feed:
    """The latest readings of one link, and the channels that they belong to."""

    def __init__(self, key: int, link: Link) -> None:
        self.key, self.link = key, link
        self.channels: list[Channel] = []
        self.corrections: list[Correction] = []
        self.origin_us: int | None = None
        self._lock = threading.Lock()
        self._unsent: list[tuple[StreamStart, Block]] = []
        self._recent: deque[Block] = deque()

    def adopt(self, channels: list[Channel]) -> None:
        """Take the channels, in the instrument's order, with their zeros in force."""
        self.channels = channels
        self.corrections = [channel.correction for channel in channels]

    def add(self, block: Block, stream: StreamStart) -> None:
        """Take readings, in the link's thread."""
        with self._lock:
            self._unsent.append((stream, block))
            if self._recent and block.stamps[0] < self._recent[-1].stamps[-1]:
                self._recent.clear()  # the device began anew
            self._recent.append(block)
            since = block.stamps[-1] - NOISE_OVER * 1e6
            while self._recent[0].stamps[-1] < since:
                self._recent.popleft()

    def forget(self) -> None:
        """Drop the latest readings: the instrument is gone, or streams anew."""
        with self._lock:
            self._unsent.clear()
            self._recent.clear()

    def recent(self, column: int) -> np.ndarray:
        """Give the corrected readings of the last two seconds of a channel."""
        raw = self.recent_raw(column)
        return self.corrections[column].apply(raw) if raw.size else raw

    def recent_raw(self, column: int) -> np.ndarray:
        """Give the raw readings of the last two seconds of a channel."""
        with self._lock:
            blocks = list(self._recent)
        return np.concatenate([block.values[:, column] for block in blocks] or [np.empty(0)])

    def take_unsent(self) -> list[tuple[StreamStart, Block]]:
        with self._lock:
            unsent, self._unsent = self._unsent, []
        return unsent


class Bench:
    """All links of this process."""

    def __init__(self) -> None:
        self.hub = Hub()
        self.feeds: dict[Address, Feed] = {}
        self.found: list[discovery.Found] = []
        self.after_publishing: list[Callable[[], None]] = []
        self._stand_ins: list[str] = []
        self._lock = threading.Lock()
        self._task: asyncio.Task[None] | None = None

    def start(self, stand_ins: list[str]) -> None:
        """Connect to the stand-ins and begin to publish; called in the event loop."""
        self.hub = Hub()
        self._stand_ins = stand_ins
        self.look_again()
        for found in self.found:
            if found.simulated:
                self.connect(found.address)
        self._task = asyncio.get_running_loop().create_task(self._publish_forever())

    async def stop(self) -> None:
        """Let go of all instruments."""
        self.hub.close()
        if self._task is not None:
            self._task.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await self._task
        await asyncio.gather(*(asyncio.to_thread(feed.link.stop) for feed in self.feeds.values()))
        self.feeds.clear()

    def look_again(self) -> None:
        """List what may be an instrument on this computer now."""
        self.found = discovery.find(self._stand_ins)

    def connect(self, address: Address) -> None:
        """Begin to read the instrument at an address; nothing happens if that is so already."""
        with self._lock:
            if address in self.feeds:
                return
            link = Link(address, self._take, self._on_state)
            self.feeds[address] = Feed(len(self.feeds) + 1, link)
        link.start()

    def feed_of(self, channel_id: int) -> tuple[Feed, int] | None:
        """Find the feed and the column of a channel whose instrument is well."""
        for feed in list(self.feeds.values()):
            for column, channel in enumerate(feed.channels):
                if channel.pk == channel_id and feed.link.state.health == "well":
                    return feed, column
        return None

    def live_channels(self) -> list[Channel]:
        """List the channels that give readings now."""
        return [
            channel
            for feed in list(self.feeds.values())
            if feed.link.state.health == "well"
            for channel in feed.channels
        ]

    def refresh(self, channel_id: int) -> None:
        """Read a channel's zero in force again, after a change."""
        for feed in list(self.feeds.values()):
            if any(channel.pk == channel_id for channel in feed.channels):
                now = {one.pk: one for one in flows.channels_of(feed.channels[0].instrument_id)}
                feed.adopt([now[channel.pk] for channel in feed.channels])

    def _take(self, link: Link, block: Block, stream: StreamStart) -> None:
        feed = self.feeds.get(link.address)
        if feed is not None and feed.channels:
            feed.add(block, stream)

    def _on_state(self, link: Link) -> None:
        feed = self.feeds.get(link.address)
        if feed is None:
            return
        if link.state.health == "well" and link.identity is not None:
            close_old_connections()
            feed.adopt(flows.register(link.identity, link.channels))
            connections.close_all()
        elif link.state.health != "well":
            feed.forget()

    async def _publish_forever(self) -> None:
        turn = 0
        clock = asyncio.get_running_loop().time
        due = clock()
        while True:
            due = max(due + PUBLISH_EVERY, clock())  # in step, but never to catch up
            await asyncio.sleep(due - clock())
            turn += 1
            try:
                self._publish_readings()
                if turn % STRIPS_EVERY == 0:
                    self._publish_strips()
                for further in self.after_publishing:
                    further()
            except Exception:
                log.exception("The live feed stumbled; it goes on with the next readings.")

    def _publish_readings(self) -> None:
        wanted = self.hub.wanted("readings")
        for feed in list(self.feeds.values()):
            unsent = feed.take_unsent()
            if wanted and unsent and feed.corrections:
                self.hub.publish("readings", "readings", _batch(feed, unsent))

    def _publish_strips(self) -> None:
        if not self.hub.wanted("strips"):
            return
        strips = [
            strip(feed, column)
            for feed in list(self.feeds.values())
            for column in range(len(feed.channels))
        ]
        states = {
            str(feed.key): feed.link.state.health + feed.link.state.reason.split(" for ")[0]
            for feed in self.feeds.values()
        }
        self.hub.publish("strips", "strips", {"strips": strips, "states": states})


def _batch(feed: Feed, unsent: list[tuple[StreamStart, Block]]) -> dict:
    stamps = np.concatenate([block.stamps for _, block in unsent])
    values = np.concatenate([block.values for _, block in unsent])
    columns = [
        correction.apply(values[:, place]) for place, correction in enumerate(feed.corrections)
    ]
    return {
        "channels": [channel.pk for channel in feed.channels],
    } | packed(stamps / 1e6, columns)


def packed(t: np.ndarray, columns: list[np.ndarray]) -> dict:
    """Pack times and columns of readings for the browser's painter.

    float32 after the first time (and so good for pictures only), base64: t, then each column.
    """
    start = float(t[0]) if t.size else 0.0
    table = np.stack([t - start, *columns]).astype("<f4")
    return {
        "t0": start,
        "n": int(t.size),
        "data": base64.b64encode(table.tobytes()).decode("ascii"),
    }


def strip(feed: Feed, column: int) -> dict:
    """Say what a channel strip shows now, each number as it is to be read."""
    channel = feed.channels[column]
    recent = feed.recent(column)
    shown = {"channel": channel.pk, "text": "–", "noise": "–", "level": None}
    if recent.size == 0:
        return shown
    latest = float(recent[-1])
    raw = latest + feed.corrections[column].zero
    share = (raw - channel.minimum) / (channel.maximum - channel.minimum)
    return shown | {
        "text": numbers.fixed(latest, channel.decimals),
        "noise": _noise(recent),
        "level": round(min(1.0, max(0.0, share)), 4) if math.isfinite(share) else None,
    }


def _noise(recent: np.ndarray) -> str:
    try:
        return numbers.significant(statistics.describe(recent).sd)
    except TooFewReadings:
        return "–"


BENCH = Bench()
