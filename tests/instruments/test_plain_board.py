"""Boards that just print numbers, over TCP and a serial line, as instruments."""

import numpy as np
import pytest

from galena.instruments.address import Address
from galena.instruments.errors import LinkLost
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import LineReader, parse_channels
from galena.instruments.protocols.plain_board import BoardFacts, ColumnFacts, PlainBoard
from galena.instruments.protocols.recognising import Recogniser
from galena.instruments.rigs.process import RigProcess
from tests.printing import Printing, PrintingPort
from tests.waiting import until

TEMPERATURE = ColumnFacts("temperature", "T", "°C", -40.0, 125.0, 0.1)
MOISTURE = ColumnFacts("relative humidity", "H", "%", 0.0, 100.0, 1.0)
TIME = ColumnFacts("time", "t", "ms", 0.0, 1e9, 1.0)


class Port:
    """A port into which a test prints."""

    def __init__(self):
        self.waiting, self.is_closed = b"", False

    def read(self, timeout):
        data, self.waiting = self.waiting, b""
        return data

    def write(self, data):
        raise AssertionError("a board that prints is told nothing")

    def close(self):
        self.is_closed = True


class Board:
    """A board behind a port, and this computer's clock; both go on as the test says."""

    def __init__(self, lines, facts=None):
        self.port, self.now = Port(), 100.0
        self.board = PlainBoard(self.port, "S7", lines, facts, wall=lambda: self.now)
        self.reader = LineReader()

    def ask(self, request):
        self.board.write(request.encode() + b"\n")
        return self.board.read(0.0).decode().strip()

    def start(self):
        self.channels = parse_channels(self.ask("CHAN:LIST?"))
        self.reader.expect(len(self.channels))
        assert self.ask("STREAM ON") == "OK"
        return self

    def prints(self, *lines, after=0.1):
        self.now += after
        self.port.waiting = "".join(f"{line}\r\n" for line in lines).encode()
        return list(self.reader.feed(self.board.read(0.0)))


@pytest.fixture
def quick(monkeypatch):
    monkeypatch.setattr("galena.instruments.protocols.plain_board.SETTLES_WITHIN", -1.0)


def test_it_says_who_it_is_and_describes_its_columns_as_they_are_printed(quick):
    board = Board(["T:23.4 RH:55"] * 3)
    assert board.ask("*IDN?") == "any,Printing board,S7,-"
    first, second = parse_channels(board.ask("CHAN:LIST?"))
    assert (first.id, first.quantity, first.symbol, first.resolution) == ("c1", "T", "T", 0.1)
    assert (second.min, second.max, second.resolution) == (-1000.0, 1000.0, 1.0)
    assert first.own_rate > 0
    assert board.ask("RATE 20").startswith("ERR it prints numbers at a pace of its own")


def test_it_describes_its_columns_as_a_person_has(quick):
    facts = BoardFacts((TIME, TEMPERATURE), clock=0, clock_unit="ms")
    (channel,) = parse_channels(Board(["0,23.4"] * 3, facts).ask("CHAN:LIST?"))
    assert (channel.id, channel.symbol, channel.unit, channel.max) == ("c2", "T", "°C", 125.0)


def test_what_was_said_of_another_number_of_columns_is_not_taken(quick):
    channels = parse_channels(Board(["23.4,5,6"] * 3, BoardFacts((TEMPERATURE,))).ask("CHAN:LIST?"))
    assert [one.symbol for one in channels] == ["c1", "c2", "c3"]


def test_lines_become_readings_with_all_their_digits(quick):
    board = Board(["23.4,55"] * 3).start()
    (block,) = board.prints("23.41999999999,55", "23.5,56")
    assert block.values.tolist() == [[23.41999999999, 55.0], [23.5, 56.0]]
    assert block.sequence.tolist() == [0, 1]
    (block,) = board.prints("23.6,57")
    assert block.sequence.tolist() == [2]


def test_a_line_in_two_pieces_is_one_and_a_name_line_is_none(quick):
    board = Board(["23.4,55"] * 3).start()
    board.port.waiting = b"T,RH\r\n23."
    assert board.board.read(0.0) == b""
    board.port.waiting = b"5,56\r\n"
    (block,) = board.reader.feed(board.board.read(0.0))
    assert block.values.tolist() == [[23.5, 56.0]] and board.reader.counts.garbled == 0


def test_garbled_lines_are_counted_and_leave_a_gap(quick):
    board = Board(["23.4,55"] * 3).start()
    board.prints("23.4,55")
    (block,) = board.prints("23.§,55", "4,55,3", "23.6,57")
    assert block.values.tolist() == [[23.6, 57.0]]
    assert block.sequence.tolist() == [3]
    assert board.reader.counts.garbled == 2


