"""Line protocol, version 1: what goes over the wire, both ways. See docs/protocol.md."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.formats import bounded_json
from galena.core.numbers import LARGEST
from galena.instruments.errors import InstrumentError

LONGEST_LINE = 65_536
MOST_CHANNELS = 64
LONGEST_REQUEST = 200
UNREADABLE = bytes(one for one in range(256) if not (31 < one < 127 or one in b"\t\r\n"))
_HASH, _STAR, _LF = b"#*\n"
_HEX = np.full(256, 255, dtype=np.uint8)
for _digits in (b"0123456789ABCDEF", b"0123456789abcdef"):
    _HEX[np.frombuffer(_digits, dtype=np.uint8)] = np.arange(16)


@dataclass(frozen=True)
class Identity:
    """The answer to `*IDN?` (IEEE 488.2, 10.14): who made this device and which one it is."""

    maker: str
    model: str
    serial: str
    firmware: str

    @property
    def key(self) -> tuple[str, str, str]:
        """What tells one device from all others."""
        return self.maker, self.model, self.serial

    @classmethod
    def parse(cls, line: str) -> Identity:
        """Read the answer; InstrumentError where it has not four parts."""
        parts = [bounded_json.text(part.strip(), 60).replace("|", "/") for part in line.split(",")]
        if len(parts) != 4 or not parts[1] or not parts[2]:
            raise InstrumentError(
                f"it answered “{line[:40]}” when asked who it is; an instrument for Galena "
                "answers maker,model,serial,firmware"
            )
        return cls(*parts)


@dataclass(frozen=True)
class ChannelFacts:
    """One entry of the answer to `CHAN:LIST?`; limits and resolution are in `unit`.

    own_rate: the readings a second that it gives where it cannot be told a rate; 0 where it can.
    """

    id: str
    quantity: str
    symbol: str
    unit: str
    min: float
    max: float
    resolution: float
    max_rate: float
    own_rate: float = 0.0


def parse_channels(line: str) -> tuple[ChannelFacts, ...]:
    """Read the answer to `CHAN:LIST?`; InstrumentError where it is not such a list."""
    try:
        channels = tuple(
            ChannelFacts(
                id=bounded_json.text(str(entry["id"]), 40).replace("|", "/"),
                quantity=bounded_json.text(entry["quantity"], 100),
                symbol=bounded_json.text(str(entry.get("symbol", entry["id"])), 20),
                unit=bounded_json.text(entry["unit"], 60),
                min=bounded_json.number(entry["min"]),
                max=bounded_json.number(entry["max"]),
                resolution=bounded_json.number(entry["resolution"]),
                max_rate=bounded_json.number(entry["max_rate"]),
                own_rate=bounded_json.number(entry.get("own_rate", 0.0)),
            )
            for entry in bounded_json.read(line, LONGEST_LINE)[: MOST_CHANNELS + 1]
        )
    except (ValueError, KeyError, TypeError, AttributeError) as error:
        raise InstrumentError(
            f"its list of channels cannot be read ({type(error).__name__}: {error})"
        ) from error
    if not channels or len({channel.id for channel in channels}) != len(channels):
        raise InstrumentError("its list of channels is empty or names one channel twice")
    if len(channels) > MOST_CHANNELS:
        raise InstrumentError(f"it has more than {MOST_CHANNELS} channels")
    numbers = [n for c in channels for n in (c.min, c.max, c.resolution, c.max_rate)]
    possible = all(
        c.max > c.min and c.resolution > 0 and c.max_rate > 0 and c.own_rate >= 0 for c in channels
    )
    if not possible or not all(map(math.isfinite, numbers)):
        raise InstrumentError("its list of channels has limits or a resolution that cannot be")
    return channels


def refuse_unprintable(request: str) -> None:
    """Raise InstrumentError where a request is no single line: it would say something else too."""
    if not (request.isascii() and request.isprintable()) or len(request) > LONGEST_REQUEST:
        raise InstrumentError("A request to an instrument is one short line of plain text.")


@dataclass(frozen=True)
class Block:
    """Readings that came in one piece.

    sequence: shape (n,), strictly ascending; stamps: shape (n,), device clock in microseconds;
    values: shape (n, channels), raw, in the channels' units.
    """

    sequence: NDArray[np.int64]
    stamps: NDArray[np.int64]
    values: NDArray[np.float64]

    def __len__(self) -> int:
        return int(self.sequence.size)


@dataclass
class LineCounts:
    """How many data lines were good, and what befell the others."""

    good: int = 0
    lost: int = 0
    garbled: int = 0
    repeated: int = 0
    late: int = 0


def encode(
    sequence: NDArray[np.int64],
    stamps: NDArray[np.int64],
    values: NDArray[np.float64],
    decimals: tuple[int | None, ...],
) -> bytes:
    """Write data lines `#seq,t_us,v1,…*hh`; values: shape (n, channels).

    decimals: of each channel; None for all digits that a value has.
    """
    if sequence.size == 0:
        return b""
    form = "%d,%d," + ",".join("%r" if count is None else f"%.{count}f" for count in decimals)
    rows = zip(sequence.tolist(), stamps.tolist(), *values.T.tolist(), strict=True)
    payloads = [(form % row).encode("ascii") for row in rows]
    lengths = np.fromiter(map(len, payloads), dtype=np.intp, count=len(payloads))
    starts = np.concatenate(([0], np.cumsum(lengths)[:-1]))
    sums = np.bitwise_xor.reduceat(np.frombuffer(b"".join(payloads), dtype=np.uint8), starts)
    lines = zip(payloads, sums.tolist(), strict=True)
    return b"".join(b"#%b*%02X\n" % (payload, checksum) for payload, checksum in lines)


class LineReader:
    """Turns bytes, cut anywhere, into blocks of readings and answers, in their order.

    Data lines with a wrong checksum or a wrong number of values, repeated ones and late ones
    are counted and left out; missing sequence numbers are counted as lost.
    """

    def __init__(self) -> None:
        self.channels = 0
        self.counts = LineCounts()
        self._tail = b""
        self._last = -1
        self._octets = self._unreadable = 0

    @property
    def unreadable_share(self) -> float:
        """The share of the characters so far that are no text."""
        return self._unreadable / self._octets if self._octets else 0.0

    def expect(self, channels: int) -> None:
        """Set how many values a data line has; a new stream counts from 0 again."""
        self.channels = channels
        self._last = -1

    def feed(self, data: bytes) -> Iterator[Block | str]:
        """Take bytes as they came and give what is complete by now."""
        self._octets += len(data)
        self._unreadable += len(data) - len(data.translate(None, UNREADABLE))
        data = self._tail + data
        end = data.rfind(b"\n") + 1
        self._tail = data[end:]
        if len(self._tail) > LONGEST_LINE:
            self._tail = b""
            self.counts.garbled += 1
        if end == 0:
            return
        data = data[:end].replace(b"\r\n", b"\n")
        octets = np.frombuffer(data, dtype=np.uint8)
        ends = np.flatnonzero(octets == _LF)
        starts = np.concatenate(([0], ends[:-1] + 1))
        is_data = octets[starts] == _HASH
        bounds = np.flatnonzero(np.diff(is_data)) + 1
        for first, last in zip([0, *bounds], [*bounds, len(starts)], strict=True):
            if is_data[first]:
                block = self._block(data, octets, starts[first:last], ends[first:last])
                if len(block):
                    yield block
            else:
                for start, stop in zip(starts[first:last], ends[first:last], strict=True):
                    if stop > start:
                        yield data[start:stop].decode("ascii", "replace").strip()

    def _block(
        self,
        data: bytes,
        octets: NDArray[np.uint8],
        starts: NDArray[np.intp],
        ends: NDArray[np.intp],
    ) -> Block:
        long_enough = ends - starts >= 6
        self.counts.garbled += int(np.count_nonzero(~long_enough))
        starts, ends = starts[long_enough], ends[long_enough]
        good = _checksums_agree(octets, starts, ends)
        lines = [
            data[start + 1 : end - 3] for start, end in zip(starts[good], ends[good], strict=True)
        ]
        commas = self.channels + 1
        whole = [line for line in lines if line.count(b",") == commas]
        table = self._table(whole)
        self.counts.garbled += len(starts) - len(table)
        return self._in_order(table)

    def _table(self, lines: list[bytes]) -> NDArray[np.float64]:
        width = self.channels + 2
        try:
            flat = list(map(float, b",".join(lines).split(b","))) if lines else []
        except ValueError:
            rows = []
            for line in lines:
                try:
                    rows.append([float(field) for field in line.split(b",")])
                except ValueError:
                    continue
            return np.array(rows, dtype=np.float64).reshape(-1, width)
        return np.array(flat, dtype=np.float64).reshape(-1, width)

    def _in_order(self, table: NDArray[np.float64]) -> Block:
        table = table[(np.abs(table[:, :2]) < 2**53).all(axis=1)]
        sequence = table[:, 0].astype(np.int64)
        before = np.maximum.accumulate(np.concatenate(([self._last], sequence)))[:-1]
        ahead = sequence > before
        self.counts.repeated += int(np.count_nonzero(sequence == before))
        self.counts.late += int(np.count_nonzero(sequence < before))
        sequence, table = sequence[ahead], table[ahead]
        if sequence.size:
            self.counts.lost += int(sequence[-1] - self._last - sequence.size)
            self.counts.good += int(sequence.size)
            self._last = int(sequence[-1])
        values = table[:, 2:]
        values[np.abs(values) > LARGEST] = math.nan  # beyond all measuring: no reading
        return Block(sequence, table[:, 1].astype(np.int64), values)


def _checksums_agree(
    octets: NDArray[np.uint8], starts: NDArray[np.intp], ends: NDArray[np.intp]
) -> NDArray[np.bool_]:
    """Compare each line's checksum, as in NMEA 0183: XOR of all between `#` and `*`."""
    if starts.size == 0:
        return np.zeros(0, dtype=bool)
    pairs = np.column_stack((starts + 1, ends - 3)).ravel()
    sums = np.bitwise_xor.reduceat(octets, pairs)[::2]
    high, low = _HEX[octets[ends - 2]], _HEX[octets[ends - 1]]
    stated = (high.astype(np.int16) << 4) + low
    agree: NDArray[np.bool_] = (
        (octets[ends - 3] == _STAR) & (high < 16) & (low < 16) & (stated == sums)
    )
    return agree
