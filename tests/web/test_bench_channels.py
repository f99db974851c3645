"""Strips of several instruments: settings of an experiment, zeros, matching, faults."""

import numpy as np
import pytest
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.bench.live.strips import as_data, state_of
from galena.bench.models import Instrument
from galena.experiments import flows as experiment_flows
from galena.experiments.models import Run
from galena.instruments.rigs.room import RigControl
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from tests import recording_now
from tests.waiting import until


@pytest.fixture
def post(room, as_ada, experiment):
    BENCH.show(experiment)

    def send(name, /, *args, **fields):
        return as_ada.post(reverse(name, args=[experiment.pk, *args]), fields)

    return send


@pytest.fixture
def strip(experiment):
    """Give what a strip shows, by the symbol it has now."""

    def find(symbol):
        strips = BENCH.strips_of(experiment)
        return next((one for one in strips if one.shown.symbol == symbol), None)

    return find


@pytest.fixture
def strips_text(post, as_ada, experiment):
    return lambda: as_ada.get(reverse("strips", args=[experiment.pk])).text


def plugged(key, channels):
    BENCH.plug_in(key)
    until(lambda: len(BENCH.live_channels()) == channels, f"{channels} channels")


def settled(strip, symbol):
    def enough():
        read = strip(symbol)
        return read if read is not None and read.values.size > 20 else None

    return until(enough, f"readings of {symbol}")


def test_name_symbol_unit_and_decimals_are_the_experiments_own(post, strip, ada, strips_text):
    gauge = settled(strip, "h").shown.channel
    post("describe-channel", gauge.pk, name="depth of the tank", symbol="d_1", unit="cm")
    shown = strip("d_1").shown
    assert (shown.name, shown.unit, shown.decimals) == ("depth of the tank", "cm", 2)
    assert strip("d_1").latest == pytest.approx(0.32, abs=0.2)
    assert (shown.lo, shown.hi) == (pytest.approx(-2.0), pytest.approx(52.0))
    post("describe-channel", gauge.pk, decimals="4")
    assert len(as_data(strip("d_1"))["text"].split(".")[1]) == 4
    until(lambda: as_data(strip("d_1"))["digits"] == "The last 2 are noise: 2 would do.", "remark")
    other = experiment_flows.create(ada, "Another", [])
    assert {one.symbol for one in BENCH.show(other).values()} == {"h", "T"}


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"unit": "kg"}, "water level cannot be shown in “kg”"),
        ({"decimals": "10"}, "Decimals go from 0 to 9"),
        ({"decimals": "-1"}, "Decimals go from 0 to 9"),
    ],
)
def test_settings_that_cannot_be_are_refused(post, strip, fields, words):
    assert words in post("describe-channel", settled(strip, "h").shown.channel.pk, **fields).text


def test_a_channel_can_be_switched_off_and_on(post, strip, experiment, strips_text):
    channel = settled(strip, "T").shown.channel
    assert "water temperature" in strips_text()
    post("describe-channel", channel.pk, used="no")
    assert [one.shown.symbol for one in BENCH.strips_of(experiment)] == ["h"]
    assert f'data-channel="{channel.pk}"' not in strips_text()
    assert f'id="used-{channel.pk}"' in strips_text()
    post("describe-channel", channel.pk, used="yes")
    assert f'data-channel="{channel.pk}"' in strips_text()


def test_reverse_turns_what_is_read_and_stays_with_the_instrument(post, strip, ada):
    channel = settled(strip, "T").shown.channel
    assert "reversed" in post("reverse", channel.pk).text
    assert strip("T").latest < 0
    assert BENCH.show(experiment_flows.create(ada, "Another", []))[channel.pk].correction.sign == -1
    assert "reversed" not in post("reverse", channel.pk).text


def test_all_channels_shown_are_zeroed_at_once_and_it_is_undone_at_once(
    post, strip, strips_text, experiment
):
    level, temperature = settled(strip, "h").shown.channel, settled(strip, "T").shown.channel
    text = post("zero-all").text
    assert "1 channel zeroed." in text
    assert "Not zeroed, water temperature: 0 °C is one of its values." in text
    assert not temperature.zeros.exists()
    zero = level.zeros.get()
    assert abs(strip("h").latest) < 1.0
    assert 0 < zero.u < 0.5
    correction = BENCH.show(experiment)[level.pk].correction
    assert correction.shared_uncertainty(np.array([3.0, 8.0])) == pytest.approx(zero.u)
    by_hand = post("zero", temperature.pk).text
    assert "is zeroed, though 0 °C is one of its values. It shows differences from here" in by_hand
    assert abs(strip("T").latest) < 0.3
    post("undo-zeros", zero=[zero.pk, temperature.zeros.get().pk])
    assert strip("T").latest > 10
    assert "zero at" not in strips_text()


