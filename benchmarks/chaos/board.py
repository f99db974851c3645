"""A board whose every reading follows from its time stamp, so that what was stored of it can be
compared bit for bit; its line can be spoiled on purpose.

It speaks the line protocol of docs/protocol.md, at up to 1000 readings a second.
"""

import contextlib
import json
import socket
import threading
import time
from dataclasses import dataclass, field

import numpy as np

MAX_RATE = 1000.0
EVERY = 0.01  # s between two parcels of lines
WAVE_US = 800_000  # the period of the square wave that armed runs wait for
STEP, MODULUS = 7919, 1_000_003  # counts in a µs, and after how many they begin again
_CHANNELS = json.dumps([
    {"id": "v", "quantity": "count", "symbol": "v", "unit": "V", "min": -1, "max": 1001,
     "resolution": 0.001, "max_rate": MAX_RATE},
    {"id": "w", "quantity": "wave", "symbol": "w", "unit": "V", "min": -1, "max": 3,
     "resolution": 0.001, "max_rate": MAX_RATE},
])  # fmt: skip


def count_at(stamps: np.ndarray) -> np.ndarray:
    """Give the first channel at time stamps in µs."""
    return (np.asarray(stamps, dtype=np.int64) * STEP % MODULUS) / 1000


def wave_at(stamps: np.ndarray) -> np.ndarray:
    """Give the second channel, a square wave with a little of the first one's scatter."""
    stamps = np.asarray(stamps, dtype=np.int64)
    high = stamps % WAVE_US >= WAVE_US // 2
    return np.round(high + stamps * STEP % 13 / 1000, 3)


@dataclass
class Spoiled:
    """What is wrong with a line: shares from 0 to 1, and how often each line is sent."""

    garbled: float = 0.0
    lost: float = 0.0
    times: int = 1
    is_held: bool = False  # the socket stays open, and nothing goes through it


@dataclass
class Sent:
    """What a board has sent in one stream: which lines were left out or spoiled, by their numbers,
    and when the last whole one went, in µs of its clock."""

    lines: int = 0
    spoiled: list[int] = field(default_factory=list)
    first_us: int = 0
    last_us: int = 0
    sizes: list[int] = field(default_factory=list)


class Board:
    """A board behind a port of this computer; `serial` tells several apart."""

    def __init__(self, serial: int, seed: int = 1) -> None:
        self.serial, self.spoiled, self.streams = serial, Spoiled(), list[Sent]()
        self.rate = MAX_RATE
        self._chance = np.random.default_rng(seed + serial)
        self._began, self.began = time.monotonic(), time.time()
        self._door = socket.create_server(("127.0.0.1", 0))
        self._line: socket.socket | None = None
        self._guard = threading.Lock()  # an answer never stands amid a parcel of lines
        self._stream: threading.Event | None = None
        self._is_unplugged = False
        threading.Thread(target=self._serve, daemon=True).start()

    @property
    def address(self) -> str:
        return f"tcp://127.0.0.1:{self._door.getsockname()[1]}"

    @property
    def now_us(self) -> int:
        """Its clock."""
        return int((time.monotonic() - self._began) * 1e6)

    def unplug(self) -> None:
        """Pull the cable, until `plug_in`."""
        self._is_unplugged = True
        self._hang_up()

    def plug_in(self) -> None:
        self._is_unplugged = False

    def reset(self) -> None:
        """Lose power for a moment: the stream ends unsaid and the clock begins again."""
        self._hang_up()
        self._began, self.began = time.monotonic(), time.time()

    def close(self) -> None:
        self._door.close()
        self._hang_up()

    def _hang_up(self) -> None:
        self._end_stream()
        line, self._line = self._line, None
        if line is not None:
            with contextlib.suppress(OSError):
                line.shutdown(socket.SHUT_RDWR)

    def _end_stream(self) -> None:
        if self._stream is not None:
            self._stream.set()
            self._stream = None

    def _serve(self) -> None:
        while True:
            try:
                line, _ = self._door.accept()
            except OSError:
                return
            if self._is_unplugged:
                line.close()
                continue
            self._line = line
            threading.Thread(target=self._answer, args=(line,), daemon=True).start()

    def _answer(self, line: socket.socket) -> None:
        with contextlib.suppress(OSError), line, line.makefile("rb") as reader:
            for request in reader:
                words = request.decode("ascii", "replace").strip().upper()
                answer = self._to(words)
                while self.spoiled.is_held:
                    time.sleep(EVERY)
                with self._guard:
                    line.sendall(answer.encode() + b"\n")
                if words == "STREAM ON":
                    self._stream = threading.Event()
                    going = (line, self._stream)
                    threading.Thread(target=self._send, args=going, daemon=True).start()
        if self._line is line:
            self._end_stream()

    def _to(self, words: str) -> str:
        if words == "*IDN?":
            return f"Skerry Works,Counting board,{self.serial:04},1.0"
        if words == "CHAN:LIST?":
            return _CHANNELS
        if words == "CLOCK?":
            return str(self.now_us)
        if words.startswith("RATE "):
            self.rate = min(MAX_RATE, float(words[5:]))
            return "OK"
        if words == "STREAM OFF":
            self._end_stream()
        return "OK" if words.startswith("STREAM ") else "ERR this board knows no such request"

    def _send(self, line: socket.socket, over: threading.Event) -> None:
        period, sent = round(1e6 / self.rate), Sent(first_us=self.now_us)
        self.streams.append(sent)
        number = 0
        with contextlib.suppress(OSError):
            while not over.wait(EVERY):
                due = (self.now_us - sent.first_us) // period
                if self.spoiled.is_held or due <= number:
                    continue
                numbers = np.arange(number, due)
                parcel = self._parcel(numbers, sent.first_us + numbers * period, sent)
                with self._guard:
                    if over.is_set():
                        return
                    line.sendall(parcel)
                sent.lines, sent.last_us = due, sent.first_us + (due - 1) * period
                sent.sizes.append(len(parcel))
                number = due

    def _parcel(self, numbers: np.ndarray, stamps: np.ndarray, sent: Sent) -> bytes:
        chances = self._chance.random((2, numbers.size))
        lost, garbled = chances[0] < self.spoiled.lost, chances[1] < self.spoiled.garbled
        lost[0] &= numbers[0] > 0
        garbled &= ~lost
        parcel = []
        columns = (numbers, stamps, count_at(stamps), wave_at(stamps), lost, garbled)
        for n, stamp, v, w, is_lost, is_garbled in zip(*columns, strict=True):
            if is_lost:
                continue
            text = f"{n},{stamp},{v:.3f},{w:.3f}".encode()
            check = 0
            for octet in text:
                check ^= octet
            whole = b"#%s*%02X\n" % (text, check)
            if is_garbled:
                place = 1 + int(self._chance.integers(len(text)))
                whole = whole[:place] + b"?" + whole[place + 1 :]
            parcel.append(whole * self.spoiled.times)
        sent.spoiled += numbers[lost | garbled].tolist()
        return b"".join(parcel)
