"""A browser's microphone as an instrument: samples come in, the line protocol goes out.

Above the bytes it is like any other: the link asks who it is, sets a rate and reads data lines.
"""

from __future__ import annotations

import json
import threading
import time
from collections import deque
from dataclasses import asdict

import numpy as np
from numpy.typing import NDArray

from galena.core.loading import later
from galena.instruments.errors import LinkLost
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity, encode

signal = later("scipy.signal")

Floats = NDArray[np.float64]

MAX_RATE = 10_000.0
QUIET_AFTER = 3.0  # seconds without samples after which it counts as gone
FAST = 0.125  # time constant of the level, s: "F" of IEC 61672-1
FLOOR = -100.0  # dB
RATES = (8_000, 192_000)
_FULL = 32_768.0

CHANNELS = (
    ChannelFacts("L", "sound level", "L", "dB", FLOOR, 3.0, 0.1, MAX_RATE),
    ChannelFacts("p", "waveform", "p", "%", -100.0, 100.0, 0.01, MAX_RATE),
)


class Microphone:
    """One microphone, known by a serial that its browser keeps.

    Samples are whole numbers from -32768 to 32767, `sample_rate` of them a second, counted from
    the moment when the browser began to listen; that count is the device's clock.
    """

    def __init__(self, serial: str) -> None:
        self.identity = Identity("This device", "Microphone", serial, "1")
        self.listening = ""
        self.sample_rate = 0
        self._lock = threading.Condition()
        self._out = bytearray()
        self._arrived = 0.0
        self._offsets: deque[float] = deque(maxlen=100)
        self._next_sample = 0
        self._smooth = np.zeros(1)
        self._rate, self._streaming = 20.0, False
        self._origin = self._sent = 0
        self._anew = False

    @property
    def is_heard(self) -> bool:
        """Tell whether samples came of late."""
        return time.monotonic() - self._arrived < QUIET_AFTER

    def hear(
        self, listening: str, sample_rate: int, first: int, samples: NDArray[np.int16]
    ) -> None:
        """Take samples from index `first` on; `listening` tells one start of a browser from the
        next, so that a page loaded anew is a device switched on anew."""
        with self._lock:
            now = time.monotonic()
            if listening != self.listening or sample_rate != self.sample_rate:
                self.listening, self.sample_rate = listening, sample_rate
                self._offsets.clear()
                self._next_sample, self._smooth = first, np.zeros(1)
                self._anew, self._streaming = self._arrived > 0, False
            self._arrived = now
            ends_us = (first + samples.size) / sample_rate * 1e6
            self._offsets.append(now * 1e6 - ends_us)
            if samples.size:
                self._write_lines(first, samples / _FULL)
            self._next_sample = first + samples.size
            self._lock.notify_all()

    def _write_lines(self, first: int, p: Floats) -> None:

        share = 1 - np.exp(-1 / (FAST * self.sample_rate))
        mean_square, self._smooth = signal.lfilter([share], [1, share - 1], p * p, zi=self._smooth)
        if not self._streaming:
            return
        if self._sent == 0 and self._origin < 0:
            self._origin = first
        step = self.sample_rate / self._rate
        last = int((first + p.size - 1 - self._origin) / step)
        earliest = max(self._sent, int(np.ceil((first - self._origin) / step)))
        sequence = np.arange(earliest, last + 1)
        if sequence.size == 0:
            return
        places = np.rint(self._origin + sequence * step).astype(np.int64)
        inside = np.clip(places - first, 0, p.size - 1)
        level = np.maximum(FLOOR, 10 * np.log10(np.maximum(mean_square[inside], 1e-12)))
        stamps = np.rint(places / self.sample_rate * 1e6).astype(np.int64)
        values = np.column_stack([level, 100 * p[inside]])
        self._out += encode(sequence, stamps, values, (1, 2))
        self._sent = last + 1

    def open(self) -> Microphone:
        """Give the way to it; LinkLost where nobody listens."""
        if not self.is_heard:
            raise LinkLost("the page that listens is closed")
        with self._lock:
            self._out.clear()
            self._streaming = self._anew = False
        return self

    def read(self, timeout: float) -> bytes:
        """Give what it says, waiting at most so many seconds for the first."""
        with self._lock:
            if not self._out and timeout > 0:
                self._lock.wait(timeout)
            if not self.is_heard or self._anew:
                raise LinkLost("the page that listens was closed or loaded again")
            answer = bytes(self._out)
            self._out.clear()
        return answer

    def write(self, data: bytes) -> None:
        """Take requests, a line each."""
        with self._lock:
            for line in data.decode("ascii", "replace").splitlines():
                self._out += self._answer(line.strip()).encode("ascii") + b"\n"

    def close(self) -> None:
        """Stop sending."""
        self._streaming = False

    def _answer(self, line: str) -> str:
        word, _, rest = line.partition(" ")
        if word == "*IDN?":
            who = self.identity
            return f"{who.maker},{who.model},{who.serial},{who.firmware}"
        if word == "CHAN:LIST?":
            return json.dumps([asdict(one) for one in CHANNELS])
        if word == "CLOCK?":
            # The sound cannot be asked the time: the batch that came soonest after its end tells.
            return str(round(time.monotonic() * 1e6 - min(self._offsets)))
        if word == "RATE" and 0 < float(rest) <= MAX_RATE:
            self._rate = float(rest)
            return "OK"
        if word == "STREAM":
            self._streaming = rest.upper() == "ON"
            self._origin, self._sent = -1, 0
            return "OK"
        return f"ERR rate must be above 0 and at most {MAX_RATE:g}" if word == "RATE" else "ERR"
