"""Speaks to a board as Galena would and says in words what is right and what is wrong.

For whoever makes a board: each verdict names the request, what came, and what is asked for.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from galena.instruments import address as addresses
from galena.instruments.address import Address, Transport
from galena.instruments.errors import InstrumentError, LinkLost
from galena.instruments.protocols.line_v1 import (
    Block,
    ChannelFacts,
    Identity,
    LineReader,
    parse_channels,
)
from galena.instruments.protocols.plain_lines import layout_of

ANSWERS_WITHIN = 2.0
_CLOCK_ROUNDS = 10
_SLOW_CLOCK_US = 5000.0
_RATE_WITHIN = 0.05  # of the rate that was asked for


@dataclass(frozen=True)
class Verdict:
    """Whether one thing is as docs/protocol.md asks, in words."""

    is_right: bool
    words: str


class _Conversation:
    """Requests and answers over a transport, with the readings that come in between."""

    def __init__(self, transport: Transport) -> None:
        self.transport = transport
        self.reader = LineReader()
        self.blocks: list[Block] = []
        self.answers: list[str] = []

    def listen(self, seconds: float) -> None:
        """Take what comes within so many seconds."""
        ends = time.monotonic() + seconds
        while (left := ends - time.monotonic()) > 0:
            self._take(self.transport.read(min(left, 0.05)))

    def ask(self, request: str) -> str | None:
        """Send a request and give its answer; None where none came in time."""
        self.answers.clear()
        self.transport.write(request.encode("ascii") + b"\n")
        ends = time.monotonic() + ANSWERS_WITHIN
        while not self.answers and (left := ends - time.monotonic()) > 0:
            self._take(self.transport.read(min(left, 0.05)))
        return self.answers[0] if self.answers else None

    def _take(self, data: bytes) -> None:
        for item in self.reader.feed(data):
            if isinstance(item, Block):
                self.blocks.append(item)
            else:
                self.answers.append(item)


def address_of(port: str, speed: int | None = None) -> Address:
    """Read the name of a port, as a person types it, or an address."""
    address = addresses.parse(port if ":/" in port else f"serial:{port}")
    if speed is not None and address.kind == "serial":
        return Address("serial", address.place, speed)
    return address


def check_board(
    port: str,
    speed: int | None = None,
    seconds: float = 3.0,
    say: Callable[[Verdict], None] = lambda verdict: None,
) -> list[Verdict]:
    """Check a board at a port; gives all verdicts, and tells each as soon as it is known."""
    verdicts = []
    for verdict in _verdicts(address_of(port, speed), seconds):
        verdicts.append(verdict)
        say(verdict)
    return verdicts


def _verdicts(address: Address, seconds: float) -> Iterator[Verdict]:
    try:
        transport = addresses.connect(address)
    except LinkLost as error:
        yield Verdict(False, f"{error}.")
        return
    yield Verdict(True, f"{address.label} can be opened.")
    try:
        yield from _spoken(_Conversation(transport), address, seconds)
    except LinkLost as error:
        yield Verdict(False, f"It went away in the middle of it: {error}.")
    finally:
        transport.close()


def _spoken(talk: _Conversation, address: Address, seconds: float) -> Iterator[Verdict]:
    talk.listen(2.0 if address.kind == "serial" else 0.2)  # many boards begin anew when opened
    talk.ask("STREAM OFF")
    answer = talk.ask("*IDN?")
    if answer is None:
        yield _unanswered(talk, address)
        return
    try:
        identity = Identity.parse(answer)
    except InstrumentError as error:
        yield Verdict(False, f"*IDN?: {error}.")
        return
    yield Verdict(True, f"*IDN? says {identity.model}, serial {identity.serial}.")
    listed = talk.ask("CHAN:LIST?")
    try:
        channels = parse_channels(listed or "")
    except InstrumentError as error:
        yield Verdict(False, f"CHAN:LIST?: {error}. It answered “{(listed or 'nothing')[:60]}”.")
        return
    yield from _listed(channels)
    yield from _clock(talk)
    yield _refusal(talk)
    yield from _stream(talk, channels, seconds)


def _unanswered(talk: _Conversation, address: Address) -> Verdict:
    share = talk.reader.unreadable_share
    if share > 0.2:
        return Verdict(
            False, f"What it sends is no text ({share:.0%} of it): is {address.number} baud right?"
        )
    return Verdict(
        False,
        "*IDN? is not answered within 2 s. Each request ends with LF, and is answered by one line. "
        "If it only prints numbers, Galena reads it as such: say so on the Bench.",
    )


def _listed(channels: tuple[ChannelFacts, ...]) -> Iterator[Verdict]:
    for channel in channels:
        steps = (channel.max - channel.min) / channel.resolution
        fine = 1 <= steps < 1e12
        words = (
            f"channel {channel.id}: {channel.quantity} in {channel.unit or 'no unit'}, "
            f"{channel.min:g} to {channel.max:g} in steps of {channel.resolution:g}, "
            f"at most {channel.max_rate:g} a second"
        )
        yield Verdict(fine, words + ("." if fine else ": the step does not fit the limits."))


def _clock(talk: _Conversation) -> Iterator[Verdict]:
    trips, stamps = [], []
    for _ in range(_CLOCK_ROUNDS):
        before = time.monotonic_ns()
        answer = talk.ask("CLOCK?")
        trips.append((time.monotonic_ns() - before) / 1000)
        try:
            stamps.append(float((answer or "").split(",")[0]))
        except ValueError:
            yield Verdict(
                False,
                f"CLOCK? is answered by “{(answer or 'nothing')[:40]}”; it should be the board's "
                "clock in whole microseconds.",
            )
            return
    forward = bool(np.all(np.diff(stamps) >= 0))
    yield _judged(
        forward,
        "CLOCK? goes forward.",
        "CLOCK? goes back: does it overflow? Count on in 64 bits.",
    )
    within = f"CLOCK? is answered within {min(trips) / 1000:.2f} ms at best"
    yield _judged(
        min(trips) < _SLOW_CLOCK_US,
        f"{within}.",
        f"{within}: answer it at once, before anything else.",
    )


def _judged(is_right: bool, right: str, wrong: str) -> Verdict:
    return Verdict(is_right, right if is_right else wrong)


def _refusal(talk: _Conversation) -> Verdict:
    answer = talk.ask("NOTHING:SUCH 1")
    said = (answer or "nothing")[:60]
    return _judged(
        said.upper().startswith("ERR"),
        f"What it cannot do it refuses: “{said}”.",
        f"An unknown request is answered by “{said}”; it should be ERR and a reason.",
    )


def _stream(
    talk: _Conversation, channels: tuple[ChannelFacts, ...], seconds: float
) -> Iterator[Verdict]:
    own = max(channel.own_rate for channel in channels)
    rate = own or min(20.0, min(channel.max_rate for channel in channels))
    if not own and (answer := talk.ask(f"RATE {rate:g}")) != "OK":
        yield Verdict(False, f"RATE is answered by “{(answer or 'nothing')[:60]}”, not OK.")
        return
    talk.reader.expect(len(channels))
    talk.blocks.clear()
    if (answer := talk.ask("STREAM ON")) != "OK":
        yield Verdict(False, f"STREAM ON is answered by “{(answer or 'nothing')[:60]}”, not OK.")
        return
    talk.listen(max(seconds, 5 / rate))
    heard = list(talk.answers)
    answer = talk.ask("STREAM OFF")
    yield _judged(
        answer == "OK",
        "STREAM ON and STREAM OFF are answered by OK.",
        "STREAM OFF is not answered by OK.",
    )
    if not talk.blocks:
        yield Verdict(False, _no_line(talk, heard, len(channels)))
        return
    yield from _lines(talk, rate)
    talk.blocks.clear()
    talk.listen(max(0.3, 2 / rate))
    yield _judged(
        not talk.blocks, "After STREAM OFF it is quiet.", "After STREAM OFF data lines still come."
    )


def _no_line(talk: _Conversation, heard: list[str], count: int) -> str:
    if talk.reader.counts.garbled:
        return (
            f"{talk.reader.counts.garbled} data lines came and none can be read: each is "
            f"#seq,t_us,{','.join(f'v{n}' for n in range(1, count + 1))}*hh with the exclusive or "
            "of all between # and * in two hexadecimal digits."
        )
    if layout_of(heard[-3:]) is not None:
        return "Lines of numbers came, but no data lines: those begin with #."
    return "No data line came after STREAM ON."


def _lines(talk: _Conversation, rate: float) -> Iterator[Verdict]:
    counts = talk.reader.counts
    bad = counts.garbled + counts.lost + counts.repeated + counts.late
    yield _judged(
        bad == 0,
        f"{counts.good} data lines are whole and in order.",
        f"Of {counts.good + bad} data lines {counts.garbled} are garbled, {counts.lost} lost, "
        f"{counts.repeated} repeated and {counts.late} late.",
    )
    sequence = np.concatenate([block.sequence for block in talk.blocks])
    stamps = np.concatenate([block.stamps for block in talk.blocks])
    values = np.concatenate([block.values for block in talk.blocks])
    yield _judged(
        sequence[0] == 0,
        "The first line has the sequence number 0.",
        f"The first line has the sequence number {sequence[0]}, not 0.",
    )
    lasted = (stamps[-1] - stamps[0]) / 1e6
    if sequence.size > 2:
        real = (sequence[-1] - sequence[0]) / lasted if lasted > 0 else 0.0
        yield Verdict(
            abs(real - rate) < _RATE_WITHIN * rate,
            f"By its own stamps it gives {real:.4g} readings a second, where "
            f"{rate:g} were asked for.",
        )
    missing = int(np.count_nonzero(np.isnan(values)))
    yield _judged(
        not missing, "Every value is a number.", f"{missing} values are no numbers (nan)."
    )
