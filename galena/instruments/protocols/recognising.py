"""Tells what speaks at an address: the line protocol, SCPI, or a board that just prints numbers."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

from galena.instruments import address as addresses
from galena.instruments.address import Address, SerialTransport, Transport
from galena.instruments.protocols.line_v1 import UNREADABLE, Identity
from galena.instruments.protocols.plain_board import BoardFacts, PlainBoard
from galena.instruments.protocols.plain_lines import LONGEST_LINE, layout_of
from galena.instruments.protocols.scpi import ScpiMeter, speaks_scpi
from galena.instruments.protocols.scpi_commands import commands_of

SPEEDS = (115_200, 9_600, 57_600, 38_400, 19_200, 230_400)  # the usual ones, the likelier first
ANSWERS_WITHIN = 1.2  # s: who speaks the line protocol has answered by then
PRINTS_WITHIN = 12.0  # s: a board that prints a line now and then has printed some by then
TELLING = 40  # characters that tell whether a speed is right
_GARBLED = 0.1  # the share of characters that are no text at a wrong speed
_ENOUGH = 6  # whole lines
LISTS_WITHIN = 0.6  # s: a board lists its channels by then; a meter does not know the question

FactsOf = Callable[[str], BoardFacts | None]


@dataclass
class _Heard:
    """What came from a device so far, in whole lines; the first may have been cut."""

    lines: list[str] = field(default_factory=list)
    came: list[float] = field(default_factory=list)  # when, in s
    tail: bytes = b""
    count: int = 0
    unreadable: int = 0

    def add(self, data: bytes) -> None:
        self.count += len(data)
        self.unreadable += len(data) - len(data.translate(None, UNREADABLE))
        *whole, tail = (self.tail + data).replace(b"\r", b"\n").split(b"\n")
        self.tail = tail[-LONGEST_LINE:]
        new = [text for one in whole if (text := one.decode("utf-8", "replace").strip())]
        self.lines += new
        self.came += [time.monotonic()] * len(new)

    @property
    def is_garbled(self) -> bool:
        """Tell whether these are no characters of a text, as at a wrong speed."""
        return self.count >= TELLING and self.unreadable > _GARBLED * self.count

    @property
    def is_spoken(self) -> bool:
        """Tell whether somebody answers, or sends lines of the line protocol."""
        return any(line.startswith("#") or _is_identity(line) for line in self.lines)

    @property
    def interval_us(self) -> float:
        """The time from line to line; not a number where fewer than three came."""
        if len(self.came) < 3:
            return math.nan
        return (self.came[-1] - self.came[0]) / (len(self.came) - 1) * 1e6

    @property
    def whole_lines(self) -> list[str]:
        """All but the first: it may have begun before one listened."""
        return self.lines[1:]


class Recogniser:
    """Opens the way to a device and tells what it speaks.

    facts_of: gives what a person has said of the board at a port, by the port's key; own_commands:
    a file with measuring commands of meters, beside those that ship.
    """

    def __init__(
        self,
        facts_of: FactsOf = lambda key: None,
        key_of: Callable[[Address], str] = lambda address: address.label,
        connect: Callable[[Address], Transport] = addresses.connect,
        own_commands: Path | None = None,
    ) -> None:
        self._facts_of, self._key_of, self._connect = facts_of, key_of, connect
        self._own_commands = own_commands
        self._speeds: dict[str, int] = {}  # at which a port could be read

    def open(self, address: Address) -> Transport:
        """Open the way to a device; a board that prints numbers speaks the line protocol then.

        Raises LinkLost where it cannot be opened.
        """
        raw = self._connect(address)
        try:
            heard = self._listened(address, raw)
            if (meter := self._meter(raw, heard)) is not None:
                return meter
            if heard.is_spoken or layout_of(heard.whole_lines) is None:
                return raw
            key = self._key_of(address)
            return PlainBoard(
                raw, key, heard.whole_lines, self._facts_of(key), heard.tail, heard.interval_us
            )
        except Exception:
            raw.close()
            raise

    def _meter(self, raw: Transport, heard: _Heard) -> Transport | None:
        """Give what speaks SCPI as a speaker of the line protocol; None if it does not."""
        said = next((line for line in heard.lines if _is_identity(line)), None)
        if said is None or any(line.startswith("#") for line in heard.lines):
            return None
        raw.write(b"CHAN:LIST?\n")
        listed, ends = b"", time.monotonic() + LISTS_WITHIN
        while b"\n" not in listed and time.monotonic() < ends:
            listed += raw.read(0.1)
        if listed.lstrip().startswith((b"[", b"ERR")) or not speaks_scpi(raw):
            return None
        return ScpiMeter(raw, Identity.parse(said), commands_of(self._own_commands))

    def _listened(self, address: Address, raw: Transport) -> _Heard:
        """Listen at the speed that is set, then at the others while nothing can be read."""
        if not isinstance(raw, SerialTransport):
            return _listen(raw)
        chosen = self._speeds.get(address.place, address.number)
        others = [one for one in SPEEDS if one != chosen]
        for speed in (chosen, *others):
            raw.speed = speed
            heard = _listen(raw)
            if heard.is_spoken or layout_of(heard.whole_lines) is not None:
                self._speeds[address.place] = speed
                return heard
        raw.speed = address.number
        return _Heard()


def _is_identity(line: str) -> bool:
    """Tell whether a line is the answer to who somebody is, and no line of four numbers."""
    return line.count(",") == 3 and layout_of([line] * 3) is None


def _listen(raw: Transport) -> _Heard:
    """Ask who is there, and hear what comes until it can be told what that is."""
    heard, began = _Heard(), time.monotonic()
    raw.write(b"*IDN?\n")
    while True:
        heard.add(raw.read(0.1))
        lasted = time.monotonic() - began
        if heard.is_spoken or heard.is_garbled:
            return heard
        if len(heard.lines) > _ENOUGH and layout_of(heard.whole_lines) is not None:
            return heard
        prints = layout_of([heard.lines[-1]] * 3) is not None if heard.lines else False
        if lasted > (PRINTS_WITHIN if prints else ANSWERS_WITHIN):
            return heard
