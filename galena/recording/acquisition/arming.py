"""Takes readings about an event: keeps the latest few until it comes, then those up to the end."""

import threading
from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from galena.core.calibration import Correction
from galena.core.trigger import Crossing, CrossingFinder
from galena.instruments.link import Link
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block
from galena.recording.acquisition.taking import Batch, Taking

Piece = tuple[NDArray[np.int64], Batch]  # sequence numbers, and what came with them
MARGIN = 2.0  # seconds kept beyond what is wanted, for instruments that learn of the event later


class ArmedTaking(Taking):
    """What one instrument gives about an event, from `before` seconds ahead of it on.

    The instrument whose channel is watched has a `finder`; when that finds the event `found`
    is called, in the link's thread. `open` then tells every taking where t = 0 is.
    """

    def __init__(
        self,
        link: Link,
        columns: list[int],
        corrections: list[Correction],
        rate: float,
        before: float,
        after: float,
    ) -> None:
        planned = int(np.floor(rate * (before + after) + 0.5))
        super().__init__(link, columns, corrections, planned, rate)
        self.before, self.after = before, after
        self.finder: CrossingFinder | None = None
        self.watched = 0  # which of the columns the finder gets
        self.on_event: Callable[[], None] = lambda: None
        self.crossing: Crossing | None = None
        self.latest = float("nan")
        self._kept: deque[Piece] = deque()
        self._anchor: tuple[int, int] | None = None  # a stream, and its number at the first place
        self._had_earlier = False
        self._first_place, self._last_place = 0, -1
        self._opening = threading.Lock()

    def __call__(self, link: Link, block: Block, stream: StreamStart) -> None:
        """Take a block, in the link's thread."""
        if self.complete:
            return
        with self._opening:
            if stream.number != self._stream:
                self._begin(link, stream)
            batch = Batch(0, block.stamps + self._shift_us, block.values[:, self.columns])
            if self.origin_us is not None:
                self._take(link, (block.sequence, batch))
                return
            self._kept.append((block.sequence, batch))
            self._drop_old(stream)
            is_new = self._look(batch)
        if is_new:
            self.on_event()

    def open(self, origin_us: int) -> None:
        """Set t = 0 to a time of the device's clock, and take what was kept from before."""
        with self._opening:
            self.origin_us = origin_us
            kept, self._kept = self._kept, deque()
            for piece in kept:
                self._take(self.link, piece)

    @property
    def is_placed(self) -> bool:
        return self.origin_us is not None

    def origin(self) -> int:
        return self.origin_us or 0

    def _begin(self, link: Link, stream: StreamStart) -> None:
        if self.origin_us is None:
            self._kept.clear()
            self.start = stream
            if self.finder is not None:
                self.finder.forget()
        elif self.start is not None:
            self._carry_clock_on(stream)
        self._stream = stream.number
        self._garbled_seen = link.counts.garbled

    def _look(self, batch: Batch) -> bool:
        if self.finder is None or self.crossing is not None:
            return False
        values = self.corrections[self.watched].apply(batch.values[:, self.watched])
        self.latest = float(values[-1])
        self.crossing = self.finder.feed(batch.stamps, values)
        return self.crossing is not None

    def _drop_old(self, stream: StreamStart) -> None:
        keep = (self.before + MARGIN * stream.clock.pace) * 1e6
        until = self._kept[-1][1].stamps[-1] - keep
        while len(self._kept) > 1 and self._kept[0][1].stamps[-1] < until:
            self._kept.popleft()

    def _take(self, link: Link, piece: Piece) -> None:
        sequence, batch = piece
        since = (batch.stamps - self.origin_us) / 1e6
        early = since < -self.before - 0.5 / self.rate  # nearer to a place before the plan's first
        self._had_earlier = self._had_earlier or bool(early.any())
        if early.all():
            return
        places = self._places(sequence, since, int(np.argmin(early)))
        keep = ~early & (places < self.planned)
        if keep.any():
            with self._lock:
                self._queue(Batch(self.count, batch.stamps[keep], batch.values[keep]))
        self._last_place = max(self._last_place, int(places[-1]))
        self.lost = min(self.planned, self._last_place + 1) - self._first_place - self.count
        if self._last_place >= self.planned - 1:
            self.complete = True
        self._count_garbled(link)

    def _places(
        self, sequence: NDArray[np.int64], since: NDArray[np.float64], first: int
    ) -> NDArray[np.int64]:
        """Tell the places in the plan: by time for the first of a stream, then by its numbers.

        So jitter of the clock makes no run a reading longer or shorter than another.
        """
        if self._anchor is None or self._anchor[0] != self._stream:
            place = int(np.floor((since[first] + self.before) * self.rate + 0.5))
            if self._anchor is None:
                place = 0 if self._had_earlier else max(0, place)
                self._first_place = place
            else:
                place = max(self._last_place + 1, place)
            self._anchor = (self._stream, int(sequence[first]) - place)
        return sequence - self._anchor[1]
