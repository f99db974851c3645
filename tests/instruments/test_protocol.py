import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments.errors import InstrumentError
from galena.instruments.protocols.line_v1 import (
    LONGEST_LINE,
    Block,
    Identity,
    LineReader,
    encode,
    parse_channels,
)

CHANNEL = (
    '{"id": "h", "quantity": "water level", "unit": "mm", "min": 0, "max": 500,'
    ' "resolution": 0.1, "max_rate": 1000}'
)


def lines(count, channels=2, first=0):
    sequence = np.arange(first, first + count)
    values = np.round(np.random.default_rng(5).normal(0, 300, (count, channels)), 3)
    stamps = 1000 + 50_000 * sequence
    return encode(sequence, stamps, values, (3,) * channels), values


def read(data, channels=2, pieces=1):
    reader = LineReader()
    reader.expect(channels)
    cuts = np.linspace(0, len(data), pieces + 1).astype(int)
    items = [item for a, b in itertools.pairwise(cuts) for item in reader.feed(data[a:b])]
    return reader, items


def readings(items):
    return np.concatenate([item.values for item in items if isinstance(item, Block)])


def test_a_data_line_is_as_the_protocol_states_it():
    line = encode(np.array([7]), np.array([350000]), np.array([[12.5, -0.25]]), (1, 2))
    payload = b"7,350000,12.5,-0.25"
    checksum = 0
    for octet in payload:
        checksum ^= octet
    assert line == b"#" + payload + f"*{checksum:02X}\n".encode()


@given(count=st.integers(0, 60), pieces=st.integers(1, 90))
def test_readings_arrive_bit_for_bit_however_the_bytes_are_cut(count, pieces):
    data, values = lines(count)
    reader, items = read(data, pieces=pieces)
    found = readings([*items, Block(np.empty(0), np.empty(0), np.empty((0, 2)))])
    assert found.tobytes() == values.tobytes()
    assert reader.counts.good == count
    assert (reader.counts.lost, reader.counts.garbled) == (0, 0)


@given(st.integers(0, 400), st.integers(0, 255))
def test_a_garbled_byte_costs_its_lines_and_no_other_value(place, octet):
    data, values = lines(20)
    place %= len(data)
    garbled = data[:place] + bytes([octet]) + data[place + 1 :]
    _reader, items = read(garbled)
    good = {row.tobytes() for row in values}
    found = readings([*items, Block(np.empty(0), np.empty(0), np.empty((0, 2)))])
    assert all(row.tobytes() in good for row in found)
    assert len(found) >= 18


def test_answers_keep_their_place_between_readings():
    before, _ = lines(2)
    after, _ = lines(3, first=2)
    _, items = read(before + b"OK\r\n" + after)
    assert [item if isinstance(item, str) else len(item) for item in items] == [2, "OK", 3]


def test_what_befalls_lines_is_counted():
    whole = [lines(1, first=number)[0] for number in range(8)]
    wrong_checksum = whole[3][:-2] + (b"0" if whole[3][-2:-1] != b"0" else b"1") + b"\n"
    data = whole[0] + whole[1] + whole[1] + wrong_checksum + whole[6] + whole[5] + b"#1*\n"
    reader, items = read(data)
    counts = reader.counts
    assert [list(item.sequence) for item in items] == [[0, 1, 6]]
    assert (counts.good, counts.repeated, counts.late) == (3, 1, 1)
    assert counts.garbled == 2
    assert counts.lost == 4


def test_a_line_with_a_value_too_few_is_left_out():
    short, _ = lines(1, channels=1)
    long, values = lines(1, first=1)
    reader, items = read(short + long)
    assert readings(items).tolist() == values.tolist()
    assert reader.counts.garbled == 1


def test_a_value_that_is_no_number_is_left_out_alone():
    payload = b"1,5,x,2"
    checksum = 0
    for octet in payload:
        checksum ^= octet
    good, values = lines(1, first=2)
    reader, items = read(b"#" + payload + f"*{checksum:02X}\n".encode() + good)
    assert readings(items).tolist() == values.tolist()
    assert reader.counts.garbled == 1


def test_a_flood_without_line_ends_is_thrown_away():
    reader, items = read(b"x" * (LONGEST_LINE + 10))
    assert items == []
    assert reader.counts.garbled == 1
    assert list(reader.feed(b"\nOK\n")) == ["OK"]


def test_who_an_instrument_is():
    who = Identity.parse("Skerry Works,Level gauge LG-1,0007,1.0")
    assert (who.model, who.serial) == ("Level gauge LG-1", "0007")


@pytest.mark.parametrize("answer", ["", "hello", "a,b,c", "a,,c,d", "a,b,c,d,e"])
def test_another_answer_is_told(answer):
    with pytest.raises(InstrumentError, match="answers maker,model,serial,firmware"):
        Identity.parse(answer)


def test_channels_are_listed():
    (channel,) = parse_channels(f"[{CHANNEL}]")
    assert (channel.id, channel.symbol, channel.unit, channel.max_rate) == ("h", "h", "mm", 1000)


@pytest.mark.parametrize(
    ("answer", "words"),
    [
        ("no", "cannot be read"),
        ("[]", "is empty"),
        ("[1]", "cannot be read"),
        ('[{"id": "h"}]', "cannot be read"),
        (f"[{CHANNEL},{CHANNEL}]", "names one channel twice"),
        ("[" + CHANNEL.replace("0.1", "0") + "]", "that cannot be"),
    ],
)
def test_a_list_that_cannot_be_is_told(answer, words):
    with pytest.raises(InstrumentError, match=words):
        parse_channels(answer)
