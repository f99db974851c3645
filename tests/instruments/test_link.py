import json
import os
import pty
import select
import socket
import threading
import time
import tty

import numpy as np
import pytest

from galena.instruments import address, discovery
from galena.instruments.errors import AddressError, LinkLost, RequestRefused
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import encode
from galena.instruments.rigs.process import RigProcess
from tests.waiting import until


@pytest.fixture(scope="module")
def rig():
    with RigProcess("tide_tank", seed=3) as process:
        yield process


@pytest.fixture
def link_to():
    links = []

    def make(where):
        link = Link(address.parse(where), lambda link, block, stream: None)
        link.start()
        links.append(link)
        return link

    yield make
    for link in links:
        link.stop()


def well(link):
    return until(lambda: link.state.health == "well" and link, f"the link, now {link.state}")


def test_a_stand_in_says_who_it_is_and_streams(rig, link_to):
    gauge = well(link_to(rig.addresses[0]))
    assert (gauge.identity.model, gauge.identity.serial) == ("Level gauge LG-1", "0007")
    assert [channel.unit for channel in gauge.channels] == ["mm"]
    assert gauge.state.reason == "20 readings a second"
    until(lambda: gauge.counts.good > 5, "readings")


def test_a_new_stream_begins_with_its_first_reading(rig, link_to):
    gauge = well(link_to(rig.addresses[0]))
    blocks = []

    def sink(link, block, stream):
        blocks.append((stream.number, block))

    started = gauge.restart(500.0, sink)
    until(lambda: sum(len(block) for _, block in blocks) > 200, "readings")
    gauge.release(sink)
    sequence = np.concatenate([block.sequence for _, block in blocks])
    assert sequence.tolist() == list(range(sequence.size))
    assert {number for number, _ in blocks} == {started.number}
    stamps = np.concatenate([block.stamps for _, block in blocks])
    assert np.diff(stamps) == pytest.approx(2000, abs=40)
    assert gauge.stream.rate == 20


def test_the_same_seed_gives_the_same_readings(link_to):
    series = []
    for _ in range(2):
        with RigProcess("tide_tank", seed=1, pace=30) as process:
            gauge = well(link_to(process.addresses[0]))
            assert gauge.request("RIG:RESET 42") == "OK"
            assert gauge.request("RIG:SET pump,40") == "OK"
            assert gauge.request("RIG:SET drain,100,2.5") == "OK"
            blocks = []
            gauge.restart(50.0, lambda link, block, stream, to=blocks: to.append(block.values))
            until(lambda seen=blocks: sum(map(len, seen)) > 400, "readings")
            series.append(np.concatenate(blocks)[:400].tobytes())
            gauge.stop()
    assert series[0] == series[1]


def test_a_rig_lives_on_at_once_and_is_held_there(link_to):
    """However late a stream begins: at 3600 of the rig's seconds in one, hours go by meanwhile."""
    series = []
    for pause in (0.0, 0.3):
        with RigProcess("cocoa", seed=1, pace=3600) as process:
            thermometers = well(link_to(process.addresses[0]))
            assert thermometers.request("RIG:RESET 42") == "OK"
            assert thermometers.request("RIG:LIVE 60") == "OK"
            held = time.monotonic() + pause
            until(lambda since=held: time.monotonic() >= since, "a pause")
            blocks = []
            thermometers.restart(
                0.1, lambda link, block, stream, to=blocks: to.append(block.values)
            )
            until(lambda seen=blocks: sum(map(len, seen)) > 100, "readings")
            series.append(np.concatenate(blocks)[:100])
            thermometers.stop()
    assert np.array_equal(*series)
    assert series[0][0] == pytest.approx([79.2, 80.3], abs=0.4)  # it cooled for a minute


def test_handles_and_truth_are_on_the_same_port(rig, link_to):
    gauge = well(link_to(rig.addresses[0]))
    handles = json.loads(gauge.request("RIG:HANDLE?"))
    assert {handle["id"] for handle in handles} == {"pump", "drain"}
    assert set(json.loads(gauge.request("RIG:STATE?"))) >= {"t", "level", "temperature"}


