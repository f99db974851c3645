"""Instruments that speak SCPI: a list of commands, a meter on TCP, one by PyVISA, and bad ones."""

import math
import socket
import threading
import time

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments import address, visa
from galena.instruments.errors import AddressError, InstrumentError, LinkLost
from galena.instruments.link import Link
from galena.instruments.protocols import scpi
from galena.instruments.protocols.recognising import Recogniser
from galena.instruments.protocols.scpi_commands import (
    commands_of,
    fitting,
    read_commands,
    short_form,
)
from galena.instruments.rigs.process import RigProcess
from galena.instruments.rigs.scpi_visit import written
from tests.waiting import until

BENCH_METER = """
spec: "1.0"
devices:
  meter:
    eom:
      USB INSTR: {q: "\\n", r: "\\n"}
    error: ERROR
    dialogues:
      - {q: "*IDN?", r: "Skerry Works,Bench meter BM-9,0555,1.0"}
      - {q: "*CLS"}
      - {q: "CHAN:LIST?"}
      - {q: "SYST:ERR?", r: '0,"No error"'}
      - {q: "FUNC?", r: '"RES"'}
      - {q: "MEAS:RES?", r: "+1.00250E+03"}
resources:
  USB0::0x1111::0x2222::0555::INSTR: {device: meter}
"""


class Meter:
    """A meter on a TCP port. answers: by question; a function is called, None is no answer."""

    def __init__(self, answers, identity="Skerry Works,Meter M-1,0700,1.0"):
        self.answers = {"*IDN?": identity, "SYST:ERR?": '0,"No error"'} | answers
        self.listening = socket.create_server(("127.0.0.1", 0))
        self.place = address.parse(f"tcp://127.0.0.1:{self.listening.getsockname()[1]}")
        self.asked = []
        threading.Thread(target=self.serve, daemon=True).start()

    def serve(self):
        while True:
            try:
                visitor, _ = self.listening.accept()
            except OSError:
                return
            threading.Thread(target=self.visit, args=(visitor,), daemon=True).start()

    def visit(self, visitor):
        with visitor, visitor.makefile("rwb") as lines:
            try:
                for line in lines:
                    question = line.decode().strip()
                    self.asked.append(question)
                    answer = self.answers.get(question)
                    answer = answer() if callable(answer) else answer
                    if answer is not None:
                        lines.write(answer.encode() + b"\n")
                        lines.flush()
            except (OSError, ValueError):
                return


def opened(place, **about):
    return Recogniser(**about).open(place)


def linked(place, **about):
    blocks, recogniser = [], Recogniser(**about)
    link = Link(place, lambda link, block, stream: blocks.append(block),
                connect=lambda: recogniser.open(place))  # fmt: skip
    link.start()
    return link, blocks


def test_the_rig_is_read_as_a_meter_and_its_readings_are_those_of_the_model():
    with RigProcess("beacon_battery", seed=4) as rig:
        link, blocks = linked(address.parse(rig.addresses[0]))
        until(lambda: link.state.health == "well", "the meter")
        assert link.identity.model == "Bench meter BM-4"
        (channel,) = link.channels
        assert (channel.quantity, channel.symbol, channel.unit) == ("voltage", "U", "V")
        assert channel.resolution == pytest.approx(1e-4)
        assert 5 < channel.own_rate <= 50
        assert link.request("RIG:SET load,5") == "OK"
        until(
            lambda: blocks and abs(blocks[-1].values[-1, 0] - 4.62 * 6.8 / 8.15) < 0.02, "its load"
        )
        until(lambda: sum(map(len, blocks)) > 60, "readings")
        link.stop()
    stamps = np.concatenate([block.stamps for block in blocks])
    assert np.all(np.diff(stamps) > 0)
    assert abs(stamps[-1] / 1e6 - time.monotonic()) < 20  # this computer's clock
    assert link.counts.garbled == 0


def test_a_meter_by_visa_is_an_instrument(tmp_path, monkeypatch):
    file = tmp_path / "meters.yaml"
    file.write_text(BENCH_METER)
    monkeypatch.setattr(visa, "LIBRARY", f"{file}@sim")
    (resource,) = visa.list_meters()
    link, blocks = linked(address.parse(f"visa:{resource}"))
    until(lambda: blocks, "readings")
    link.stop()
    assert link.identity.serial == "0555"
    assert [(one.quantity, one.unit, one.resolution) for one in link.channels] == [
        ("resistance", "ohm", pytest.approx(0.01))
    ]
    assert blocks[0].values[0, 0] == 1002.5


def test_what_is_not_there_by_visa_is_told():
    with pytest.raises(LinkLost, match="cannot be opened"):
        address.connect(address.parse("visa:USB0::0x1::0x2::none::INSTR"))


def test_a_meter_is_asked_for_what_it_is_set_to_and_for_nothing_else():
    meter = Meter({"FUNC?": '"CURRENT:DC"', "MEAS:CURR:DC?": "+1.2345E-02"})
    way = opened(meter.place)
    (channel,) = way.channels()
    way.close()
    assert (channel.quantity, channel.unit, channel.resolution) == (
        "current",
        "A",
        pytest.approx(1e-6),
    )
    assert not any(asked.startswith("MEAS:") and "CURR" not in asked for asked in meter.asked)