def test_what_gives_nothing_cannot_be_zeroed(post, room):
    room.rig.stop()
    until(lambda: not BENCH.live_channels(), "the loss to be noticed")
    assert "so there is nothing to zero" in post("zero-all").text


def test_a_name_is_kept_with_the_serial(post, strip, strips_text):
    instrument = settled(strip, "h").shown.channel.instrument
    assert "Stern gauge" in post("name-instrument", instrument.pk, name="Stern gauge").text
    assert str(Instrument.objects.get(pk=instrument.pk)) == "Stern gauge 0007"
    assert "Level gauge LG-1 · serial 0007" in strips_text()
    post("name-instrument", instrument.pk, name="")
    assert "Stern gauge" not in strips_text()
    assert post("name-instrument", 999, name="x").status_code == 404


def test_strips_are_matched_to_within_a_tolerance_and_nothing_is_stored(post, strip, experiment):
    plugged("grow_shelf", 6)
    BENCH.show(experiment)
    settled(strip, "E_3")
    assert "above zero" in post("match", tolerance="0").text
    assert "is not a number" in post("match", tolerance="five").text
    post("match", tolerance="5")
    told = {one["channel"]: one for one in BENCH.publisher.strips_now(experiment.pk)["strips"]}
    match = {symbol: told[strip(symbol).shown.channel.pk]["match"] for symbol in
             ("E_1", "E_2", "E_3", "E_4", "h")}  # fmt: skip
    assert match["E_2"]["words"] == "matched"
    assert match["E_3"]["words"].endswith(" low")
    off = float(match["E_3"]["words"].split()[0])
    assert off == pytest.approx(abs(strip("E_3").mean - match["E_3"]["level"]), abs=1)
    assert match["h"] is None
    assert experiment.quantities.count() == 0
    assert Run.objects.count() == 0
    post("match", on="no")
    assert experiment.pk not in BENCH.tolerances


def test_an_instrument_that_is_plugged_in_again_has_its_zero_and_sign(post, strip, experiment):
    plugged("linked_wells", 4)
    BENCH.show(experiment)
    well = settled(strip, "h_2").shown.channel
    post("zero", well.pk)
    post("reverse", well.pk)
    assert "Unplug Linked wells" in post("plug", "linked_wells", **{"in": "yes"}).text
    post("plug", "linked_wells", **{"in": "no"})
    until(lambda: len(BENCH.live_channels()) == 2, "both sticks to be missed")
    post("plug", "linked_wells", **{"in": "yes"})
    until(lambda: len(BENCH.live_channels()) == 4, "both sticks")
    again = settled(strip, "h_2")
    assert again.shown.correction.sign == -1
    assert abs(again.latest) < 0.02
    assert strip("h_1").latest > 0.4


def test_unplugged_instruments_stay_on_the_list_until_one_looks_again(post, strips_text):
    plugged("beam_edge", 3)
    BENCH.unplug("beam_edge")
    until(lambda: len(BENCH.live_channels()) == 2, "the loss to be noticed")
    closed = "unplugged: the other end closed the connection"
    until(lambda: closed in strips_text(), "why it is gone")
    assert "Light sensor" not in post("look-again").text


def test_two_instruments_that_claim_one_serial_are_told_apart(post, strip, strips_text):
    plugged("linked_wells", 4)
    rig = BENCH.room.plugged["linked_wells"]
    controls = [RigControl(where) for where in rig.addresses]
    for control in controls:  # who they are is asked when they are plugged in
        control.request("RIG:FAULT midline")
    until(lambda: len(BENCH.live_channels()) == 2, "both sticks to be missed")
    for control in controls:
        control.request("RIG:FAULT twin")
    until(lambda: any(feed.twin for feed in BENCH.feeds.values()), "the twin")
    until(lambda: len(BENCH.live_channels()) == 3, "one of the two")
    assert "says that it has the same serial" in strips_text()
    twin = next(feed for feed in BENCH.feeds.values() if feed.twin)
    other = next(one for one in BENCH.feeds.values() if one.link.identity == twin.link.identity
                 and one is not twin)  # fmt: skip
    controls[rig.addresses.index(str(other.link.address))].request("RIG:FAULT midline")
    until(lambda: not twin.twin and twin.is_live, "the other to take its place")
    for control in controls:
        control.close()


