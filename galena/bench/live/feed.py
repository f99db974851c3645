"""The latest readings of one link, as they came: for strips, zeros and takes."""

import threading
import time
from collections import deque

import numpy as np
from numpy.typing import NDArray

from galena.bench.models import Channel
from galena.instruments.link import Link
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block

NOISE_OVER = 2.0  # seconds
STUCK_AFTER = 5.0  # seconds
STUCK_READINGS = 20
LEAST_READINGS = 3  # in a take


class Averaging:
    """A take in progress: the raw readings of a channel over so many seconds of its clock."""

    def __init__(self, column: int, seconds: float) -> None:
        self.column, self.seconds = column, seconds
        self.broken = ""
        self.done = threading.Event()
        self._parts: list[NDArray[np.float64]] = []
        self._count = 0
        self._since: int | None = None
        self._lasted = 0.0

    @property
    def is_going_on(self) -> bool:
        """Tell whether more readings are waited for."""
        return not self.done.is_set() and not self.broken

    @property
    def progress(self) -> float:
        """The share of its time that has gone by."""
        return 1.0 if self.done.is_set() else min(1.0, self._lasted / self.seconds)

    @property
    def readings(self) -> NDArray[np.float64]:
        """The readings so far."""
        return np.concatenate([np.empty(0), *self._parts])

    def add(self, block: Block) -> None:
        if self.done.is_set() or self.broken:
            return
        if self._since is None:
            self._since = int(block.stamps[0])
        after = (block.stamps - self._since) / 1e6
        inside = after < self.seconds
        self._lasted = float(after[-1])
        if self._count < LEAST_READINGS:  # a slow instrument: until there are some
            inside[: LEAST_READINGS - self._count] = True
        self._parts.append(block.values[inside, self.column])
        self._count += int(np.count_nonzero(inside))
        if self._lasted >= self.seconds and self._count >= LEAST_READINGS:
            self.done.set()


class Feed:
    """The latest readings of one link, and the channels that they belong to."""

    def __init__(self, key: int, link: Link, simulated: bool = False) -> None:
        self.key, self.link, self.simulated = key, link, simulated
        self.channels: list[Channel] = []
        self.claimed = False  # whether it is known to be the only one of its serial
        self.group: int | None = None  # the group whose own device it is on
        self.twin = ""  # the other instrument that claims the same serial
        self._lock = threading.Lock()
        self._unsent: list[tuple[StreamStart, Block]] = []
        self._recent: deque[Block] = deque()
        self._averagings: list[Averaging] = []
        self._last: NDArray[np.float64] | None = None
        self._changed: NDArray[np.float64] = np.empty(0)
        self._same: NDArray[np.int64] = np.empty(0, dtype=np.int64)

    @property
    def is_live(self) -> bool:
        """Tell whether its channels give readings now."""
        return self.link.state.is_live and self.claimed

    def adopt(self, channels: list[Channel]) -> None:
        """Take the channels, in the instrument's order."""
        self.channels = channels

    def add(self, block: Block, stream: StreamStart) -> None:
        """Take readings, in the link's thread."""
        keep = NOISE_OVER * 1e6 * stream.clock.pace
        with self._lock:
            self._unsent.append((stream, block))
            if self._recent and block.stamps[0] < self._recent[-1].stamps[-1]:
                self._recent.clear()  # the device began anew
            self._recent.append(block)
            since = block.stamps[-1] - keep
            while self._recent[0].stamps[-1] < since:
                self._recent.popleft()
            self._watch_changes(block)
            for averaging in self._averagings:
                averaging.add(block)
            self._averagings = [
                averaging for averaging in self._averagings if not averaging.done.is_set()
            ]

    def _watch_changes(self, block: Block) -> None:
        now = time.monotonic()
        values = block.values
        if self._last is None or self._last.shape != values[0].shape:
            self._changed = np.full(values.shape[1], now)
            self._same = np.zeros(values.shape[1], dtype=np.int64)
            self._last = values[0]
        moved = (values != self._last).any(axis=0)
        self._changed = np.where(moved, now, self._changed)
        self._same = np.where(moved, 0, self._same + len(block))
        self._last = values[-1]

    def forget(self) -> None:
        """Drop the latest readings: the instrument is gone, or streams anew."""
        with self._lock:
            self._unsent.clear()
            self._recent.clear()
            self._last = None
            for averaging in self._averagings:
                averaging.broken = f"The instrument went away: {self.link.state.reason}."
            self._averagings.clear()

    def average(self, column: int, seconds: float) -> Averaging:
        """Begin a take of a channel's raw readings."""
        averaging = Averaging(column, seconds)
        with self._lock:
            self._averagings.append(averaging)
        return averaging

    def recent(self) -> NDArray[np.float64]:
        """Give the raw readings of the last two seconds: shape (n, channels)."""
        with self._lock:
            blocks = [block.values for block in self._recent]
        empty = np.empty((0, len(self.channels)))
        return np.concatenate([empty, *blocks]) if blocks else empty

    def stuck_for(self, column: int) -> float:
        """Tell for how many seconds a channel has given the very same reading, if for long."""
        if self.link.address.kind == "browser":
            return 0.0  # silence is nothing but zeros
        with self._lock:
            if self._last is None or column >= self._same.size:
                return 0.0
            lasted = time.monotonic() - float(self._changed[column])
            enough = lasted >= STUCK_AFTER and self._same[column] >= STUCK_READINGS
        return lasted if enough else 0.0

    def take_unsent(self) -> list[tuple[StreamStart, Block]]:
        with self._lock:
            unsent, self._unsent = self._unsent, []
        return unsent
