"""The session with one instrument: connect, ask who it is, stream, and come back after a loss."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from typing import Literal

from galena.instruments import address as addresses
from galena.instruments.address import Address, Transport
from galena.instruments.errors import InstrumentError, LinkLost, NoAnswer, RequestRefused
from galena.instruments.protocol import (
    Block,
    ChannelFacts,
    Identity,
    LineCounts,
    LineReader,
    parse_channels,
)

READ_EVERY = 0.02
ANSWER_WITHIN = 2.0
TRY_AGAIN_AFTER = 1.0
WATCH_RATE = 20.0
_CLOCK_ROUNDS = 5

Health = Literal["looking", "well", "silent", "gone", "strange"]


@dataclass(frozen=True)
class LinkState:
    """How the instrument is, why, and what to check."""

    health: Health
    reason: str
    advice: str = ""


@dataclass(frozen=True)
class StreamStart:
    """The start of a stream: its rate and the offset of the device's clock.

    clock_offset_us: host clock minus device clock, both in microseconds.
    """

    number: int
    rate: float
    clock_offset_us: float


Listener = Callable[["Link", Block, StreamStart], None]


@dataclass
class _Order:
    """Something to be done in the link's own thread, between two reads."""

    action: Callable[[], object]
    done: Future[object] = field(default_factory=Future)


