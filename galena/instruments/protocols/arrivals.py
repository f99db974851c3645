"""When lines were sent, told from when they arrived.

A board that prints at a steady pace is read with jitter: its lines wait in buffers. A straight line
through the latest arrivals over their number tells better when each was sent than its own arrival
does (least squares). All times in µs of this computer's clock.
"""

from __future__ import annotations

import math
from collections import deque

import numpy as np
from numpy.typing import NDArray

KEPT = 200  # reads
ENOUGH = 8  # reads through which a line tells something
STEADY = 0.25  # of the time between reads: jitter beyond that is no steady pace
PAUSE = 3.0  # intervals without a line after which the pace is told anew
LEAST_STEP = 1.0  # µs: time stamps are whole ones, and ascend

Floats = NDArray[np.float64]


class Arrivals:
    """The arrivals of lines and the times that follow from them; lines of one read come together.

    interval_us: the time from line to line; not a number until it can be told.
    u_us: the standard uncertainty of a time beside the others.
    is_steady: whether lines come at a steady pace, so that their times are those of the line.
    """

    def __init__(self) -> None:
        self._seen: deque[tuple[int, float]] = deque(maxlen=KEPT)
        self._last = -math.inf
        self.forget()

    def forget(self) -> None:
        """Begin anew; times go on to ascend."""
        self._seen.clear()
        self.interval_us = self.u_us = math.nan
        self.is_steady = False

    def times(self, numbers: NDArray[np.int64], arrived_us: float) -> Floats:
        """Give when the lines of a read were sent: shape (n,), ascending, later than all before.

        numbers: which lines they are, shape (n,), ascending; arrived_us: when they were read.
        """
        number = int(numbers[-1])
        if self._seen and self._is_after_a_pause(number, arrived_us):
            self.forget()
        before = self._seen[-1] if self._seen else None
        self._seen.append((number, arrived_us))
        times = self._fitted(numbers)
        if times is None:
            times = self._between(before, numbers, arrived_us)
        first = self._last + LEAST_STEP * np.arange(1, times.size + 1)
        times = np.maximum.accumulate(np.maximum(times, first))
        times += LEAST_STEP * 1e-3 * np.arange(times.size)  # apart, where several were held back
        self._last = float(times[-1])
        return times

    def _is_after_a_pause(self, number: int, arrived_us: float) -> bool:
        last_number, last_us = self._seen[-1]
        lines = number - last_number
        return lines <= 0 or arrived_us - last_us > PAUSE * self.interval_us * lines + 1e5

    def _fitted(self, numbers: NDArray[np.int64]) -> Floats | None:
        """Give the times on the line through the arrivals; None where there is no steady pace.

        The scatter about the line tells the uncertainty of a time at its end: 2·s/√n for a straight
        line through n points (Draper and Smith, Applied Regression Analysis, 3rd ed., 1.4).
        """
        count = len(self._seen)
        if count < 2:
            return None
        seen = np.array(self._seen)
        off_number, off_us = (seen - seen.mean(axis=0)).T
        self.interval_us = float(off_number @ off_us / (off_number @ off_number))
        if count < ENOUGH:
            return None
        left_over = off_us - self.interval_us * off_number
        scatter = math.sqrt(float(left_over @ left_over) / (count - 2))
        between_reads = float(seen[-1, 1] - seen[0, 1]) / (count - 1)
        self.is_steady = scatter < STEADY * between_reads
        self.u_us = 2 * scatter / math.sqrt(count) if self.is_steady else scatter
        if not self.is_steady:
            return None
        mean_number, mean_us = seen.mean(axis=0)
        return np.asarray(mean_us + self.interval_us * (numbers - mean_number), dtype=np.float64)

    @staticmethod
    def _between(
        before: tuple[int, float] | None, numbers: NDArray[np.int64], arrived_us: float
    ) -> Floats:
        """Put lines evenly between the read before and this one."""
        if before is None:
            return arrived_us + LEAST_STEP * np.arange(1 - numbers.size, 1, dtype=np.float64)
        shares = (numbers - before[0]) / (numbers[-1] - before[0])
        return np.asarray(before[1] + shares * (arrived_us - before[1]), dtype=np.float64)
