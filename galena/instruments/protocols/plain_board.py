"""A board that prints numbers as an instrument: its lines come in, the line protocol goes out.

Above the bytes it is like any other, as a browser's microphone is: the link asks who it is and
reads data lines. But no rate can be set: it gives what comes.
"""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass

import numpy as np
from numpy.typing import NDArray

from galena.instruments.address import Transport
from galena.instruments.errors import InstrumentError, LinkLost
from galena.instruments.protocols.arrivals import Arrivals
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity, encode
from galena.instruments.protocols.plain_lines import (
    LONGEST_LINE,
    Layout,
    heads_of,
    layout_of,
    with_decimal_comma,
)

MAKER, MODEL = "any", "Printing board"
CLOCKS = {"count": None, "s": 1e6, "ms": 1e3, "us": 1.0}  # µs in one; a count has none of its own
CHANGED = 20  # lines in a row that are like each other, but not like the others
WIDEST = 6  # powers of ten beyond what is printed that limits are put at, before they are typed
LEAST_RATE = 1e-3
SETTLES_WITHIN = 1.5  # s: an answer is waited for no longer


@dataclass(frozen=True)
class ColumnFacts:
    """What a person has said of a column; limits and resolution are in `unit`."""

    quantity: str
    symbol: str
    unit: str
    min: float
    max: float
    resolution: float


@dataclass(frozen=True)
class BoardFacts:
    """What a person has said of a board: its columns, in order, and which of them is its clock.

    clock: the place of that column, or None; clock_unit: a key of CLOCKS. A board that prints
    another number of columns than these is not the one that they were said of.
    """

    columns: tuple[ColumnFacts, ...]
    clock: int | None = None
    clock_unit: str = "ms"


