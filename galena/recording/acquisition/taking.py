"""Takes a run's readings from one instrument's link and hands them on in order.

No database here: readings wait in memory until the writer takes them for the disk and the feed
takes them for the browsers, each at its own pace.
"""

import math
import threading
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.calibration import Correction
from galena.core.plans import MOST_READINGS
from galena.instruments.clock import ClockEstimate
from galena.instruments.link import Link
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block


@dataclass(frozen=True)
class Batch:
    """Consecutive readings of a stream from index `first` on; values: shape (n, series).

    times: for each series over how many readings those before followed each other, if it is known.
    """

    first: int
    stamps: NDArray[np.int64]
    values: NDArray[np.float64]
    times: tuple[float, ...] = ()

    def __len__(self) -> int:
        return int(self.stamps.size)


class Taking:
    """What one instrument gives to the run, of some of its columns; queues to disk and browsers.

    `planned` is the most readings that it gives, `origin_us` the device's clock at the run's
    t = 0. When the instrument comes back after a loss its sequence numbers begin at 0 again;
    then they are carried on from the time stamps, and from this computer's clock if the
    device's began anew.
    """

    def __init__(
        self,
        link: Link,
        columns: list[int],
        corrections: list[Correction],
        planned: int,
        rate: float,
    ) -> None:
        self.link, self.columns, self.corrections = link, columns, corrections
        self.planned, self.rate = planned, rate
        self.aligned_to: Taking | None = None
        self.origin_us: int | None = None
        self.start: StreamStart | None = None
        self.lost = 0
        self.garbled = 0
        self.count = 0
        self.complete = False
        self._stream = 0
        self._shift_us = 0
        self._garbled_seen = 0
        self._lock = threading.Lock()
        self._for_disk: list[Batch] = []
        self._for_feed: list[Batch] = []

    def __call__(self, link: Link, block: Block, stream: StreamStart) -> None:
        """Take a block, in the link's thread."""
        raise NotImplementedError

    @property
    def is_placed(self) -> bool:
        """Tell whether the run's t = 0 is known."""
        return self.aligned_to is None or self.aligned_to.origin_us is not None

    def origin(self) -> int:
        """Give the device's clock, in µs, at the run's t = 0.

        Another instrument's clock is put beside the first one's by way of this computer's.
        """
        if self.start is None:
            return self.origin_us or 0
        return self._beside_first(self.start.clock, lambda taking: taking.start.clock)[0]

    def settled_origin(self) -> tuple[int, float]:
        """Give the device's clock at t = 0, and the run's seconds in one of its own.

        At the end of a run more round trips are known, and the clocks' drifts with them; unless
        a device came back in between, with another clock perhaps.
        """
        first = self.aligned_to
        whole = all(
            taking.start is not None and taking.start.number == taking.link.stream.number
            for taking in (self, first or self)
        )
        if not whole:
            return self.origin(), 1.0
        return self._beside_first(self.link.clock.estimate(), lambda one: one.link.clock.estimate())

    def take_for_disk(self) -> Batch | None:
        """Give what is not yet on the disk, as one batch."""
        with self._lock:
            joined = _joined(self._for_disk)  # where there is no memory for it nothing is taken
            self._for_disk = []
        return joined

    def put_back(self, batch: Batch) -> None:
        """Take back what could not be written, to be tried again first."""
        with self._lock:
            self._for_disk.insert(0, batch)

    def take_for_feed(self) -> Batch | None:
        """Give what the browsers have not seen, as one batch."""
        with self._lock:
            waiting, self._for_feed = self._for_feed, []
        return _joined(waiting)

    def _queue(self, batch: Batch) -> None:
        self._for_disk.append(batch)
        self._for_feed.append(batch)
        self.count += len(batch)

    def _stamps_of(self, link: Link, block: Block, stream: StreamStart) -> NDArray[np.int64]:
        """Give a block's time stamps on the clock of the run; a new stream is begun first."""
        if stream.number != self._stream:
            self._begin_stream(block, stream)
            self._stream = stream.number
            self._garbled_seen = link.counts.garbled
        return block.stamps + self._shift_us

    def _begin_stream(self, block: Block, stream: StreamStart) -> None:
        """Put a new stream where it belongs in the run."""
        raise NotImplementedError

    def _count_garbled(self, link: Link) -> None:
        self.garbled += link.counts.garbled - self._garbled_seen
        self._garbled_seen = link.counts.garbled

    def _beside_first(
        self, own: ClockEstimate, clock_of: Callable[["Taking"], ClockEstimate]
    ) -> tuple[int, float]:
        first = self.aligned_to
        if first is None or first.start is None or first.origin_us is None:
            return self.origin_us or 0, 1.0
        clock = clock_of(first)
        return round(own.device_at(clock.host_at(first.origin_us))), clock.rate / own.rate

    def _carry_clock_on(self, stream: StreamStart) -> None:
        """After a loss: if the device's clock began anew, put its stamps where they belong."""
        expected = self.start.clock.device_at(stream.clock.host_us)
        clock_moved = expected - stream.clock.device_us
        if abs(clock_moved) > 1e6 * stream.clock.pace:
            self._shift_us = round(clock_moved)


