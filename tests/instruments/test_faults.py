"""Faulty stand-ins: what a link makes of every way in which an instrument can go wrong."""

import numpy as np
import pytest

from galena.instruments import address
from galena.instruments.errors import LinkLost, RequestRefused
from galena.instruments.line_quality import LineQuality
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import LineCounts
from galena.instruments.rigs.faults import FAULTS
from galena.instruments.rigs.process import RigProcess
from galena.instruments.rigs.room import RigControl, RigRoom
from tests.waiting import until


@pytest.fixture(scope="module")
def process():
    with RigProcess("tide_tank", seed=5) as running:
        yield running


@pytest.fixture
def gauge(process):
    """The level gauge with its link, the readings that came, and a way to make it faulty."""
    control = RigControl(process.addresses[0])
    blocks = []
    link = Link(address.parse(process.addresses[0]), lambda _, block, stream: blocks.append(block))
    link.blocks, link.fault = blocks, lambda text: control.request(f"RIG:FAULT {text}")
    link.start()
    until(lambda: link.state.health == "well" and blocks, "readings")
    yield link
    link.fault("none")
    link.stop()
    control.close()


def health(link, wanted, words):
    until(
        lambda: link.state.health == wanted and words in link.state.reason,
        f"{wanted} {words!r}",
    )
    return link.state


def test_garbled_lines_are_told_with_their_share_and_the_good_ones_are_kept(gauge):
    gauge.fault("garbled,20")
    state = health(gauge, "poor", "of its lines arrive garbled")
    assert 5 <= int(state.reason.split("%")[0]) <= 45
    assert "Is the cable loose" in state.advice
    values = np.concatenate([block.values[:, 0] for block in gauge.blocks])
    assert np.all((values > 0) & (values < 10))  # the tank is empty: no false reading came through
    gauge.fault("none")
    health(gauge, "well", "20 readings a second")


def test_lost_lines_are_told_with_their_share(gauge):
    gauge.fault("lost,30")
    assert "readings are lost" in health(gauge, "poor", "lost").reason


def test_a_device_that_floods_is_read_on_without_harm(gauge):
    gauge.fault("flood,300")
    assert health(gauge, "poor", "again and again").advice.startswith("Readings are still told")
    sequence = np.concatenate([block.sequence for block in gauge.blocks])
    assert np.all(np.diff(sequence) > 0)
    before = gauge.counts.good
    until(lambda: gauge.counts.good > before + 5, "readings in the flood")


def test_a_device_that_sends_nothing_is_silent_and_comes_back(gauge):
    gauge.fault("silent")
    assert "Does its lamp blink" in health(gauge, "silent", "no reading for").advice
    gauge.fault("none")
    health(gauge, "well", "20 readings")


def test_a_device_that_answers_nothing_is_gone_until_it_does(gauge):
    gauge.fault("deaf")
    assert "switched on" in health(gauge, "gone", "no answer within 2 s").advice
    gauge.fault("none")
    health(gauge, "well", "20 readings")


def test_a_line_read_at_the_wrong_speed_is_named(gauge):
    gauge.fault("speed")
    state = health(gauge, "strange", "of the characters are no text")
    assert state.advice == "Is the speed right? It is read at 115 200 baud."
    gauge.fault("none")
    health(gauge, "well", "20 readings")


def test_nonsense_instead_of_a_name_is_quoted(gauge):
    gauge.fault("nonsense")
    control = RigControl(str(gauge.address))
    gauge.stop()
    again = Link(gauge.address, lambda *_: None)
    again.start()
    assert "“42, what was the question”" in health(again, "strange", "asked who it is").reason
    gauge.fault("none")
    health(again, "well", "20 readings")
    again.stop()
    control.close()


def test_a_cable_pulled_in_the_middle_of_a_line_loses_that_line_only(gauge):
    gauge.restart(500.0)
    gauge.fault("midline")
    health(gauge, "gone", "unplugged")
    last = gauge.blocks[-1].sequence[-1]
    assert np.concatenate([block.sequence for block in gauge.blocks]).max() >= last
    with pytest.raises(LinkLost, match="is not connected"):
        gauge.request("*IDN?")
    gauge.fault("none")
    health(gauge, "well", "20 readings")


@pytest.mark.parametrize(
    ("fault", "check"), [("nan", np.isnan), ("beyond,7", lambda values: values > 520)]
)
def test_what_is_no_reading_arrives_as_it_is(gauge, fault, check):
    gauge.fault(fault)
    until(lambda: check(gauge.blocks[-1].values).all(), "the odd values")
    assert gauge.state.health == "well"


def test_an_unknown_fault_is_refused(gauge):
    with pytest.raises(RequestRefused, match=f"the faults are {' '.join(FAULTS)}"):
        gauge.fault("gremlins")


def test_few_lines_are_not_judged():
    counts = LineCounts()
    quality = LineQuality(counts)
    quality.begin(0.0)
    counts.garbled = 5
    assert quality.fault(1.0) is None
    counts.good = 15
    assert quality.fault(2.0)[0] == "25% of its lines arrive garbled"
    assert quality.fault(2.1)[0] == "25% of its lines arrive garbled"
    counts.good = 5000
    assert quality.fault(20.0) is None


def test_a_rig_comes_back_where_it_was():
    room = RigRoom()
    try:
        first = room.plug_in("beam_edge").addresses
        assert room.plug_in("beam_edge").addresses == first
        room.unplug("beam_edge")
        assert room.plugged == {}
        assert room.plug_in("beam_edge").addresses == first
        rig = room.plugged["beam_edge"]
        rig.control.request("RIG:SET x,9.37")
        until(lambda: rig.state["E"] > 400, "the edge at the middle of the beam")
        rig.process.stop()
        with pytest.raises(LinkLost, match="This rig is gone"):
            rig.control.request("RIG:NAME?")
        with pytest.raises(KeyError):
            room.plug_in("gangway")
    finally:
        room.close()
