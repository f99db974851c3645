"""Answers that come late, odd or never: none is taken for another's, and a run goes on."""

import json
import os
import signal
import threading
import time

import numpy as np
import pytest

from galena.instruments import address
from galena.instruments import link as links
from galena.instruments.address import Address
from galena.instruments.dialogue import Dialogue
from galena.instruments.errors import InstrumentError, NoAnswer, RequestRefused
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import encode
from galena.instruments.rigs.process import RigProcess
from tests.waiting import until

WHO = "Skerry Works,Tide stick,0042,0.1"
LISTED = json.dumps([{"id": "d", "quantity": "depth", "symbol": "d", "unit": "m", "min": 0,
                      "max": 9, "resolution": 0.01, "max_rate": 1000}])  # fmt: skip


class Board:
    """A board that streams 200 readings a second, and answers as it is told to.

    `withheld`: requests whose answers wait until `late` are let go; `odd`: answers instead.
    """

    def __init__(self):
        self.withheld, self.odd = set(), {}
        self.late, self.out = b"", b""
        self.opened, self.sent, self.began = 0, 0, None
        self.asked = []

    def open(self):
        self.opened += 1
        self.began = None
        return self

    def close(self):
        pass

    def write(self, data):
        request = data.decode().strip()
        self.asked.append(request)
        if request.startswith("STREAM"):
            self.sent, self.began = 0, time.monotonic() if request == "STREAM ON" else None
        clock = f"{time.monotonic_ns() // 1000}"
        answers = {"*IDN?": WHO, "CHAN:LIST?": LISTED, "CLOCK?": clock} | self.odd
        answer = answers.get(request, f"OK {request}").encode() + b"\n"
        if request in self.withheld:
            self.late += answer
        else:
            self.out += answer

    def let_go(self):
        self.withheld = set()
        self.late, late = b"", self.late
        self.out += late

    def read(self, timeout):
        time.sleep(min(timeout, 0.005))
        data, self.out = self.out, b""
        if self.began is not None:
            due = int((time.monotonic() - self.began) * 200)
            sequence = np.arange(self.sent, due)
            self.sent = max(due, self.sent)
            data += encode(sequence, sequence * 5000, np.ones((sequence.size, 1)), (2,))
        return data


@pytest.fixture
def board():
    return Board()


def dialogue_with(board, patience=0.05):
    def take(data):
        for line in filter(None, data.decode().split("\n")):
            talk.heard(line)

    talk = Dialogue(board.open(), take, patience)
    assert talk.ask_who() == WHO
    return talk


def unanswered(board, times):
    """Give a dialogue in which a request was made so many times, and never answered."""
    talk = dialogue_with(board)
    board.withheld = {"RIG:ONE", "*IDN?"}
    for _ in range(times):
        with pytest.raises(NoAnswer):
            talk.ask("RIG:ONE")
    return talk


def test_a_late_answer_is_not_taken_for_the_next_ones(board):
    talk = dialogue_with(board)
    board.withheld = {"RIG:ONE"}
    with pytest.raises(NoAnswer):
        talk.ask("RIG:ONE")
    talk._patience = 30.0
    threading.Timer(0.01, board.let_go).start()
    assert talk.ask("RIG:TWO") == "OK RIG:TWO"
    assert talk.ask("RIG:THREE") == "OK RIG:THREE"
    assert board.asked.count("*IDN?") == 2


def test_the_late_answer_to_who_it_is_is_waited_for_too(board):
    talk = unanswered(board, 3)
    assert board.asked.count("RIG:ONE") == 1  # while it is not known whose answer comes
    board.let_go()
    assert talk.ask("RIG:TWO") == "OK RIG:TWO"
    assert not talk.in_doubt


def test_answers_that_never_came_are_not_waited_for_without_end(board):
    talk = unanswered(board, 2)
    board.withheld, board.late = set(), b""
    assert talk.ask("RIG:TWO") == "OK RIG:TWO"


def test_what_came_in_time_counts_though_it_is_read_late(board, monkeypatch):
    talk = dialogue_with(board)
    read = board.read

    def held_up(timeout):
        time.sleep(0.1)  # longer than an answer may take, as on a computer that was asleep
        return read(timeout)

    monkeypatch.setattr(board, "read", held_up)
    assert talk.ask("RIG:ONE") == "OK RIG:ONE"


