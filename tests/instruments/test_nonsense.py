"""Boards that send nonsense: they are strange, with the reason, and hold up nobody."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments import link as links
from galena.instruments.address import Address
from galena.instruments.errors import InstrumentError
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import (
    Identity,
    LineReader,
    encode,
    parse_channels,
    refuse_unprintable,
)
from tests.waiting import until

WHO = "Skerry Works,Level gauge LG-1,0007,1.0"
GAUGE = {"id": "h", "quantity": "water level", "symbol": "h", "unit": "mm", "min": -20, "max": 520,
         "resolution": 0.1, "max_rate": 100}  # fmt: skip
LISTED = json.dumps([GAUGE])
DEEP = "[" * 60_000
NONSENSE = {
    "brackets": DEEP, "deep object": '{"a":' * 5000, "digits": "[" + "9" * 400 + "]",
    "a limit of 400 digits": json.dumps([GAUGE])[:-2] + ', "max": ' + "9" * 400 + "}]",
    "a limit beyond all": json.dumps([GAUGE | {"max": 1e308}]), "no list": "7", "null": "null",
    "text for a number": json.dumps([GAUGE | {"min": "low"}]), "not a number": '[{"min": NaN}]',
    "many": json.dumps([GAUGE | {"id": str(n)} for n in range(70)]), "empty": "[]",
}  # fmt: skip


class Board:
    """A board that answers as it is told, and sends what it is told to."""

    def __init__(self, channels=LISTED, who=WHO, stream=b""):
        self.channels, self.who, self.stream = channels, who, stream
        self.out = b""

    def open(self):
        return self

    def read(self, timeout):
        said, self.out = self.out, b""
        return said

    def write(self, data):
        request = data.decode().strip()
        known = {"*IDN?": self.who, "CHAN:LIST?": self.channels, "CLOCK?": "1000"}
        self.out += known.get(request, "OK").encode("utf-8", "surrogatepass") + b"\n"
        if request == "STREAM ON":
            self.out += self.stream

    def close(self):
        self.out = b""


@pytest.fixture
def link_to(monkeypatch):
    monkeypatch.setattr(links, "TRY_AGAIN_AFTER", 0.01)
    made = []

    def make(board, on_block=lambda *_: None):
        link = Link(Address("tcp", "127.0.0.1", 1), on_block, connect=board.open, patience=0.5)
        link.start()
        made.append(link)
        return link

    yield make
    for link in made:
        link.stop()


@pytest.mark.parametrize("said", NONSENSE.values(), ids=NONSENSE)
def test_a_list_of_channels_that_is_none_is_strange_and_asked_for_again(link_to, said):
    board = Board(channels=said)
    link = link_to(board)
    until(lambda: link.state.health == "strange", f"the reason, now {link.state}")
    assert link.state.reason and link.state.advice
    board.channels = json.dumps([GAUGE])  # it was restarted
    until(lambda: link.state.health == "well", f"the link, now {link.state}")


@pytest.mark.parametrize("who", ["\ud800,\ud800,\ud800,\ud800", "a,b", "\x07,\x1b[31m,\x00,1", ","])
def test_a_name_that_cannot_be_written_is_taken_without_what_cannot(link_to, who):
    link = link_to(Board(who=who))
    until(lambda: link.state.health in ("strange", "well"), f"an answer, now {link.state}")
    if link.identity is not None:
        assert all(part.isprintable() for part in vars(link.identity).values())


def test_what_goes_wrong_with_its_readings_ends_no_thread(link_to):
    lines = encode(np.arange(3), np.arange(3) * 1000, np.ones((3, 1)), (1,))
    taken = []

    def stumble(link, block, stream):
        taken.append(block)
        if len(taken) < 3:
            raise RuntimeError("a strip has stumbled")

    link = link_to(Board(stream=lines), stumble)
    until(lambda: len(taken) >= 3, "its readings again")
    until(lambda: link.state.is_live, f"the link, now {link.state}")


def test_values_beyond_all_measuring_are_no_readings():
    reader = LineReader()
    reader.expect(2)
    values = np.array([[1e308, 1.0], [-1e308, 2.0], [1e301, 3.0], [1e299, 4.0]])
    (block,) = reader.feed(encode(np.arange(4), np.arange(4), values, (0, 0)))
    assert np.isnan(block.values[:3, 0]).all() and block.values[3, 0] == 1e299
    assert block.values[:, 1].tolist() == [1, 2, 3, 4]


@given(st.text(max_size=200) | st.recursive(
    st.none() | st.booleans() | st.floats() | st.integers() | st.text(max_size=9),
    lambda one: st.lists(one, max_size=4) | st.dictionaries(st.sampled_from(list(GAUGE)), one),
    max_leaves=12,
).map(json.dumps))  # fmt: skip
def test_any_answer_is_a_list_of_channels_or_refused(answer):
    try:
        channels = parse_channels(answer)
    except InstrumentError:
        return
    assert channels and all(abs(one.max) <= 1e300 for one in channels)


@given(st.text(max_size=80))
def test_any_answer_is_a_name_or_refused(answer):
    try:
        known = Identity.parse(answer)
    except InstrumentError:
        return
    assert all(part.isprintable() for part in vars(known).values())


@pytest.mark.parametrize("request_", ["RIG:SET pump,1\nRIG:QUIT", "RATE 1\r", "RÄTE", "x" * 300])
def test_a_request_is_one_line(request_):
    with pytest.raises(InstrumentError, match="one short line"):
        refuse_unprintable(request_)
