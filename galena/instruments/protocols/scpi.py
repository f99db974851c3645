"""An instrument that speaks SCPI (IEEE 488.2): it is polled, and the line protocol goes out.

Above the bytes it is like any other, as a board that prints numbers is. A reading's time is the
middle between the question and its answer; the standard uncertainty of that, where the reading may
have been taken anywhere in between, is the time between divided by the square root of 12
(JCGM 100:2008, 4.3.7).
"""

from __future__ import annotations

import json
import math
import queue
import re
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict

import numpy as np

from galena.instruments.address import Transport
from galena.instruments.errors import InstrumentError, LinkLost
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity, encode
from galena.instruments.protocols.scpi_commands import MeasuringCommand, fitting

ANSWERS_WITHIN = 5.0  # s: meters that integrate long take 3
GIVES_UP_AFTER = 3  # questions in a row without an answer
FASTEST = 100.0  # readings a second: it is not asked more often
BEYOND = 9.9e37  # and above: overload, or no number (SCPI-99, volume 1, 7.2.1.4 and 7.2.1.5)
MOST_FUNCTIONS = 8
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")
_ERROR = re.compile(r"\s*([+-]?\d+)\s*,\s*(.*)")


def speaks_scpi(raw: Transport) -> bool:
    """Tell whether an instrument keeps an error queue, as every one that speaks SCPI does."""
    answer = _asked(raw, "SYST:ERR?", 1.5)
    return answer is not None and _ERROR.fullmatch(answer) is not None