@pytest.mark.parametrize(
    ("request_text", "words"),
    [
        ("NONSENSE", "unknown request"),
        ("RATE 100000", "stop the stream|at most 1000"),
        ("RIG:LIVE 60", "only between a reset and the first stream"),
        ("RIG:LIVE 1e9", "by up to 3600 s at once"),
        ("RIG:SET pump,900", "pump goes from 0 to 120"),
        ("RIG:SET pump", "not enough values|could not convert|invalid"),
        ("STREAM MAYBE", "STREAM is ON or OFF"),
    ],
)
def test_what_a_stand_in_refuses_is_told(rig, link_to, request_text, words):
    gauge = well(link_to(rig.addresses[0]))
    with pytest.raises(RequestRefused, match=words):
        gauge.request(request_text)
    with pytest.raises(RequestRefused, match="at most 1000"):
        gauge.restart(100_000.0)
    before = gauge.counts.good
    until(lambda: gauge.counts.good > before, "readings after the refusal")


def test_a_link_says_that_its_instrument_went_and_takes_it_back(link_to):
    with RigProcess("tide_tank", seed=3) as process:
        gauge = well(link_to(process.addresses[0]))
    until(lambda: gauge.state.health == "gone", "the loss to be noticed")
    assert gauge.state.reason == "unplugged: the other end closed the connection"
    assert "with its zero, sign and calibration" in gauge.state.advice
    with pytest.raises(LinkLost, match="Level gauge LG-1 0007 is not connected"):
        gauge.request("*IDN?")


class Board:
    """A board on a serial port: the other end of a pseudo-terminal."""

    def __init__(self, identity=b"Skerry Works,Tide stick,0042,0.1"):
        self.host, self.device = pty.openpty()
        tty.setraw(self.device)
        self.identity = identity
        self.sent = 0
        self.plugged_in = True
        self.thread = threading.Thread(target=self._serve)
        self.thread.start()

    @property
    def address(self):
        return f"serial:{os.ttyname(self.device)}"

    def _serve(self):
        channels = [{"id": "d", "quantity": "depth", "unit": "m", "min": 0, "max": 9}]
        channels[0] |= {"resolution": 0.01, "max_rate": 100}
        answers = {b"*IDN?": self.identity, b"CHAN:LIST?": json.dumps(channels).encode()}
        answers[b"CLOCK?"] = b"1000"
        rest = b""
        while self.plugged_in:
            if not select.select([self.host], [], [], 0.05)[0]:
                continue
            rest += os.read(self.host, 1000)
            *requests, rest = rest.split(b"\n")
            for request in requests:
                os.write(self.host, answers.get(request, b"OK") + b"\r\n")
                if request == b"STREAM ON":
                    sequence = np.arange(3)
                    os.write(
                        self.host, encode(sequence, sequence * 1000, sequence[:, None] / 4, (2,))
                    )

    def unplug(self):
        self.plugged_in = False
        self.thread.join()
        os.close(self.device)
        os.close(self.host)


def test_a_board_on_a_serial_port_is_read_by_the_same_code(link_to):
    board = Board()
    stick = well(link_to(board.address))
    assert stick.identity.model == "Tide stick"
    until(lambda: stick.counts.good == 3, "three readings")
    board.unplug()
    until(lambda: stick.state.health == "gone", "the pulled cable to be noticed")


def test_something_else_on_a_port_is_called_strange(link_to):
    board = Board(identity=b"hello there")
    stick = link_to(board.address)
    until(lambda: stick.state.health == "strange", "the verdict")
    assert "it answered “hello there” when asked who it is" in stick.state.reason
    board.unplug()


def test_nobody_at_an_address(link_to):
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    link = link_to(f"tcp://127.0.0.1:{port}")
    until(lambda: link.state.health == "gone", "the verdict")
    assert link.state.reason == f"nothing answers at 127.0.0.1 port {port}"


@pytest.mark.parametrize(
    "text", ["", "tcp://", "tcp://host", "tcp://host:x", "file:///etc", "COM3"]
)
def test_what_is_no_address_is_refused(text):
    with pytest.raises(AddressError, match="is not the address of an instrument"):
        address.parse(text)


def test_addresses_are_read_and_written_alike():
    for text in ("tcp://127.0.0.1:7000", "serial:/dev/ttyACM0?baud=9600"):
        assert str(address.parse(text)) == text


def test_discovery_lists_stand_ins_and_serial_ports(monkeypatch):
    port = type("Port", (), {"device": "/dev/ttyACM7", "description": "a board"})()
    monkeypatch.setattr(discovery.list_ports, "comports", lambda: [port])
    found = discovery.find(["tcp://127.0.0.1:7000"])
    assert [(one.address.place, one.simulated) for one in found] == [
        ("127.0.0.1", True),
        ("/dev/ttyACM7", False),
    ]