class Link:
    """One instrument at one address, read by a thread of its own.

    `on_block` is called in that thread for every block of readings. `sink` is what a recorder
    sets through `restart`: it gets the blocks of the streams started from then on, so that
    the first reading of a run is the first of a stream.
    """

    def __init__(
        self,
        address: Address,
        on_block: Listener,
        on_state: Callable[[Link], None] = lambda link: None,
    ) -> None:
        self.address = address
        self.state = LinkState("looking", "asking who is there")
        self.identity: Identity | None = None
        self.channels: tuple[ChannelFacts, ...] = ()
        self.stream = StreamStart(0, WATCH_RATE, 0.0)
        self._on_block, self._on_state = on_block, on_state
        self._sink: Listener | None = None
        self._reader = LineReader()
        self._orders: queue.SimpleQueue[_Order] = queue.SimpleQueue()
        self._answers: list[str] = []
        self._transport: Transport | None = None
        self._heard = time.monotonic()
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"link {address}", daemon=True)

    @property
    def counts(self) -> LineCounts:
        """What became of the data lines of this session."""
        return self._reader.counts

    @property
    def max_rate(self) -> float:
        """The highest rate that all channels can give."""
        return min((channel.max_rate for channel in self.channels), default=0.0)

    def start(self) -> None:
        """Begin to look for the instrument."""
        self._thread.start()

    def stop(self) -> None:
        """Let go of the instrument; returns when its thread has ended."""
        self._stopping.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5.0)

    def request(self, text: str) -> str:
        """Send a request and give its answer.

        Raises LinkLost, NoAnswer or RequestRefused.
        """
        return str(self._in_thread(lambda: self._ask(text)))

    def restart(self, rate: float, sink: Listener | None = None) -> StreamStart:
        """Begin a new stream at a rate; its blocks also go to the sink, if one is given."""

        def order() -> StreamStart:
            self._ask("STREAM OFF")
            before, self._sink = self._sink, sink
            try:
                self._begin_stream(rate)
            except RequestRefused:
                self._sink = before
                self._begin_stream(self.stream.rate)
                raise
            return self.stream

        started = self._in_thread(order)
        assert isinstance(started, StreamStart)
        return started

    def release(self, sink: Listener) -> None:
        """Take the sink away and go back to the rate for watching."""
        if self._sink is not sink:
            return
        self._sink = None
        if self.state.health in ("well", "silent"):
            self.restart(min(WATCH_RATE, self.max_rate))

    def _in_thread(self, action: Callable[[], object]) -> object:
        if self._transport is None:
            raise LinkLost(f"{self._name} is not connected: {self.state.reason}.")
        order = _Order(action)
        self._orders.put(order)
        try:
            return order.done.result(timeout=4 * ANSWER_WITHIN)
        except TimeoutError as error:
            if isinstance(error, InstrumentError):
                raise
            raise NoAnswer(f"{self._name} did not answer. Is its cable in?") from error

    @property
    def _name(self) -> str:
        if self.identity is None:
            return self.address.label
        return f"{self.identity.model} {self.identity.serial}"

    def _run(self) -> None:
        while not self._stopping.is_set():
            try:
                self._session()
            except (LinkLost, NoAnswer) as error:
                self._say("gone", str(error).rstrip("."), "Is its cable in, and is it switched on?")
            except InstrumentError as error:
                self._say("strange", str(error).rstrip("."), "Is this an instrument for Galena?")
            finally:
                self._let_go()
            self._stopping.wait(TRY_AGAIN_AFTER)

    def _session(self) -> None:
        transport = addresses.connect(self.address)
        self._reader, self._answers = LineReader(), []
        self._transport = transport
        self._ask("STREAM OFF")
        self.identity = Identity.parse(self._ask("*IDN?"))
        self.channels = parse_channels(self._ask("CHAN:LIST?"))
        self._begin_stream(
            min(WATCH_RATE, self.max_rate) if self._sink is None else self.stream.rate
        )
        while not self._stopping.wait(READ_EVERY):
            self._take(transport.read(0.0))
            self._judge_silence()
            while not self._orders.empty():
                self._carry_out(self._orders.get())
        self._ask("STREAM OFF")

    def _begin_stream(self, rate: float) -> None:
        self._ask(f"RATE {rate:.9g}")
        offset = self._clock_offset()
        self._reader.expect(len(self.channels))
        self.stream = StreamStart(self.stream.number + 1, rate, offset)
        self._ask("STREAM ON")
        self._heard = time.monotonic()
        self._say("well", _rate_in_words(rate))

    def _clock_offset(self) -> float:
        """Host clock minus device clock in µs: of several round trips the shortest tells best."""
        trips = []
        for _ in range(_CLOCK_ROUNDS):
            before = time.monotonic_ns()
            device = int(float(self._ask("CLOCK?")))
            after = time.monotonic_ns()
            trips.append((after - before, (before + after) / 2000 - device))
        return min(trips)[1]

    def _carry_out(self, order: _Order) -> None:
        try:
            order.done.set_result(order.action())
        except InstrumentError as error:
            order.done.set_exception(error)
            if isinstance(error, LinkLost):
                raise

    def _ask(self, text: str) -> str:
        transport = self._transport
        if transport is None:
            raise LinkLost(f"{self._name} is not connected.")
        self._answers.clear()
        transport.write(text.encode("ascii", "replace") + b"\n")
        deadline = time.monotonic() + ANSWER_WITHIN
        while not self._answers:
            left = deadline - time.monotonic()
            if left <= 0:
                raise NoAnswer(f"no answer within {ANSWER_WITHIN:.0f} s")
            self._take(transport.read(min(left, 0.1)))
        answer = self._answers.pop(0)
        if answer.startswith("ERR"):
            raise RequestRefused(answer[3:].strip() or f"it refused {text}")
        return answer

    def _take(self, data: bytes) -> None:
        for item in self._reader.feed(data):
            if isinstance(item, str):
                self._answers.append(item)
                continue
            self._heard = time.monotonic()
            if self._sink is not None:
                self._sink(self, item, self.stream)
            self._on_block(self, item, self.stream)

    def _judge_silence(self) -> None:
        quiet = time.monotonic() - self._heard
        if quiet > 2.0 + 3 / self.stream.rate:
            self._say(
                "silent", f"no reading for {quiet:.0f} s", "Is its cable in? Does its lamp blink?"
            )
        elif self.state.health == "silent":
            self._say("well", _rate_in_words(self.stream.rate))

    def _say(self, health: Health, reason: str, advice: str = "") -> None:
        state = LinkState(health, reason, advice)
        if state != self.state:
            self.state = state
            self._on_state(self)

    def _let_go(self) -> None:
        transport, self._transport = self._transport, None
        if transport is not None:
            transport.close()
        while not self._orders.empty():
            self._orders.get().done.set_exception(
                LinkLost(f"{self._name} went away: {self.state.reason}.")
            )


def _rate_in_words(rate: float) -> str:
    return f"{rate:.6g} readings a second" if rate != 1 else "one reading a second"