@pytest.mark.parametrize(
    ("fault", "words"),
    [
        ("stuck", "the very same reading for"),
        ("limit", "it is at the limit of 520 mm"),
        ("nan", "it sends no number"),
    ],
)
def test_readings_that_cannot_be_trusted_are_explained(post, room, strip, fault, words):
    feed = settled(strip, "h").feed
    control = RigControl(room.rig.addresses[0])
    control.request(f"RIG:FAULT {fault}")
    until(lambda: words in state_of(feed, [strip("h")])["reason"], words)
    assert words.split(" for")[0] in as_data(strip("h"))["remark"].lower()
    if fault == "nan":
        assert as_data(strip("h"))["text"] == "–"
        until(lambda: not np.isfinite(strip("h").raw).any(), "nothing but odd readings")
        assert "nothing to zero at" in post("zero", strip("h").shown.channel.pk).text
    control.request("RIG:FAULT none")
    until(lambda: state_of(feed, [strip("h")])["health"] == "well", "the end of it")
    control.close()


def test_the_time_factor_quickens_a_rig_and_its_readings(post, strip, experiment):
    plugged("cocoa", 4)
    BENCH.show(experiment)
    settled(strip, "T_1")
    assert "goes from 1 to 60" in post("set-pace", "cocoa", pace="100").text
    post("set-pace", "cocoa", pace="60")
    feed = strip("T_1").feed
    assert feed.link.stream.rate == pytest.approx(20 / 60)
    assert feed.link.stream.clock.pace == 60
    until(lambda: strip("T_1").values.size > 20, "readings at the new pace")
    assert feed.link.state.reason == "a reading every 3 s"
    rig = BENCH.room.plugged["cocoa"]
    before = rig.state["t"]
    until(lambda: rig.state["t"] > before + 60, "a minute of the rig")


def test_a_force_that_was_never_zeroed_is_remarked_on_before_a_run(post, as_ada, experiment, strip):
    plugged("shaft_spring", 4)
    record = reverse("panel", args=[experiment.pk])
    assert "force on the hook was never zeroed." in as_ada.get(record).text
    post("zero", settled(strip, "F").shown.channel.pk)
    assert "never zeroed" not in as_ada.get(record).text


def test_a_run_keeps_sign_zero_and_unit_as_they_were(post, strip, experiment, ada):
    from galena.core.plans import SteadyPlan
    from galena.experiments.data.readings import readings

    channel = settled(strip, "T").shown.channel
    post("describe-channel", channel.pk, unit="K")
    post("reverse", channel.pk)
    wish = Wish(experiment, [channel.pk], {}, "", ada)
    run = RECORDER.start(wish, SteadyPlan(20, 0.5))
    until(lambda: recording_now.current() is None, "the end of the run")
    post("reverse", channel.pk)
    quantity = experiment.quantities.get(symbol="T")
    assert readings(run, quantity).y.mean() == pytest.approx(273.15 - 12.35, abs=0.2)
    post("describe-channel", channel.pk, unit="°C")
    quantity.refresh_from_db()
    assert readings(run, quantity).y.mean() == pytest.approx(-12.35, abs=0.2)


def test_a_batch_says_how_its_readings_were_corrected(post, strip, experiment, monkeypatch):
    channel = settled(strip, "T").shown.channel
    post("zero", channel.pk)
    post("reverse", channel.pk)
    told = []
    monkeypatch.setattr(BENCH.hub, "wanted", lambda topic: topic.startswith("readings"))
    monkeypatch.setattr(BENCH.hub, "publish", lambda *event: told.append(event[2]))
    batch = until(
        lambda: next((one for one in told if channel.pk in one.get("channels", ())), None), "batch"
    )
    (done,) = batch["corrections"]
    assert done["slope"] == -1
    assert done["taken"] == pytest.approx(12.35, abs=0.2)
    assert (done["curve"], done["shift"]) == (None, 0.0)