def test_a_megabyte_without_an_end_is_one_garbled_line_and_keeps_no_room(quick):
    board = Board(["23.4"] * 3).start()
    for _ in range(16):
        board.port.waiting = b"7" * 65_536
        list(board.reader.feed(board.board.read(0.0)))
    assert len(board.board._tail) <= 2_000
    assert board.reader.counts.garbled >= 1
    board.prints("")
    (block,) = board.prints("23.4")
    assert block.values.tolist() == [[23.4]]


def test_columns_that_change_are_told_and_looked_at_anew(quick):
    board = Board(["23.4,55"] * 3).start()
    with pytest.raises(LinkLost, match="its columns have changed: 2 before, 3 now"):
        board.prints(*["1,2,3"] * 20)


def test_a_clock_of_its_own_gives_the_times(quick):
    board = Board(["0,23.4"] * 3, BoardFacts((TIME, TEMPERATURE), 0, "ms")).start()
    (first,) = board.prints("5000,23.4", "5100,23.5")
    (second,) = board.prints("5200,23.6", after=0.5)
    assert first.stamps.tolist() == [5_000_000, 5_100_000]
    assert second.stamps.tolist() == [5_200_000]
    assert second.values.tolist() == [[23.6]]
    device, pace, _ = board.ask("CLOCK?").split(",")
    assert float(device) == pytest.approx(5_200_000, abs=1_000) and pace == "1"
    with pytest.raises(LinkLost, match="its clock began anew"):
        board.prints("12,23.6")


def test_a_count_of_its_own_tells_lost_lines(quick):
    count = ColumnFacts("number", "n", "", 0.0, 1e9, 1.0)
    board = Board(["1,23.4"] * 3, BoardFacts((count, TEMPERATURE), 0, "count")).start()
    board.prints("7,23.4", "8,23.4")
    (block,) = board.prints("12,23.5")
    assert block.sequence.tolist() == [5]
    assert board.reader.counts.lost == 3
    (block,) = board.prints("1,23.5")  # it was switched off and on
    assert block.sequence.tolist() == [6]


@pytest.fixture
def linked():
    links = []

    def link(address, recogniser):
        blocks = []
        made = Link(
            address, lambda link, block, stream: blocks.append(block),
            connect=lambda: recogniser.open(address),
        )  # fmt: skip
        made.start()
        links.append(made)
        return made, blocks

    yield link
    for one in links:
        one.stop()


@pytest.mark.parametrize("greeting", [b"", b"T,RH\r\n", b"ready\r\n3.4,"])
def test_a_board_at_a_tcp_port_is_recognised_and_read(linked, greeting):
    printing = Printing(lambda n: f"{20 + n / 100:.2f},{55 + n % 3}", greeting=greeting)
    link, blocks = linked(printing.address, Recogniser(lambda key: None))
    until(lambda: link.state.is_live and len(blocks) > 20, "readings")
    assert link.identity.model == "Printing board"
    assert link.own_rate == pytest.approx(50, rel=0.2)
    assert "at its own pace" in link.state.reason
    values = np.concatenate([block.values for block in blocks])
    assert np.allclose(np.diff(values[:, 0]), 0.01)
    assert (np.diff(np.concatenate([block.stamps for block in blocks])) > 0).all()
    printing.close()


def test_what_a_person_has_said_of_the_port_is_asked_for(linked):
    printing = Printing(lambda n: f"{20 + n / 100:.2f},{55 + n % 3}")
    facts = BoardFacts((TEMPERATURE, MOISTURE))
    link, _ = linked(printing.address, Recogniser(lambda key: facts, lambda address: "port 3"))
    until(lambda: link.state.is_live, "readings")
    assert [one.symbol for one in link.channels] == ["T", "H"]
    assert link.identity.serial == "port 3"
    printing.close()


def test_a_board_that_speaks_the_line_protocol_is_left_as_it_is(linked):
    with RigProcess("tide_tank", seed=3) as rig:
        where = rig.addresses[0].removeprefix("tcp://").split(":")
        link, _ = linked(Address("tcp", where[0], int(where[1])), Recogniser())
        until(lambda: link.state.is_live, "readings")
        assert link.identity.model != "Printing board" and link.own_rate == 0


def test_words_instead_of_numbers_are_told(linked):
    printing = Printing(lambda n: "waiting for the sensor")
    link, _ = linked(printing.address, Recogniser())
    until(lambda: link.state.health in ("strange", "gone"), "the words")
    printing.close()


@pytest.mark.parametrize("speed", [115_200, 9_600, 57_600])
def test_the_speed_of_a_serial_line_is_found(linked, speed):
    port = PrintingPort(lambda n: f"T:{20 + n / 100:.2f} RH:55", speed)
    link, blocks = linked(Address("serial", port.device, 115_200), Recogniser())
    until(lambda: link.state.is_live and blocks, "readings")
    assert [one.symbol for one in link.channels] == ["T", "RH"]
    port.close()