def test_a_device_that_never_ends_its_lines_is_not_read_for_ever(board, monkeypatch):
    talk = dialogue_with(board)
    monkeypatch.setattr(board, "read", lambda timeout: b"\n")
    with pytest.raises(NoAnswer):
        talk.ask("RIG:ONE")


def test_what_it_refuses_is_told(board):
    talk = dialogue_with(board)
    board.odd = {"RATE 5": "ERR too slow", "RATE 6": "ERR"}
    with pytest.raises(RequestRefused, match="too slow"):
        talk.ask("RATE 5")
    with pytest.raises(RequestRefused, match="it refused RATE 6"):
        talk.ask("RATE 6")
    with pytest.raises(InstrumentError, match="one short line"):
        talk.ask("RATE 6\nRATE 7")


@pytest.fixture
def linked(board, monkeypatch):
    """A link to the board with its clock asked all the time, and the readings that a run got."""
    monkeypatch.setattr(links, "_CLOCK_EVERY", 0.05)
    monkeypatch.setattr(links, "TRY_AGAIN_AFTER", 0.05)
    link = Link(Address("tcp", "127.0.0.1", 1), lambda *_: None, connect=board.open)
    link.start()
    until(lambda: link.state.health == "well", "the link")
    link.got = []
    yield link
    link.stop()


def record(link):
    link.restart(200.0, lambda _link, block, stream: link.got.append(block.sequence))


def no_reading_is_missing(link):
    got = np.concatenate(link.got)
    assert got.tolist() == list(range(got.size))


def further(link, count=60):
    before = sum(map(len, link.got))
    until(lambda: sum(map(len, link.got)) > before + count, "further readings")


@pytest.mark.parametrize("answer", ["nonsense", "1,2,x", "9" * 40, "1,-1", "ERR busy"])
def test_an_odd_answer_about_its_clock_ends_no_run(linked, board, answer):
    record(linked)
    board.odd = {"CLOCK?": answer}
    further(linked)
    board.odd = {}
    until(lambda: linked.state.health == "well", f"the link, now {linked.state}")
    further(linked)
    assert board.opened == 1
    no_reading_is_missing(linked)


def test_a_run_goes_on_while_it_does_not_answer_and_that_is_told(linked, board):
    record(linked)
    board.withheld = {"CLOCK?", "*IDN?"}
    until(lambda: linked.state.reason == links.UNANSWERING, f"the words, now {linked.state}")
    assert linked.state.health == "poor"
    further(linked)
    with pytest.raises(NoAnswer):
        linked.request("RATE 5")
    board.let_go()
    until(lambda: linked.state.health == "well", f"the link, now {linked.state}")
    assert linked.request("RIG:TWO") == "OK RIG:TWO"
    further(linked)
    assert board.opened == 1
    no_reading_is_missing(linked)


def test_while_no_run_is_recorded_it_is_connected_anew(linked, board):
    board.withheld = {"CLOCK?", "*IDN?"}
    until(lambda: linked.state.health == "gone", f"the verdict, now {linked.state}")
    board.let_go()
    until(lambda: linked.state.health == "well", f"the link, now {linked.state}")
    assert board.opened > 1


def test_a_stand_in_that_is_held_up_loses_no_reading_of_a_run(monkeypatch):
    monkeypatch.setattr(links, "_CLOCK_EVERY", 0.05)
    with RigProcess("tide_tank", seed=3) as process:
        link = Link(address.parse(process.addresses[0]), lambda *_: None, patience=1.0)
        link.start()
        until(lambda: link.state.health == "well", "the link")
        link.got = []
        link.restart(100.0, lambda _link, block, stream: link.got.append(block.sequence))
        further(link, 20)
        os.kill(process._process.pid, signal.SIGSTOP)
        until(lambda: link.quiet_for > 2.0, "it to be silent for longer than an answer may take")
        os.kill(process._process.pid, signal.SIGCONT)
        further(link, 150)
        assert link.stream.number == 2
        no_reading_is_missing(link)
        link.stop()
