"""A device's clock beside this computer's, from round trips of `CLOCK?`.

The device read its clock somewhere between question and answer: the shorter the trip, the
closer that is known. Of many trips the shortest tell best.
"""

from __future__ import annotations

import math
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from galena.instruments.errors import NoClock

KEPT = 400
SHORT_US = 250.0  # a trip that needs no further one
FASTEST_DRIFT = 1e-3  # no clock runs so far off
USUAL_DRIFT = 5e-5  # as far off as a quartz of a board may well be
SET_ANEW_US = 20_000.0  # by more than this, beyond what a trip leaves open, it was set anew
_EXACT = 2**53  # larger than this no number of microseconds is exact
DRIFT_AFTER_US = 4e6  # trips must span this for a drift to be told from their scatter


@dataclass(frozen=True)
class RoundTrip:
    """This computer's clock before and after, and the device's in between, all in µs.

    `pace` is how fast the device's clock is meant to run; 1 for all but stand-ins. `u_us` is the
    standard uncertainty of the device's time that the device itself states.
    """

    before_us: float
    after_us: float
    device_us: float
    pace: float = 1.0
    u_us: float = 0.0

    @classmethod
    def of_answer(cls, answer: str, before_us: float, after_us: float) -> RoundTrip:
        """Read the answer to `CLOCK?`: the device's clock, and its pace and uncertainty where it
        states them. Raises NoClock where it is none."""
        try:
            trip = cls(before_us, after_us, *map(float, answer.split(",")[:3]))
        except ValueError:
            trip = None
        if trip is None or not (
            abs(trip.device_us) < _EXACT and 0 < trip.pace < 1e6 and 0 <= trip.u_us < 1e9
        ):
            raise NoClock(f"it answered “{answer[:40]}” when asked its clock")
        return trip

    @property
    def host_us(self) -> float:
        """This computer's clock in the middle of the trip."""
        return (self.before_us + self.after_us) / 2

    @property
    def delay_us(self) -> float:
        """How long the trip took."""
        return self.after_us - self.before_us


@dataclass(frozen=True)
class ClockEstimate:
    """device = device_us + rate · (host - host_us), all in µs.

    `u_us` is the standard uncertainty of the offset; `rate` is the pace times one plus the drift.
    """

    host_us: float
    device_us: float
    rate: float = 1.0
    u_us: float = math.nan
    pace: float = 1.0

    def device_at(self, host_us: float) -> float:
        """Give the device's clock at a time of this computer's."""
        return self.device_us + self.rate * (host_us - self.host_us)

    def host_at(self, device_us: float) -> float:
        """Give this computer's clock at a time of the device's."""
        return self.host_us + (device_us - self.device_us) / self.rate

    @property
    def drift_ppm(self) -> float:
        """By how many millionths the device's clock runs fast."""
        return (self.rate / self.pace - 1) * 1e6


class DeviceClock:
    """The round trips of one session with a device."""

    def __init__(self) -> None:
        self._trips: deque[RoundTrip] = deque(maxlen=KEPT)

    def add(self, trip: RoundTrip) -> None:
        """Take a trip; one with another pace, or a clock that was set anew, ends the past."""
        if self._trips:
            last = self._trips[-1]
            elapsed = trip.host_us - last.host_us
            expected = last.device_us + trip.pace * elapsed
            room = last.delay_us + trip.delay_us + FASTEST_DRIFT * elapsed + SET_ANEW_US
            if trip.pace != last.pace or abs(trip.device_us - expected) > room * trip.pace:
                self._trips.clear()
        self._trips.append(trip)

    def compare(self, ask: Callable[[], str], least: int, most: int) -> None:
        """Take trips, as many as are needed for a short one: that tells the clock best.

        ask: asks `CLOCK?` and gives the answer. Raises what it raises, and NoClock.
        """
        for number in range(most):
            if number >= least and self.best_delay_us <= SHORT_US:
                break
            before = time.monotonic_ns()
            answer = ask()
            after = time.monotonic_ns()
            self.add(RoundTrip.of_answer(answer, before / 1000, after / 1000))

    @property
    def best_delay_us(self) -> float:
        """The shortest trip of those that count."""
        return min((trip.delay_us for trip in self._trips), default=math.inf)

    def _without_drift(self) -> ClockEstimate:
        """Take one trip, a short one, but none so old that an unknown drift would tell more."""
        now = self._trips[-1].host_us

        def u(trip: RoundTrip) -> float:
            aged = USUAL_DRIFT * (now - trip.host_us)
            return math.hypot(trip.delay_us / 2 / math.sqrt(3), aged, trip.u_us)

        best = min(self._trips, key=u)
        return ClockEstimate(best.host_us, best.device_us, best.pace, u(best), best.pace)

    def estimate(self) -> ClockEstimate:
        """Put the device's clock beside this computer's.

        Short spans give the offset of a short and late trip. Longer ones a line through the trips,
        weighted by 1/delay², whose slope is the drift. The offset lies anywhere within half a
        trip: u = delay / (2·√3), a rectangular distribution (JCGM 100:2008 (GUM), 4.3.7).
        """
        if not self._trips:
            return ClockEstimate(0.0, 0.0)
        best = min(self._trips, key=lambda trip: trip.delay_us)
        u = math.hypot(best.delay_us / 2 / math.sqrt(3), best.u_us)
        near = [trip for trip in self._trips if trip.delay_us <= 2 * best.delay_us]
        host = np.array([trip.host_us for trip in near])
        if host[-1] - host[0] < DRIFT_AFTER_US or len(near) < 6:
            return self._without_drift()
        ahead = np.array([trip.device_us - best.device_us for trip in near])
        ahead -= best.pace * (host - best.host_us)
        weights = np.array([1 / max(trip.delay_us, 1.0) for trip in near]) ** 2
        middle = float(np.average(host, weights=weights))
        lag = float(np.average(ahead, weights=weights))
        spread = float(np.sum(weights * (host - middle) ** 2))
        slope = float(np.sum(weights * (host - middle) * (ahead - lag))) / spread
        device = best.device_us + best.pace * (middle - best.host_us) + lag
        return ClockEstimate(middle, device, best.pace + slope, u, best.pace)
