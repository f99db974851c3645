"""A board that just prints numbers: named once, recorded at its own pace, known again."""

import numpy as np
import pytest
from django.test import Client
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.bench.models import Channel, PrintingBoard
from galena.experiments.data.readings import readings
from galena.instruments.link import Link
from galena.instruments.protocols.line_v1 import LineCounts
from galena.recording.acquisition.taking import OwnPaceTaking
from tests.printing import Printing
from tests.waiting import until
from tests.web.test_recording import STREAM, block, taken

NAMED = {
    "quantity-0": "time", "symbol-0": "t", "unit-0": "ms",
    "min-0": "0", "max-0": "1e9", "resolution-0": "1",
    "quantity-1": "air temperature", "symbol-1": "T_a", "unit-1": "°C",
    "min-1": "-40", "max-1": "125", "resolution-1": "0,01",
    "quantity-2": "relative humidity", "symbol-2": "H", "unit-2": "%",
    "min-2": "0", "max-2": "100", "resolution-2": "1",
    "clock": "none", "clock_unit": "ms",
}  # fmt: skip


@pytest.fixture
def printing():
    board = Printing(lambda n: f"{20 * n},{20 + n / 100:.2f},{55 + n % 3}")
    yield board
    board.close()


@pytest.fixture
def board(room, experiment, ada, printing):
    """Connect the board; gives its feed, and the teacher's browser."""
    browser = Client(HTTP_HX_REQUEST="true")
    browser.force_login(ada)
    BENCH.connect(printing.address)
    feed = BENCH.feeds[printing.address]
    until(lambda: feed.is_live and feed.channels, "the board")
    return feed, browser


def address_of(experiment, feed):
    return reverse("columns", args=[experiment.pk, feed.channels[0].instrument_id])


def named(browser, experiment, feed, printing, **changed):
    response = browser.post(address_of(experiment, feed), NAMED | changed)
    again = BENCH.feeds[printing.address]
    until(lambda: again.is_live and again.channels, "the board, read anew")
    return response.content.decode(), again


def test_its_columns_become_channels_that_are_named_once(board, experiment, printing):
    feed, browser = board
    assert [one.symbol for one in feed.channels] == ["c1", "c2", "c3"]
    assert not feed.simulated
    page = browser.get(reverse("strips", args=[experiment.pk])).content.decode()
    assert "Name its columns" in page and "at its own pace" in page
    form = browser.get(address_of(experiment, feed)).content.decode()
    assert form.count("what it measures") == 3

    content, again = named(browser, experiment, feed, printing)
    assert "Kept." in content
    assert [(one.symbol, one.unit, one.maximum) for one in again.channels] == [
        ("t", "ms", 1e9), ("T_a", "°C", 125.0), ("H", "%", 100.0),
    ]  # fmt: skip
    assert [one.pk for one in again.channels] == [one.pk for one in feed.channels]
    form = browser.get(address_of(experiment, again)).content.decode()
    assert 'value="air temperature"' in form and "−40" in form
    BENCH.reconnect(printing.address)
    back = BENCH.feeds[printing.address]
    until(lambda: back.is_live and back.channels, "the board, plugged in again")
    assert [one.symbol for one in back.channels] == ["t", "T_a", "H"]


def test_a_column_can_be_its_clock(board, experiment, printing):
    feed, browser = board
    _, again = named(browser, experiment, feed, printing, clock="0", **{"symbol-0": ""})
    assert [one.symbol for one in again.channels] == ["T_a", "H"]
    start = again.link.stream
    assert start.clock.device_us < 1e9  # its own milliseconds, not this computer's clock
    assert Channel.objects.filter(instrument=again.channels[0].instrument_id).count() == 3


@pytest.mark.parametrize(
    ("changed", "why"),
    [
        ({"symbol-1": "2x"}, "is no symbol for column 2"),
        ({"symbol-2": "T_a"}, "Two columns have the symbol T_a"),
        ({"unit-1": "furlongz"}, "furlongz"),
        ({"min-1": "200"}, "the second must be above the first"),
        ({"max-2": "wide"}, "The highest reading of column 3"),
        ({"resolution-1": "0"}, "The step of column 2, above zero"),
        ({"clock": "7"}, "The column of the clock"),
        ({"clock": "0", "clock_unit": "fortnights"}, "A clock counts lines"),
    ],
)
def test_what_cannot_be_is_told_and_nothing_typed_is_lost(board, experiment, changed, why):
    feed, browser = board
    content = browser.post(address_of(experiment, feed), NAMED | changed).content.decode()
    assert why in content.replace("&#x27;", "'")
    assert 'value="relative humidity"' in content
    assert not PrintingBoard.objects.exists()