class SteadyTaking(Taking):
    """At most `planned` readings from the first one on, which is the first instrument's t = 0.

    A reading's place in the plan is its sequence number, so that lost lines count as time gone by.
    """

    _skipped = 0

    def __call__(self, link: Link, block: Block, stream: StreamStart) -> None:
        """Take a block, in the link's thread."""
        if self.complete:
            return
        stamps = self._stamps_of(link, block, stream)
        places = block.sequence + self._skipped
        keep = places < self.planned
        if keep.any():
            with self._lock:
                values = block.values[keep][:, self.columns]
                self._queue(Batch(self.count, stamps[keep], values))
        self.lost = min(self.planned, int(places[-1]) + 1) - self.count
        self._count_garbled(link)
        if places[-1] >= self.planned - 1:
            self.complete = True

    def _begin_stream(self, block: Block, stream: StreamStart) -> None:
        if self.start is None or self.origin_us is None:
            self.start = stream
            self.origin_us = int(block.stamps[0]) - round(int(block.sequence[0]) / self.rate * 1e6)
        else:
            self._carry_clock_on(stream)
            since = (int(block.stamps[0]) + self._shift_us - self.origin_us) / 1e6
            self._skipped = max(0, round(since * self.rate)) - int(block.sequence[0])


class OwnPaceTaking(Taking):
    """What comes within so many seconds from an instrument that cannot be told a rate.

    duration: in s, from its first reading on; without one it goes on until it is stopped. `rate`
    is the one at which it has given readings so far.
    """

    _skipped = 0

    def __init__(
        self, link: Link, columns: list[int], corrections: list[Correction], rate: float,
        duration: float | None,
    ) -> None:  # fmt: skip
        planned = MOST_READINGS if duration is None else math.ceil(rate * duration)
        super().__init__(link, columns, corrections, planned, rate)
        self.duration = math.inf if duration is None else duration

    def __call__(self, link: Link, block: Block, stream: StreamStart) -> None:
        """Take a block, in the link's thread."""
        if self.complete:
            return
        stamps = self._stamps_of(link, block, stream)
        since = (stamps - (self.origin_us or 0)) / 1e6
        keep = (since < self.duration) & (
            self.count + np.arange(1, len(block) + 1) <= MOST_READINGS
        )
        if keep.any():
            last = int(np.flatnonzero(keep)[-1])
            with self._lock:
                values = block.values[keep][:, self.columns]
                self._queue(Batch(self.count, stamps[keep], values))
            self.lost = int(block.sequence[last]) + self._skipped + 1 - self.count
        self._count_garbled(link)
        # What would come next lies beyond the end: it is not waited for.
        self.complete = bool(since[-1] + 0.75 / self.rate >= self.duration or not keep[-1])

    def _begin_stream(self, block: Block, stream: StreamStart) -> None:
        if self.start is None:
            self.start, self.origin_us = stream, int(block.stamps[0])
            self._skipped = -int(block.sequence[0])
        else:
            self._carry_clock_on(stream)
            since = (int(block.stamps[0]) + self._shift_us - (self.origin_us or 0)) / 1e6
            place = max(self.count + self.lost, round(since * self.rate))
            self._skipped = place - int(block.sequence[0])


def _joined(batches: list[Batch]) -> Batch | None:
    if not batches:
        return None
    return Batch(
        batches[0].first,
        np.concatenate([batch.stamps for batch in batches]),
        np.concatenate([batch.values for batch in batches]),
    )
