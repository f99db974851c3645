"""Takes readings on demand: the latest are kept for a live mean, and so many for each step."""

import math
import threading
import time
from collections import deque
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from galena.core import statistics
from galena.core.calibration import Correction
from galena.core.errors import TooFewReadings
from galena.instruments.link import Link
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block
from galena.recording.acquisition.taking import Batch

MOST_A_SECOND = 1000.0
BEFORE = 500  # live readings that tell how long they follow each other


class StepTaking:
    """What one instrument gives to a stepwise run: `wanted` readings for each step.

    A step is of readings that were sampled after it was asked for, one after the other, of one
    stream: a setting that was just changed is not averaged with the one before.
    """

    def __init__(
        self, link: Link, columns: list[int], corrections: list[Correction], average: float
    ) -> None:
        self.link, self.columns, self.corrections = link, columns, corrections
        self.rate = rate_of(link, columns)
        self.wanted = max(1, int(np.floor(self.rate * average + 0.5)))
        self.count = 0  # readings handed on for the disk
        self._stream = 0
        self._latest: deque[NDArray[np.float64]] = deque()
        self._lock = threading.Lock()
        self._collecting: list[Batch] | None = None
        self._before = np.empty((0, len(columns)))  # what was read before it was
        self._since = 0.0  # the device's clock when the step was asked for, in µs
        self._ready = threading.Event()

    def __call__(self, link: Link, block: Block, stream: StreamStart) -> None:
        """Take a block, in the link's thread."""
        batch = Batch(0, block.stamps, block.values[:, self.columns])
        with self._lock:
            if stream.number != self._stream:
                self._stream = stream.number
                self._latest.clear()
                if self._collecting is not None:
                    self._collecting, self._since = [], 0.0
            self._latest.append(batch.values)
            kept = sum(map(len, self._latest))
            enough = self.wanted + BEFORE
            while len(self._latest) > 1 and kept - len(self._latest[0]) >= enough:
                kept -= len(self._latest.popleft())
            if self._collecting is not None:
                later = batch.stamps >= self._since
                self._collecting.append(Batch(0, batch.stamps[later], batch.values[later]))
                if sum(map(len, self._collecting)) >= self.wanted:
                    self._ready.set()

    def begin(self) -> None:
        """Begin to collect the readings of a step, from now on."""
        now_us = time.monotonic_ns() / 1000
        with self._lock:
            self._ready.clear()
            self._collecting = []
            self._before = self._kept()
            self._since = self.link.clock.estimate().device_at(now_us)

    def wait(self, seconds: float) -> bool:
        """Wait until enough are there; False where that takes longer than so many seconds."""
        return self._ready.wait(seconds)

    def end(self) -> Batch | None:
        """Give the collected readings, as many as are wanted; None where they are too few."""
        with self._lock:
            collected, self._collecting = self._collecting or [], None
        if sum(map(len, collected)) < self.wanted:
            return None
        stamps = np.concatenate([batch.stamps for batch in collected])[: self.wanted]
        values = np.concatenate([batch.values for batch in collected])[: self.wanted]
        return Batch(self.count, stamps, values, _correlation_times(self._before, values))

    def _kept(self) -> NDArray[np.float64]:
        """Give the latest readings of all columns, shape (n, columns)."""
        if not self._latest:
            return np.empty((0, len(self.columns)))
        return np.concatenate(list(self._latest))

    def live(self) -> list[statistics.Statistics | None]:
        """Describe the latest readings of each column, corrected, as many as a step has."""
        with self._lock:
            latest = self._kept()
        if not len(latest):
            return [None] * len(self.columns)
        before, values = latest[: -self.wanted], latest[-self.wanted :]
        times = _correlation_times(before, values)
        described: list[statistics.Statistics | None] = []
        for column, correction in enumerate(self.corrections):
            try:
                statistics_of_column = statistics.describe(correction.apply(values[:, column]))
                error = statistics_of_column.sd / math.sqrt(
                    max(1.0, statistics_of_column.count / times[column])
                )
                described.append(replace(statistics_of_column, standard_error=error))
            except TooFewReadings:
                described.append(None)
        return described


def _correlation_times(
    before: NDArray[np.float64], taken: NDArray[np.float64]
) -> tuple[float, ...]:
    """Tell for each column over how many readings an error goes on."""
    columns = zip(before[-BEFORE:].T, taken.T, strict=True)
    return tuple(statistics.correlation_time(*column) for column in columns)


def rate_of(link: Link, columns: list[int]) -> float:
    """Give the rate, in readings a second of the device, at which its steps are sampled."""
    return min(MOST_A_SECOND, *(link.channels[column].max_rate for column in columns))
