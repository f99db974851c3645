"""Cocoa, Wind duct and Rock pool in their own time, by the page alone."""

import re

import numpy as np
from playwright.sync_api import expect

from galena.bench.live.bench import BENCH
from galena.experiments.data.readings import readings
from galena.experiments.models import Quantity
from tests.browser import at_record
from tests.waiting import until


def pace(page, factor):
    with page.expect_response(lambda answer: "/pace" in answer.url):
        page.locator("#pace").select_option(str(factor))


def lived(seconds):
    since = at_record.rig_state()["t"]
    until(lambda: at_record.rig_state()["t"] > since + seconds, f"{seconds} s of the rig")


def test_cocoa_cools_with_and_without_a_lid_in_rig_time(page):
    at_record.begin(page, "Cocoa", "lid on mug 2", "Cocoa")
    pace(page, 60)
    at_record.fill(page, rate="5 s", duration="5 min")
    expect(page.locator("#size")).to_contain_text("a reading every 5 s for 5 min: 60 readings")
    for count, lid in enumerate((0, 1), 1):
        at_record.move(page, "lid2", lid)
        page.get_by_role("button", name="pour hot cocoa").click()
        lived(30)
        at_record.hold(page, lid_on_mug_2=("none", "on")[lid])
        at_record.space(page)
        run = at_record.runs(count)[-1]
        expect(at_record.listed(page, count)).to_contain_text("60 readings")
        expect(page.get_by_role("button", name="Record Space")).to_be_visible()
        one, two = (readings(run, Quantity.objects.get(symbol=s)) for s in ("T_1", "T_2"))
        assert len(one) == len(two) == 60
        assert abs(one.t[-1] - 295) < 0.1  # in the rig's seconds
        lost = [found.y[:3].mean() - found.y[-3:].mean() for found in (one, two)]
        assert lost[0] > 8
        assert (lost[1] < 0.7 * lost[0]) == bool(lid)
    at_record.listed(page, 1).get_by_role("button", name="Replay").click()
    expect(page.locator(".rig-then")).to_contain_text("Cocoa")


def test_five_plateaus_of_the_wind_duct_in_one_run(page):
    at_record.begin(page, "Wing", "", "Wind duct")
    until(lambda: len(BENCH.live_channels()) == 2, "both instruments")
    page.reload()
    pace(page, 20)
    page.get_by_role("link", name="Bench", exact=True).click()
    for strip in page.locator(".strip [data-shown=text]").all():
        expect(strip).to_have_text(re.compile(r"\d"))
    page.get_by_role("button", name="Zero all").click()
    expect(page.locator("#watching")).to_contain_text("2 channels zeroed")
    page.get_by_role("link", name="Record", exact=True).click()
    page.get_by_label("until stopped").check()
    at_record.fill(page, rate="10")
    at_record.move(page, "fan", 1)
    lived(30)  # in still air a speed meter reads its limit now and then, and that is said
    at_record.space(page)
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible()
    for step in range(1, 6):
        at_record.move(page, "fan", step)
        lived(30)
    at_record.space(page)
    (run,) = at_record.runs(1)
    v, lift = (readings(run, Quantity.objects.get(symbol=symbol)) for symbol in ("v", "L"))
    assert min(v.t[-1], lift.t[-1]) > 150  # in rig time
    assert [one[0] for one in run.remarks] == []
    for step in range(1, 6):  # how long each lasts depends on how fast a hand is
        assert np.mean(np.abs(v.y - 3 * step) < 0.8) > 0.03, step
    squared = np.polyfit(v.y**2, np.interp(v.t, lift.t, lift.y), 1)[0]
    assert abs(squared / 0.0213 - 1) < 0.1


def test_the_rock_pool_is_recorded_once_a_minute(page):
    at_record.begin(page, "Rock pool", "weather", "Rock pool")
    until(lambda: len(BENCH.live_channels()) == 2, "both instruments")
    page.reload()
    pace(page, 60)
    at_record.fill(page, rate="1/min", duration="8 min")
    at_record.hold(page, weather="light wind")
    expect(page.locator("#size")).to_contain_text("a reading every 60 s for 8 min: 8 readings")
    at_record.space(page)
    (run,) = at_record.runs(1)
    volts, degrees = (readings(run, Quantity.objects.get(symbol=s)) for s in ("E", "T"))
    assert len(volts) == len(degrees) == 8
    assert np.diff(volts.t).tolist() == [60.0] * 7 or np.abs(np.diff(volts.t) - 60).max() < 0.01
    assert run.remarks == []