def test_one_that_does_not_say_is_tried_with_what_does_no_harm():
    meter = Meter({"MEAS:VOLT:DC?": "+1.50E+00", "MEAS:TEMP?": "+2.12E+01"})
    way = opened(meter.place)
    named = [channel.quantity for channel in way.channels()]
    way.close()
    assert named == ["voltage", "temperature"]
    assert not any("CURR" in asked or "RES" in asked for asked in meter.asked)


def test_a_person_adds_a_command(tmp_path):
    own = tmp_path / "scpi_commands.txt"
    own.write_text("# mine\nPRES | pressure | p | hPa | 0 | 2000 | MEAS:PRES? | yes | Baro*\n")
    meter = Meter({"MEAS:PRES?": "1013.2"}, "Skerry Works,Barometer B-2,0701,1.0")
    way = opened(meter.place, own_commands=own)
    (channel,) = way.channels()
    way.close()
    assert (channel.quantity, channel.unit, channel.resolution) == (
        "pressure",
        "hPa",
        pytest.approx(0.1),
    )


def test_one_that_measures_nothing_known_is_refused_in_words():
    meter = Meter({})
    with pytest.raises(InstrumentError, match="M-1 does not say what it measures"):
        opened(meter.place)


def test_the_time_of_a_reading_is_the_middle_between_question_and_answer():
    asked = []

    def slow():
        asked.append(time.monotonic())
        time.sleep(0.3)
        return "+1.0E+00"

    meter = Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": slow})
    link, blocks = linked(meter.place)
    until(lambda: len(blocks) >= 3, "readings")
    link.stop()
    assert link.own_rate == pytest.approx(1 / 0.3, rel=0.3)
    stamps = np.concatenate([block.stamps for block in blocks]) / 1e6
    begun = np.array(asked[1 : 1 + len(stamps)])  # the first was to see whether it answers
    # The question may wait for this machine; the answer's middle lies after it by 0.15 s.
    assert np.median(stamps - begun) == pytest.approx(0.15, abs=0.05)
    way = opened(meter.place)
    u = float(way._answer("CLOCK?").split(",")[2])
    way.close()
    assert u == pytest.approx(0.3e6 / math.sqrt(12), rel=0.4)


def test_a_meter_that_answers_after_three_seconds_is_read():
    def late():
        time.sleep(3.0)
        return "+2.0E+00"

    meter = Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": late})
    link, blocks = linked(meter.place)
    until(lambda: blocks, "a reading")
    assert link.state.health == "well"
    assert link.own_rate == pytest.approx(0.333, rel=0.1)
    link.stop()


def test_text_instead_of_a_number_is_counted_and_overload_is_no_number():
    answers = iter(["+1.0E+00", "hello", "+9.9E+37", *["+2.0E+00"] * 10_000])
    meter = Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": lambda: next(answers)})
    link, blocks = linked(meter.place)
    until(lambda: sum(map(len, blocks)) > 3, "readings")
    link.stop()
    values = np.concatenate([block.values[:, 0] for block in blocks])
    assert math.isnan(values[0])
    assert set(values[1:]) == {2.0}
    assert link.counts.garbled == 1
    assert link.counts.lost == 1


def test_one_that_falls_silent_is_let_go(monkeypatch):
    monkeypatch.setattr(scpi, "ANSWERS_WITHIN", 0.3)
    answers = iter(["+1.0E+00"] * 5)
    meter = Meter({"FUNC?": "VOLT", "MEAS:VOLT:DC?": lambda: next(answers, None)})
    way = opened(meter.place)
    way.write(b"STREAM ON\n")
    with pytest.raises(LinkLost, match="it has not answered"):
        for _ in range(200):
            way.read(0.1)
    way.close()


@pytest.mark.parametrize(("line", "why"), [
    ("VOLT | voltage", "9 fields"), ("V|v|U|V|a|b|MEAS?|yes|*", "9 fields"),
    ("V|v|U|V|2|1|MEAS?|yes|*", "smallest is not below"), ("V|v|U|V|0|1|MEAS|yes|*", "ends with"),
])  # fmt: skip
def test_a_line_that_cannot_be_read_is_named(line, why):
    with pytest.raises(InstrumentError, match=f"mine, line 2: .*{why}"):
        read_commands("# mine\n" + line, "mine")


@pytest.mark.parametrize(("told", "short"), [
    ("VOLTAGE:DC", "VOLT"), ('"VOLT:AC"', "VOLT:AC"), ("RESistance", "RES"), ("CURRent", "CURR"),
    ("FREQuency", "FREQ"), ("TEMPerature", "TEMP"), ("FRESistance", "FRES"),
])  # fmt: skip
def test_long_and_short_forms_are_the_same(told, short):
    assert short_form(told) == short
    assert fitting(commands_of(), "any", told) is not None


@given(st.floats(-900, 900), st.sampled_from([1e-1, 1e-3, 1e-5]))
def test_a_reading_is_written_down_to_its_last_place(value, resolution):
    read = round(value / resolution) * resolution
    text = written(read, resolution)
    assert float(text) == pytest.approx(read, abs=resolution / 2)
    if read:
        assert scpi._last_place(text) == pytest.approx(resolution)


@given(st.text(max_size=40))
def test_any_answer_is_a_number_or_none(text):
    value = scpi._value(text)
    assert value is None or isinstance(value, float)


@pytest.mark.parametrize("text", ["tcp://", "usb:1", "visa", "serial:"])
def test_what_is_no_address_is_told(text):
    with pytest.raises(AddressError):
        address.parse(text)
