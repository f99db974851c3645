"""What can go wrong with an instrument or its cable, done to a stand-in on purpose.

Each fault is one class that changes what a stand-in says; `RIG:FAULT name,amount` puts it in
force, `RIG:FAULT none` ends it.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from galena.instruments.rigs.base import Floats


class HangUp(ConnectionError):  # noqa: N818 - it is what the cable does
    """The connection breaks here."""


class Fault:
    """No fault: everything goes out as it should."""

    def __init__(self, amount: float = 0.0) -> None:
        self.amount = amount
        self.chance = np.random.default_rng(20)

    def answer(self, request: str, line: str) -> str | None:
        """Give the answer that goes out instead, or nothing."""
        return line

    def values(self, values: Floats, limits: Floats) -> Floats:
        """Give the readings that go out instead; both of shape (n, channels)."""
        return values

    def data(self, lines: bytes) -> bytes:
        """Give the data lines that go out instead."""
        return lines


class Garbled(Fault):
    """One character is wrong in so many per cent of the lines."""

    def data(self, lines: bytes) -> bytes:
        kept = []
        for line in lines.splitlines(keepends=True):
            if self.chance.random() * 100 < self.amount:
                place = 1 + int(self.chance.integers(max(1, len(line) - 2)))
                line = line[:place] + b"?" + line[place + 1 :]
            kept.append(line)
        return b"".join(kept)


class Lost(Fault):
    """So many per cent of the lines never arrive."""

    def data(self, lines: bytes) -> bytes:
        kept = lines.splitlines(keepends=True)
        return b"".join(line for line in kept if self.chance.random() * 100 >= self.amount)


class Silent(Fault):
    """It answers, but sends no reading."""

    def data(self, lines: bytes) -> bytes:
        return b""


class Deaf(Fault):
    """It sends readings, but answers nothing."""

    def answer(self, request: str, line: str) -> str | None:
        return None


class Stuck(Fault):
    """It sends the same reading again and again."""

    _first: Floats | None = None

    def values(self, values: Floats, limits: Floats) -> Floats:
        if self._first is None:
            self._first = values[:1].copy()
        return np.repeat(self._first, len(values), axis=0)


class AtLimit(Fault):
    """It reads its upper limit."""

    def values(self, values: Floats, limits: Floats) -> Floats:
        return np.repeat(limits, len(values), axis=0)


class BeyondLimit(Fault):
    """It reads so many times its upper limit."""

    def values(self, values: Floats, limits: Floats) -> Floats:
        return np.repeat(limits * (self.amount or 10.0), len(values), axis=0)


class NoNumber(Fault):
    """It sends nan for a number."""

    def values(self, values: Floats, limits: Floats) -> Floats:
        return np.full_like(values, np.nan)


class Flood(Fault):
    """It sends every line so many times."""

    def data(self, lines: bytes) -> bytes:
        return lines * int(self.amount or 200)


class WrongSpeed(Fault):
    """What arrives is no text, as from a line read at another speed."""

    def answer(self, request: str, line: str) -> str | None:
        return self._noise(len(line))

    def data(self, lines: bytes) -> bytes:
        return self._noise(len(lines)).encode("latin-1")

    def _noise(self, length: int) -> str:
        return bytes(self.chance.integers(128, 256, max(8, length), dtype=np.uint8)).decode(
            "latin-1"
        )


class Nonsense(Fault):
    """It answers something else when asked who it is."""

    def answer(self, request: str, line: str) -> str | None:
        return "42, what was the question" if request.upper().startswith("*IDN?") else line


class Twin(Fault):
    """It claims the serial 0007 for its own."""

    def answer(self, request: str, line: str) -> str | None:
        if not request.upper().startswith("*IDN?"):
            return line
        maker, model, _, firmware = line.split(",")
        return f"{maker},{model},0007,{firmware}"


class MidLine(Fault):
    """The cable is pulled in the middle of a line."""

    def data(self, lines: bytes) -> bytes:
        if lines:
            raise HangUp(lines[: len(lines) // 2])
        return lines


FAULTS: dict[str, Callable[[float], Fault]] = {
    "none": Fault,
    "garbled": Garbled,
    "lost": Lost,
    "silent": Silent,
    "deaf": Deaf,
    "stuck": Stuck,
    "limit": AtLimit,
    "beyond": BeyondLimit,
    "nan": NoNumber,
    "flood": Flood,
    "speed": WrongSpeed,
    "nonsense": Nonsense,
    "twin": Twin,
    "midline": MidLine,
}