class PlainBoard:
    """One board, behind the bytes of its port. Use within one thread, as any transport."""

    def __init__(
        self,
        raw: Transport,
        serial: str,
        lines: Sequence[str],
        facts: BoardFacts | None = None,
        tail: bytes = b"",
        interval_us: float = math.nan,
        wall: Callable[[], float] = time.monotonic,
    ) -> None:
        layout = layout_of(lines)
        if layout is None:
            raise InstrumentError("its lines are no numbers that are alike")
        self.with_comma = with_decimal_comma(lines)  # another way to read them, if there is one
        if facts is not None and self.with_comma is not None and len(facts.columns) == 1:
            layout = self.with_comma
        self.layout: Layout = layout
        self.serial, self._raw, self._wall = serial, raw, wall
        self.facts = facts if facts is not None and len(facts.columns) == len(layout) else None
        self.latest = _latest(lines, layout)
        self._arrivals = Arrivals()
        self._tail, self._out = tail, bytearray()
        self._interval_us = interval_us  # as it was while one listened
        self._streaming = False
        self._number = -1  # of the line read last
        self._first = 0  # of the stream
        self._strange: list[str] = []  # lines in a row that are not like the others
        self._counter: float | None = None
        self._device: tuple[float, float] | None = None  # a reading of its clock, and ours then

    def read(self, timeout: float) -> bytes:
        """Give lines of the line protocol, as far as the board has printed what goes into them."""
        if not self._out:
            data = self._raw.read(timeout)
            if data:
                self._take(data, self._wall() * 1e6)
        out, self._out = bytes(self._out), bytearray()
        return out

    def write(self, data: bytes) -> None:
        """Answer requests as a board does that speaks the line protocol."""
        for request in data.decode("ascii", "replace").split("\n"):
            if request:
                self._out += self._answer(request.strip().upper()).encode("ascii") + b"\n"

    def close(self) -> None:
        self._raw.close()

    def _answer(self, request: str) -> str:
        if request == "*IDN?":
            return ",".join(asdict(Identity(MAKER, MODEL, self.serial, "-")).values())
        if request == "CHAN:LIST?":
            self._settle()
            return json.dumps([asdict(one) for one in self.channels()])
        if request == "CLOCK?":
            return self._clock_now()
        if request == "STREAM ON":
            self._streaming, self._first = True, self._number + 1
            return "OK"
        if request == "STREAM OFF":
            self._streaming = False
            return "OK"
        return "ERR it prints numbers at a pace of its own"

    def _settle(self) -> None:
        """Read until the pace can be told well, for a while at most."""
        until = self._wall() + SETTLES_WITHIN
        while not self._arrivals.is_steady and self._wall() < until:
            data = self._raw.read(0.2)
            if data:
                self._take(data, self._wall() * 1e6)
        if self._arrivals.is_steady:
            self._interval_us = self._arrivals.interval_us

    @property
    def rate(self) -> float:
        """Lines a second, to three significant digits; a thousandth while none can be told."""
        if not self._interval_us > 0:
            return LEAST_RATE
        return max(LEAST_RATE, float(f"{1e6 / self._interval_us:.3g}"))

    @property
    def measured(self) -> list[int]:
        """The places of the columns that are no clock."""
        clock = None if self.facts is None else self.facts.clock
        return [place for place in range(len(self.layout)) if place != clock]

    def channels(self) -> list[ChannelFacts]:
        """Describe the columns as a person has, else as they are printed."""
        rate = self.rate
        described = []
        for place in self.measured:
            facts = self._facts_of(place)
            described.append(
                ChannelFacts(f"c{place + 1}", facts.quantity, facts.symbol, facts.unit, facts.min,
                             facts.max, facts.resolution, rate, own_rate=rate)
            )  # fmt: skip
        return described

    def _facts_of(self, place: int) -> ColumnFacts:
        if self.facts is not None:
            return self.facts.columns[place]
        return suggested(self.layout, self.latest, place)

    def _clock_now(self) -> str:
        """Give its clock now, with the standard uncertainty of its times, both in µs."""
        now, u = self._wall() * 1e6, self._arrivals.u_us
        u = u if math.isfinite(u) else 0.0
        if self._device is not None:
            device, then = self._device
            return f"{device + now - then:.0f},1,{u:.0f}"
        return f"{now:.0f},1,{u:.0f}"

    def _take(self, data: bytes, arrived_us: float) -> None:
        """Take bytes as they came; lines that are not like the others become garbled ones."""
        data = self._tail + data.replace(b"\r", b"\n")
        end = data.rfind(b"\n") + 1
        self._tail = data[end:]
        rows, garbled = [], 0
        if len(self._tail) > LONGEST_LINE:
            self._tail, garbled = b"", 1
        for line in data[:end].decode("utf-8", "replace").split("\n"):
            if not line.strip():
                continue
            values = self.layout.values(line)
            if values is not None:
                rows.append(values)
                self._strange.clear()
            elif heads_of(line, self.layout) is None:
                garbled += 1
                self._refuse_change(line)
        if self._streaming:
            self._out += b"#*\n" * garbled  # counted as garbled by who reads
        if rows:
            self._write(np.array(rows, dtype=np.float64), garbled, arrived_us)

    def _refuse_change(self, line: str) -> None:
        """Raise LinkLost where the board has begun to print other columns: it is looked at anew."""
        self._strange.append(line)
        if len(self._strange) < CHANGED:
            return
        other = layout_of(self._strange)
        self._strange.clear()
        if other is not None:
            raise LinkLost(f"its columns have changed: {len(self.layout)} before, {len(other)} now")

    def _write(self, table: NDArray[np.float64], garbled: int, arrived_us: float) -> None:
        self.latest = table[-1].tolist()
        numbers, stamps = self._stamped(table, garbled, arrived_us)
        if not self._streaming:
            return
        values = table[:, self.measured]
        all_digits = (None,) * len(self.measured)
        places, whole = numbers - self._first, np.rint(stamps).astype(np.int64)
        self._out += encode(places, whole, values, all_digits)

    def _stamped(
        self, table: NDArray[np.float64], garbled: int, arrived_us: float
    ) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
        """Give which lines these are, and their time stamps: by the board's clock if it has one."""
        clock = None if self.facts is None else self.facts.clock
        numbers = self._number + garbled + np.arange(1, len(table) + 1)
        if clock is not None and self.facts is not None and np.isfinite(table[:, clock]).all():
            read = table[:, clock]
            scale = CLOCKS[self.facts.clock_unit]
            rises = bool((np.diff(read, prepend=read[0] - 1) > 0).all())
            if scale is None and rises and (self._counter is None or read[0] > self._counter):
                step = np.rint(read - read[0]).astype(np.int64)
                missed = 0 if self._counter is None else int(read[0] - self._counter) - 1
                numbers = self._number + 1 + min(missed, 10**9) + step
                self._counter = float(read[-1])
            elif scale is None:
                self._counter = float(read[-1])  # it counts from the start again
            else:
                times = self._arrivals.times(numbers, arrived_us)
                stamps = self._by_clock(read * scale, float(times[-1]))
                self._number = int(numbers[-1])
                return numbers, stamps
        self._number = int(numbers[-1])
        return numbers, self._arrivals.times(numbers, arrived_us)

    def _by_clock(self, device_us: NDArray[np.float64], sent_us: float) -> NDArray[np.float64]:
        """Take the board's own times; where its clock began anew they go on from ours."""
        if self._device is not None and device_us[0] < self._device[0] - 1e3:
            raise LinkLost("its clock began anew")
        self._device = (float(device_us[-1]), sent_us)
        return device_us


def suggested(layout: Layout, latest: Sequence[float], place: int) -> ColumnFacts:
    """Describe a column of which nobody has said anything, as it is printed."""
    column, value = layout.columns[place], latest[place]
    power = math.floor(math.log10(abs(value))) + 1 if math.isfinite(value) and value else 0
    limit = 10.0 ** max(1, min(power, WIDEST) + 1)
    label = column.label or f"column {place + 1}"
    symbol = column.label if column.label.isidentifier() and column.label.isascii() else ""
    return ColumnFacts(
        label, symbol or f"c{place + 1}", column.unit, -limit, limit, 10.0**-column.decimals
    )


def _latest(lines: Sequence[str], layout: Layout) -> list[float]:
    read = [values for line in lines if (values := layout.values(line)) is not None]
    return read[-1] if read else [math.nan] * len(layout)
