import asyncio
import json
from concurrent.futures import ThreadPoolExecutor
from functools import partial

import pytest
from django.urls import reverse

from galena.bench import checks, flows
from galena.bench.live.bench import BENCH
from galena.bench.live.hub import BACKLOG, Hub, Watcher
from galena.bench.live.strips import as_data
from galena.experiments.data.readings import readings
from galena.instruments.address import Address
from galena.instruments.discovery import Place
from tests import making
from tests.waiting import until


def post(client, name, *args, **fields):
    return client.post(reverse(name, args=args), fields)


@pytest.fixture
def gauge(room):
    feed, column = BENCH.feed_of(next(one.pk for one in BENCH.live_channels() if one.symbol == "h"))
    until(lambda: len(feed.recent()) > 10, "readings")
    return feed.channels[column]


def live(experiment, channel):
    found = BENCH.strips_of(experiment)
    return as_data(next(one for one in found if one.shown.channel.pk == channel.pk))


def test_instruments_are_shown_with_state_and_reason(room, as_ada, experiment):
    text = as_ada.get(reverse("bench", args=[experiment.pk])).text
    assert "Level gauge LG-1" in text
    assert "serial 0007" in text
    assert "20 readings a second" in text
    assert "water temperature" in text
    room.rig.stop()
    until(lambda: not BENCH.live_channels(), "the loss to be noticed")
    text = as_ada.get(reverse("strips", args=[experiment.pk])).text
    assert "unplugged: the other end closed the connection" in text
    assert "it goes on by itself, with its zero, sign and calibration" in text


def test_what_an_experiment_has_measured_with_comes_first(room, as_ada, experiment):
    def order():
        text = as_ada.get(reverse("strips", args=[experiment.pk])).text
        return text.index('aria-label="water level"') < text.index('aria-label="water temperature"')

    assert order()
    thermometer = next(one for one in BENCH.live_channels() if one.symbol == "T").instrument
    run = making.run(experiment, making.ramp(20))
    run.streams.update(serial=thermometer.serial)
    assert not order()


def test_a_zero_is_set_at_the_mean_shown_and_undone(room, as_ada, experiment, gauge):
    BENCH.show(experiment)
    assert float(live(experiment, gauge)["text"]) == pytest.approx(3.2, abs=1.2)
    text = post(as_ada, "zero", experiment.pk, gauge.pk).text
    assert "zero at 3." in text
    assert "by Ada" in text
    assert abs(float(live(experiment, gauge)["text"].replace("−", "-"))) < 1.2
    zero = gauge.zeros.get()
    assert zero.value == pytest.approx(3.2, abs=0.3)
    assert "zero at" not in post(as_ada, "undo-zero", experiment.pk, gauge.pk).text
    assert float(live(experiment, gauge)["text"]) == pytest.approx(3.2, abs=1.2)
    zero.refresh_from_db()
    assert zero.undone_at is not None


def test_undoing_a_zero_brings_back_the_one_before(experiment):
    channel = making.channel()
    flows.zero([(channel, 1.5)], experiment.owner)
    flows.zero([(channel, 2.5)], experiment.owner)
    assert making.channel().zero_value == 2.5
    flows.undo_zero(making.channel())
    assert making.channel().zero_value == 1.5
    flows.undo_zero(making.channel())
    assert making.channel().zero_value is None
    assert flows.undo_zero(making.channel()) is None


def test_a_zero_never_touches_raw_readings(experiment):
    flows.zero([(making.channel(), 3.0)], experiment.owner)
    run = making.run(experiment, [3.0, 5.0])
    quantity = experiment.quantities.get()
    assert readings(run, quantity).y.tolist() == [0.0, 2.0]
    flows.undo_zero(making.channel())
    assert readings(run, quantity).y.tolist() == [0.0, 2.0]


def test_zeroing_a_channel_that_gives_nothing_is_refused(as_ada, experiment):
    channel = making.channel()
    text = post(as_ada, "zero", experiment.pk, channel.pk).text
    assert "gave no reading in the last two seconds, so there is nothing to zero at" in text
    assert channel.zeros.count() == 0
    assert post(as_ada, "zero", experiment.pk, 999_999).status_code == 404


def test_handles_of_the_rig_can_be_moved(room, as_ada, experiment, gauge):
    feed, _ = BENCH.feed_of(gauge.pk)
    handle = partial(post, as_ada, "set-handle", experiment.pk)
    assert handle("tide_tank", handle="pump", value="40").status_code == 204
    assert json.loads(feed.link.request("RIG:HANDLE?"))[0]["value"] == 40
    text = handle("tide_tank", handle="pump", value="900").text
    assert "pump goes from 0 to 120 mL/s" in text
    assert "The handle: “x” is not a number" in handle("tide_tank", handle="pump", value="x").text
    assert "This rig is not plugged in any more" in handle("cocoa", handle="lid1", value="1").text
    assert "a tank that a pump fills" in as_ada.get(reverse("rigs", args=[experiment.pk])).text


def test_only_a_place_that_was_found_is_connected(as_ada, experiment, monkeypatch):
    monkeypatch.setattr(BENCH, "places", [Place(Address("serial", "/dev/x", 9600), "board", False)])
    connected = []
    monkeypatch.setattr(BENCH, "connect", connected.append)
    text = post(as_ada, "connect", experiment.pk, address="tcp://10.0.0.1:80").text
    assert "Nothing is there any more" in text
    post(as_ada, "connect", experiment.pk, address="serial:/dev/x?baud=9600")
    assert [str(one) for one in connected] == ["serial:/dev/x?baud=9600"]


def test_a_slow_watcher_loses_its_backlog_and_is_told():
    watcher = Watcher(frozenset({"strips"}))
    for number in range(BACKLOG + 1):
        watcher.offer(b"%d" % number)
    assert watcher.gaps == 1
    assert watcher.queue.get_nowait() == b"event: gap\ndata: {}\n\n"
    assert watcher.queue.get_nowait() == b"%d" % BACKLOG
    assert watcher.queue.empty()


def test_events_go_to_those_who_want_their_topic():
    async def scene():
        hub = Hub()
        streams = [hub.stream(frozenset({topic})) for topic in ("strips", "runs")]
        for stream in streams:
            assert await anext(stream) == b"event: hello\ndata: {}\n\n"
        assert hub.wanted("strips")
        assert not hub.wanted("readings")
        hub.publish("strips", "strips", {"a": "ü"})
        assert (await anext(streams[0])).decode() == 'event: strips\ndata: {"a":"ü"}\n\n'
        hub.close()
        assert [one async for one in streams[1]] == []
        await streams[0].aclose()
        assert not hub.wanted("strips")

    with ThreadPoolExecutor() as pool:  # a thread without Playwright's event loop
        pool.submit(lambda: asyncio.run(scene())).result()


def test_wrong_settings_are_told_at_the_start(settings):
    assert checks.check_what_is_plugged_in(None) == []
    settings.GALENA_RIGS, settings.GALENA_STAND_INS = ["kettle"], ["here"]
    rig, where = checks.check_what_is_plugged_in(None)
    assert rig.msg == "GALENA_RIGS names “kettle”, and there is no such rig."
    assert "tide_tank, lamp_rail" in rig.hint
    assert "“here” is not the address of an instrument" in where.msg