class ScpiMeter:
    """One meter behind the bytes of its port; polled by a thread of its own while it streams."""

    def __init__(
        self,
        raw: Transport,
        identity: Identity,
        commands: Sequence[MeasuringCommand],
        wall: Callable[[], float] = time.monotonic,
    ) -> None:
        self.identity, self._raw, self._wall = identity, raw, wall
        _sent(raw, "*CLS")
        self._digits: dict[str, float] = {}  # the last place that an answer is written to
        self._took = math.nan  # s for one round of questions
        self.functions = self._functions(commands)
        if not self.functions:
            raise InstrumentError(
                f"{identity.model} does not say what it measures ({self.trouble() or 'no error'}). "
                "Set it to voltage, current, resistance, frequency or temperature, or add a line "
                "for it to scpi_commands.txt"
            )
        self._lock = threading.Condition()
        self._out = bytearray()
        self._streaming = self._closed = False
        self._count = 0
        self._broken: LinkLost | None = None
        self._passed_on: queue.SimpleQueue[str] = queue.SimpleQueue()
        self._poller = threading.Thread(target=self._poll, name="SCPI poll", daemon=True)
        self._poller.start()

    def read(self, timeout: float) -> bytes:
        """Give lines of the line protocol, waiting at most so many seconds for the first."""
        with self._lock:
            if not self._out and self._broken is None and timeout > 0:
                self._lock.wait(timeout)
            if self._broken is not None:
                raise self._broken
            out, self._out = bytes(self._out), bytearray()
        return out

    def write(self, data: bytes) -> None:
        """Answer requests as a board does that speaks the line protocol."""
        with self._lock:
            for request in data.decode("ascii", "replace").split("\n"):
                if not request:
                    continue
                if request.upper().startswith("RIG:"):
                    self._passed_on.put(request)
                else:
                    self._out += self._answer(request.strip().upper()).encode("ascii") + b"\n"
            self._lock.notify_all()

    def close(self) -> None:
        with self._lock:
            self._closed = True
            self._lock.notify_all()
        self._poller.join(ANSWERS_WITHIN + 1)  # it reads no port that is closed
        self._raw.close()

    def trouble(self) -> str:
        """Read the error queue to its end; gives the first error, or an empty text."""
        first = ""
        for _ in range(20):
            told = _ERROR.fullmatch(_asked(self._raw, "SYST:ERR?", ANSWERS_WITHIN) or "0,")
            if told is None or int(told[1]) == 0:
                break
            first = first or f"{told[1]}, {told[2].strip().strip(chr(34))}"
        return first

    def channels(self) -> list[ChannelFacts]:
        """Describe what it measures; its step is the last place that its answers are written to."""
        rate = self.rate
        return [
            ChannelFacts(one.function.replace(":", "_"), one.quantity, one.symbol, one.unit,
                         one.least, one.most, self._digits[one.function], rate, own_rate=rate)
            for one in self.functions
        ]  # fmt: skip

    @property
    def rate(self) -> float:
        """Rounds a second as it was asked at first, to three significant digits."""
        return float(f"{min(FASTEST, 1 / max(self._took, 1e-6)):.3g}")

    def _answer(self, request: str) -> str:
        if request == "*IDN?":
            return ",".join(asdict(self.identity).values())
        if request == "CHAN:LIST?":
            return json.dumps([asdict(one) for one in self.channels()])
        if request == "CLOCK?":
            return f"{self._wall() * 1e6:.0f},1,{self._took * 1e6 / math.sqrt(12):.0f}"
        if request == "STREAM ON":
            self._streaming, self._count = True, 0
            return "OK"
        if request == "STREAM OFF":
            self._streaming = False
            return "OK"
        return "ERR it is asked for readings as fast as it answers"

    def _functions(self, commands: Sequence[MeasuringCommand]) -> list[MeasuringCommand]:
        """Tell what it measures: what it is set to, or what it gives an answer to without harm."""
        model = self.identity.model
        own = [one for one in commands if one.is_for(model) and one.models != "*"]
        for question in ("FUNC?", "CONF?"):
            answer = _asked(self._raw, question, 1.5)
            if answer and (set_to := re.match(r'\s*"?([A-Za-z:]+)', answer)):
                chosen = fitting(commands, model, set_to[1])
                if chosen is not None and self._gives_a_number(chosen):
                    return [chosen]
        self.trouble()
        tried = own or [one for one in commands if one.is_tried and one.is_for(model)]
        answered: dict[str, MeasuringCommand] = {}
        for one in tried[: 2 * MOST_FUNCTIONS]:
            if one.function not in answered and self._gives_a_number(one):
                answered[one.function] = one
        self._took *= len(answered) or 1
        return list(answered.values())[:MOST_FUNCTIONS]

    def _gives_a_number(self, command: MeasuringCommand) -> bool:
        began = self._wall()
        answer = _asked(self._raw, command.command, ANSWERS_WITHIN)
        took = self._wall() - began
        if answer is None or (read := _NUMBER.fullmatch(answer.strip())) is None:
            self.trouble()
            return False
        if self.trouble():
            return False
        self._took = took if math.isnan(self._took) else max(self._took, took)
        self._digits[command.function] = _last_place(read[0])
        return True

    def _poll(self) -> None:
        try:
            silent = 0
            while True:
                with self._lock:
                    while not (self._closed or self._streaming or not self._passed_on.empty()):
                        self._lock.wait()
                    if self._closed:
                        return
                    streaming, count = self._streaming, self._count
                while not self._passed_on.empty():
                    self._pass_on(self._passed_on.get())
                if streaming:
                    began = self._wall()
                    silent = 0 if self._round(count) else silent + 1
                    if silent >= GIVES_UP_AFTER:
                        raise LinkLost(f"it has not answered for {silent * ANSWERS_WITHIN:.0f} s")
                    time.sleep(max(0.0, 1 / FASTEST - (self._wall() - began)))
        except LinkLost as error:
            with self._lock:
                self._broken = error
                self._lock.notify_all()

    def _pass_on(self, request: str) -> None:
        """Hand on what only a stand-in understands."""
        answer = _asked(self._raw, request, ANSWERS_WITHIN)
        with self._lock:
            self._out += (answer or "ERR no answer").encode("ascii", "replace") + b"\n"
            self._lock.notify_all()

    def _round(self, count: int) -> bool:
        """Ask for each value once and write the line; tells whether an answer came."""
        began, values = self._wall(), []
        for one in self.functions:
            answer = _asked(self._raw, one.command, ANSWERS_WITHIN, lambda: self._closed)
            if answer is None:
                return False
            values.append(_value(answer))
        ended = self._wall()
        stamp = np.array([round((began + ended) / 2 * 1e6)], dtype=np.int64)
        with self._lock:
            if not self._streaming or self._count != count:
                return True  # a new stream was begun meanwhile
            self._count += 1
            if None in values:
                self._out += b"#*\n"  # counted as garbled by who reads; its number is missing
            else:
                row = np.array([values], dtype=np.float64)
                self._out += encode(np.array([count]), stamp, row, (None,) * len(values))
            self._lock.notify_all()
        if None in values:
            self.trouble()
        return True


def _value(answer: str) -> float | None:
    """Read an answer; overload is no number, and None is what is no answer to the question."""
    read = _NUMBER.fullmatch(answer.strip())
    if read is None:
        return None
    value = float(read[0])
    return math.nan if abs(value) >= BEYOND else value


def _last_place(text: str) -> float:
    """Give the unit of the last digit that a number is written with: 0.001 for `+1.250E+00`."""
    mantissa, _, power = text.lower().partition("e")
    decimals = len(mantissa.partition(".")[2])
    return float(f"1e{int(power or 0) - decimals}")


def _sent(raw: Transport, request: str) -> None:
    raw.write(request.encode("ascii") + b"\n")


def _asked(
    raw: Transport, request: str, within: float, is_over: Callable[[], bool] = lambda: False
) -> str | None:
    """Send a question and give its answer; None where none came in time, or it is over before.

    What is still on its way from an earlier question that was given up is read away first.
    """
    while raw.read(0.0):
        pass
    _sent(raw, request)
    came, ends = b"", time.monotonic() + within
    while b"\n" not in came:
        left = ends - time.monotonic()
        if left <= 0 or is_over():
            return None
        came += raw.read(min(left, 0.1))
    return came.partition(b"\n")[0].decode("ascii", "replace").strip()