def test_a_board_that_is_gone_is_told(board, experiment, printing):
    feed, browser = board
    BENCH.disconnect(printing.address)
    content = browser.post(address_of(experiment, feed), NAMED).content.decode()
    assert "prints nothing now" in content


def test_a_run_records_what_comes(board, experiment, printing):
    feed, browser = board
    _, again = named(browser, experiment, feed, printing)
    temperature = again.channels[1]
    keys = [one.pk for one in again.channels[1:]]
    panel = browser.get(reverse("panel", args=[experiment.pk])).content.decode()
    assert "cannot be told a rate: it gives what comes" in panel
    plan = {"plan": "steady", "rate": "1000", "duration": "2", "channel": keys}
    response = browser.post(reverse("start", args=[experiment.pk]), plan)
    assert response.status_code == 200
    run = experiment.runs.get()
    until(lambda: experiment.runs.filter(state="finished").exists(), "the end of the run")
    run.refresh_from_db()
    assert 5 < run.rate < 55 and run.ending == ""  # as fast as this machine lets it print
    quantity = experiment.quantities.get(symbol="T_a")
    read = readings(run, quantity)
    assert read.t[0] == 0 and 1.5 < read.t[-1] < 2.0
    assert np.allclose(np.diff(read.y), 0.01) and (np.diff(read.t) > 0).all()
    assert temperature.name == "air temperature"


def test_beside_others_each_keeps_its_own_rate(board, experiment, printing, room):
    feed, browser = board
    level = next(one for one in BENCH.live_channels() if one.name == "water level")
    keys = [level.pk, feed.channels[1].pk]
    plan = {"plan": "steady", "rate": "200", "duration": "1", "channel": keys}
    assert browser.post(reverse("start", args=[experiment.pk]), plan).status_code == 200
    until(lambda: experiment.runs.filter(state="finished").exists(), "the end of the run")
    run = experiment.runs.get()
    counts = {one.symbol: len(readings(run, one)) for one in experiment.quantities.all()}
    assert counts["h"] == 200 and 5 <= counts["c2"] <= 60


def of_own_pace(duration, rate=100.0):
    link = Link.__new__(Link)
    link._reader = type("Reader", (), {"counts": LineCounts()})()
    return OwnPaceTaking(link, [0], [], rate, duration)


def test_what_comes_is_taken_until_the_time_is_over():
    one = of_own_pace(0.1)
    one(one.link, block(0, 6, rate=90.0), STREAM)
    assert not one.complete
    one(one.link, block(6, 6, rate=90.0), STREAM)
    (batch,) = taken(one)
    assert batch.stamps.tolist() == [round(n * 1e6 / 90) for n in range(9)]
    assert one.complete and one.lost == 0


def test_what_was_lost_of_it_is_counted_from_its_numbers():
    one = of_own_pace(None)
    one(one.link, block(3, 4), STREAM)
    one(one.link, block(10, 2), STREAM)
    assert one.count == 6 and one.lost == 3 and not one.complete


@pytest.fixture
def with_comma(room, experiment, ada):
    board = Printing(lambda n: f"{20 + n // 100},{n % 100:02d}")
    browser = Client(HTTP_HX_REQUEST="true")
    browser.force_login(ada)
    BENCH.connect(board.address)
    yield board, browser
    board.close()


def channels_of(board, count):
    """Give the channels once there are so many of them."""

    def are_there():
        feed = BENCH.feeds.get(board.address)
        return feed is not None and feed.is_live and len(feed.channels) == count and feed

    return until(are_there, "its channels")


def test_a_comma_may_be_said_to_be_a_decimal_mark_and_not_after_all(with_comma, experiment):
    board, browser = with_comma
    feed = channels_of(board, 2)
    address = address_of(experiment, feed)
    assert "the comma is a" in browser.get(address).content.decode()
    one = {key.replace("-1", "-0"): text for key, text in NAMED.items() if key.endswith("-1")}
    page = browser.post(address, one | {"with_comma": "yes", "clock": "none"}).content.decode()
    assert "Kept." in page
    feed = channels_of(board, 1)
    assert [(channel.symbol, channel.unit) for channel in feed.channels] == [("T_a", "°C")]
    until(lambda: 19 < feed.recent()[-1, 0] < 60 if len(feed.recent()) else False, "a reading")
    assert any(value % 1 for value in feed.recent()[:, 0])
    browser.post(address_of(experiment, feed), one | {"clock": "none"})
    channels_of(board, 2)
    assert not PrintingBoard.objects.exists()
