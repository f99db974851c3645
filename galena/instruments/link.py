"""The session with one instrument: connect, ask who it is, stream, and come back after a loss."""

from __future__ import annotations

import logging
import queue
import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from functools import partial

from galena.core.plans import rate_in_words
from galena.instruments import address as addresses
from galena.instruments.address import BAUD, Address, Transport
from galena.instruments.clock import DeviceClock
from galena.instruments.dialogue import Dialogue
from galena.instruments.errors import (
    InstrumentError,
    LinkLost,
    NoAnswer,
    NoClock,
    RequestRefused,
)
from galena.instruments.line_quality import LineQuality
from galena.instruments.link_state import Health, LinkState, StreamStart
from galena.instruments.protocols.line_v1 import (
    Block,
    ChannelFacts,
    Identity,
    LineCounts,
    LineReader,
    parse_channels,
)
from galena.instruments.protocols.plain_board import PlainBoard

READ_EVERY, ANSWER_WITHIN, TRY_AGAIN_AFTER = 0.02, 2.0, 1.0  # seconds
WATCH_RATE = 20.0
_ROUNDS_AT_START = (5, 40)  # at least and at most: until one was short
_ROUNDS_LATER = (3, 3)
_CLOCK_EVERY, _LEAST_RATE = 3.0, 1e-4  # s; readings a second

UNANSWERING = "its readings come, but it does not answer"
STRANGE = "Is this an instrument for Galena?"
log = logging.getLogger(__name__)

Connect = Callable[[], Transport]
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
    the first reading of a run is the first of a stream. `patience` is how many seconds an answer
    may take.
    """

    def __init__(
        self,
        address: Address,
        on_block: Listener,
        on_state: Callable[[Link], None] = lambda link: None,
        connect: Connect | None = None,
        patience: float = ANSWER_WITHIN,
    ) -> None:
        self.address = address
        self._patience = patience
        self.state = LinkState("looking", "asking who is there")
        self.identity: Identity | None = None
        self.channels: tuple[ChannelFacts, ...] = ()
        self.clock = DeviceClock()
        self.stream = StreamStart(0, WATCH_RATE, self.clock.estimate())
        self._on_block, self._on_state = on_block, on_state
        self._connect = connect or partial(addresses.connect, address)
        self._sink: Listener | None = None
        self._reader = LineReader()
        self._quality = LineQuality(self._reader.counts)
        self._clock_asked = 0.0
        self._orders: queue.SimpleQueue[_Order] = queue.SimpleQueue()
        self._transport: Transport | None = None
        self._dialogue: Dialogue | None = None
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

    @property
    def board(self) -> PlainBoard | None:
        """The board that just prints numbers, where it is one."""
        return self._transport if isinstance(self._transport, PlainBoard) else None

    @property
    def own_rate(self) -> float:
        """The readings a second that it gives where it cannot be told a rate; else 0."""
        return max((channel.own_rate for channel in self.channels), default=0.0)

    @property
    def is_recording(self) -> bool:
        """Tell whether a recorder takes its readings."""
        return self._sink is not None

    @property
    def quiet_for(self) -> float:
        """For how many seconds no reading has come."""
        return time.monotonic() - self._heard

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
        if self._sink is sink:
            self._sink = None
            self.rewatch()

    def rewatch(self) -> None:
        """Go back to the rate for watching, as after a change of the device's pace."""
        if self._sink is None and (self.state.is_live or self.state.health == "silent"):
            self._in_thread(self._begin_watching)

    def _begin_watching(self) -> None:
        self._ask("STREAM OFF")
        self._begin_stream(None)

    def _in_thread(self, action: Callable[[], object]) -> object:
        if self._transport is None:
            raise LinkLost(f"{self._name} is not connected: {self.state.reason}.")
        order = _Order(action)
        self._orders.put(order)
        try:
            return order.done.result(timeout=4 * self._patience)
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
                self._say_gone(error)
            except InstrumentError as error:
                if not self._say_unreadable():
                    self._say("strange", str(error).rstrip("."), STRANGE)
            except Exception as error:  # whatever it sends, it is looked at again
                log.exception("Reading %s went wrong.", self.address)
                reason = f"what it sends cannot be worked with ({type(error).__name__})"
                self._say("strange", reason, STRANGE)
            finally:
                self._let_go()
            self._stopping.wait(TRY_AGAIN_AFTER)

    def _say_gone(self, error: Exception) -> None:
        if isinstance(error, NoAnswer) and self._say_unreadable():
            return
        reason = str(error).rstrip(".")
        if self.identity is None or isinstance(error, NoAnswer):
            self._say("gone", reason, "Is its cable in, and is it switched on?")
        elif not self.state.reason.startswith("unplugged"):
            advice = "Plug it in again: it goes on by itself, with its zero, sign and calibration."
            self._say("gone", f"unplugged: {reason}", advice)

    def _say_unreadable(self) -> bool:
        share = self._reader.unreadable_share
        if share < 0.2:
            return False
        speed = f"{self.address.number if self.address.kind == 'serial' else BAUD:,}"
        self._say(
            "strange",
            f"it sends what cannot be read: {share:.0%} of the characters are no text",
            f"Is the speed right? It is read at {speed.replace(',', ' ')} baud.",
        )
        return True

    def _session(self) -> None:
        transport = self._connect()
        self._reader = LineReader()
        self._quality = LineQuality(self._reader.counts)
        self.clock = DeviceClock()
        self._dialogue = Dialogue(transport, self._take, self._patience)
        self._transport = transport
        self._ask("STREAM OFF")
        self.identity = Identity.parse(self._talk.ask_who())
        self.channels = parse_channels(self._ask("CHAN:LIST?"))
        self._begin_stream(None if self._sink is None else self.stream.rate)
        while not self._stopping.wait(READ_EVERY):
            self._take(transport.read(0.0))
            self._judge()
            if time.monotonic() > self._clock_asked + _CLOCK_EVERY:
                self._follow_its_clock()
            while not self._orders.empty():
                self._carry_out(self._orders.get())
        self._ask("STREAM OFF")

    def _begin_stream(self, rate: float | None) -> None:
        """Start a stream at a rate, or at that for watching; the device's clock is asked first."""
        self._compare_clocks(*_ROUNDS_AT_START)
        clock = self.clock.estimate()
        if self.own_rate:
            rate = self.own_rate
        else:
            if rate is None:
                rate = max(_LEAST_RATE, min(WATCH_RATE, self.max_rate) / clock.pace)
            self._ask(f"RATE {rate:.9g}")
        self._reader.expect(len(self.channels))
        self.stream = StreamStart(self.stream.number + 1, rate, clock)
        self._ask("STREAM ON")
        self._heard = time.monotonic()
        self._quality.begin(self._heard)
        self._say("well", self._pace_in_words())

    def _pace_in_words(self) -> str:
        words = rate_in_words(self.stream.rate)
        return f"{words}, at its own pace" if self.own_rate else words

    def _follow_its_clock(self) -> None:
        """Compare the clocks again. A run does without where no answer comes or an odd one: to
        connect anew would cost it readings."""
        try:
            self._compare_clocks(*_ROUNDS_LATER)
        except (NoAnswer, RequestRefused):
            if self._sink is None:
                raise
            self._clock_asked = time.monotonic()

    def _compare_clocks(self, least: int, most: int) -> None:
        """Ask the device's clock several times, until a trip was short."""
        try:
            self.clock.compare(lambda: self._ask("CLOCK?"), least, most)
        except NoClock:
            self._talk.in_doubt = True
            raise
        self._clock_asked = time.monotonic()

    def _carry_out(self, order: _Order) -> None:
        try:
            order.done.set_result(order.action())
        except InstrumentError as error:
            order.done.set_exception(error)
            if isinstance(error, LinkLost):
                raise

    @property
    def _talk(self) -> Dialogue:
        if self._dialogue is None:
            raise LinkLost(f"{self._name} is not connected.")
        return self._dialogue

    def _ask(self, text: str) -> str:
        return self._talk.ask(text)

    def _take(self, data: bytes) -> None:
        for item in self._reader.feed(data):
            if isinstance(item, str):
                self._talk.heard(item)
                continue
            self._heard = time.monotonic()
            if self._sink is not None:
                self._sink(self, item, self.stream)
            self._on_block(self, item, self.stream)

    def _judge(self) -> None:
        """Say how the stream is: silent, poor, or well."""
        now = time.monotonic()
        quiet = now - self._heard
        interval = 1 / (self.stream.rate * self.stream.clock.pace)
        if quiet > 2.0 + 3 * interval:
            if not self._say_unreadable():
                reason = f"no reading for {quiet:.0f} s"
                self._say("silent", reason, "Is its cable in? Does its lamp blink?")
        elif (fault := self._quality.fault(now)) is not None:
            self._say("poor", *fault)
        elif self._talk.in_doubt:
            self._say("poor", UNANSWERING, "A run goes on. Switch it off and on before the next.")
        elif self.state.health != "well":
            self._say("well", self._pace_in_words())

    def _say(self, health: Health, reason: str, advice: str = "") -> None:
        state = LinkState(health, reason, advice)
        if state != self.state:
            self.state = state
            self._on_state(self)

    def _let_go(self) -> None:
        transport, self._transport, self._dialogue = self._transport, None, None
        if transport is not None:
            transport.close()
        while not self._orders.empty():
            self._orders.get().done.set_exception(
                LinkLost(f"{self._name} went away: {self.state.reason}.")
            )
