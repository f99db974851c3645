"""The Bench as a teacher uses it before a lesson, from plugging in to trusted readings."""

import json
import re

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.bench.live.bench import BENCH
from galena.experiments import flows as experiment_flows
from galena.experiments.models import Run
from galena.instruments.rigs import RIGS, linked_wells
from tests.browser.test_accessibility import violations
from tests.waiting import until

STEADY = re.compile(r"^0\.\d+$")
NUMBER = re.compile(r"^−?\d+\.\d+$")


@pytest.fixture
def bench(page, ada):
    """The Bench of a new experiment, with the Tide tank unplugged and put away."""
    made = experiment_flows.create(ada, "At the bench", [])
    page.goto(f"{page.room.url}/experiments/{made.pk}/bench")
    page.wait_for_load_state()
    page.experiment = made
    return page


def plug_in(page, name, of):
    """Plug a rig in by its drawer, and put the Tide tank away."""
    page.get_by_role("button", name="Choose…").click()
    page.get_by_role("button", name=f"Plug in {name}").click()
    unplug = page.get_by_role("button", name="Unplug Tide tank")
    expect(page.get_by_role("button", name=f"Unplug {name}")).to_be_visible()
    unplug.click()
    expect(page.get_by_role("button", name="Plug in Tide tank")).to_be_visible()
    page.keyboard.press("Escape")
    for strip in of:
        expect(strip_of(page, strip).locator("[data-shown=text]")).to_have_text(NUMBER)
    page.get_by_role("button", name="Look again").click()


def strip_now(symbol):
    """Give what the bench knows of a strip."""
    (experiment,) = BENCH.setups
    return next(one for one in BENCH.strips_of(experiment) if one.shown.symbol == symbol)


def strip_of(page, name):
    return page.locator(f'.strip[aria-label="{name}"]')


def reading(strip):
    text = strip.locator("[data-shown=text]").inner_text()
    return float(text.replace("−", "-")) if NUMBER.match(text) else float("nan")


def slide(page, name, value):
    page.get_by_role("slider", name=name).fill(str(value))


def test_the_lamps_of_the_grow_shelf_are_matched(bench):
    places = ["upper left", "upper right", "lower left", "lower right"]
    plug_in(bench, "Grow shelf", places)
    for lamp in places:
        slide(bench, f"{lamp} lamp", 0)
    for place in places:
        until(lambda place=place: abs(reading(strip_of(bench, place))) < 20, "the dark")
        expect(strip_of(bench, place).locator("[data-shown=noise]")).to_have_text(STEADY)
    bench.get_by_role("button", name="Zero all").click()
    expect(bench.get_by_text("channels zeroed.")).to_be_visible()
    expect(strip_of(bench, "lower left").get_by_text("zero at")).to_be_visible()
    for lamp, value in zip(places, (61.5, 61, 54, 61), strict=True):
        slide(bench, f"{lamp} lamp", value)
    bench.get_by_label("match to within").fill("5")
    bench.get_by_role("button", name="Match").click()
    low = strip_of(bench, "lower left").locator("[data-shown=match]")
    expect(low).to_have_text(re.compile(r"^3\d\.\d low$"))
    expect(strip_of(bench, "upper right").locator("[data-shown=match]")).to_have_text("matched")
    assert violations(bench) == []
    slide(bench, "lower left lamp", 61)
    for place in places:
        expect(strip_of(bench, place).locator("[data-shown=match]")).to_have_text("matched")
    expect(bench.get_by_text("nothing is stored")).to_be_visible()
    assert Run.objects.count() == 0
    bench.get_by_role("button", name="End matching").click()
    expect(low).to_have_text("")


def test_the_electrode_of_the_rock_pool_is_calibrated_in_three_pots(bench):
    plug_in(bench, "Rock pool", ["electrode voltage", "pool temperature"])
    bench.get_by_label("time factor").select_option("20")
    rig = BENCH.room.plugged["rock_pool"]
    until(lambda: rig.state["pace"] == 20, "the time factor")
    strip_of(bench, "electrode voltage").get_by_role("button", name="Calibrate…").click()
    sheet = bench.get_by_role("complementary", name="Calibration")
    expect(sheet.get_by_role("heading", name="Calibrate")).to_be_focused()
    sheet.get_by_label("name", exact=True).fill("pH of the pool")
    sheet.get_by_label("symbol").fill("pH")
    sheet.get_by_label("unit", exact=True).fill("")
    for number, pot in enumerate(("4.00", "7.00", "10.00"), start=1):
        bench.get_by_label("electrode in").select_option(f"pot {pot}")
        truth = (4.003, 7.001, 9.996)[number - 1]
        until(lambda truth=truth: abs(rig.state["pH"] - truth) < 2e-3, "the electrode to settle")
        sheet.get_by_label("known value", exact=True).fill(pot)
        sheet.get_by_label("standard uncertainty of the known value").fill("0.01")
        sheet.get_by_label("average / s").fill("20")
        sheet.get_by_role("button", name="Take", exact=True).click()
        expect(sheet.get_by_role("button", name="away")).to_have_count(number)
    expect(sheet.get_by_text("residual standard deviation")).to_be_visible()
    assert violations(bench) == []
    sheet.get_by_role("button", name="Use this calibration").click()
    expect(sheet.get_by_text("● in force")).to_be_visible()
    bench.get_by_label("electrode in").select_option("the pool")
    strip = strip_of(bench, "pH of the pool")
    expect(strip.get_by_text("from calibration")).to_be_visible()
    until(lambda: abs(rig.state["pH"] - rig.state["pool"]) < 2e-3, "the electrode in the pool")
    until(lambda: abs(reading(strip) - rig.state["pool"]) < 0.03, "the pH of the pool")
    u = float(strip.locator("[data-shown=shared]").inner_text())
    until(lambda: np.ptp(strip_now("pH").values) < 0.06, "two seconds in the pool")
    assert abs(strip_now("pH").values.mean() - rig.state["pool"]) < 2 * u
    assert 0.003 < u < 0.03
    bench.keyboard.press("Escape")
    expect(sheet).to_be_hidden()


def test_the_linked_wells_are_told_apart_zeroed_and_one_is_reversed(bench):
    plug_in(bench, "Linked wells", [])
    expect(bench.locator(".strip")).to_have_count(2)
    for serial, name in (("0021", "Stern well"), ("0022", "Bow well")):
        card = bench.locator(".instrument", has_text=f"serial {serial}")
        field = bench.get_by_label(f"Name, kept with serial {serial}")
        # The list may come anew under the click, as long as instruments are still looked for.
        until(lambda f=field, c=card: f.is_visible() or c.locator("summary").click(), "the menu")
        field.fill(name)
        card.get_by_role("button", name="Save").click()
        expect(bench.get_by_role("heading", name=name)).to_be_visible()
    first, second = bench.locator(".strip").nth(0), bench.locator(".strip").nth(1)
    for strip in (first, second):
        expect(strip.locator("[data-shown=text]")).to_have_text(NUMBER)
    second.locator("summary").click()
    second.get_by_label("Name in this experiment").fill("level of the bow well")
    second.get_by_role("button", name="Save").click()
    expect(strip_of(bench, "level of the bow well")).to_be_visible()
    bench.get_by_role("button", name="Zero all").click()
    expect(bench.get_by_text("2 channels zeroed.")).to_be_visible()
    until(lambda: abs(reading(second)) < 0.005, "the zero")
    bench.get_by_role("button", name="bucket into well 2").click()
    rise = linked_wells.BUCKET / linked_wells.AREAS[1]
    until(lambda: abs(reading(second) + rise) < 0.01, "the level to run the wrong way")
    second.get_by_role("button", name="Reverse").click()
    expect(second.get_by_text("reversed")).to_be_visible()
    until(lambda: abs(reading(second) - rise) < 0.01, "the level to run the right way")
    bench.get_by_label("valve in the pipe").select_option("open")
    together = linked_wells.BUCKET / sum(linked_wells.AREAS)
    until(
        lambda: abs(reading(first) - together) < 0.02 and abs(reading(second) - together) < 0.02,
        "both levels to settle together",
    )


def test_what_is_typed_during_a_take_is_kept(bench):
    strip_of(bench, "water level").get_by_role("button", name="Calibrate…").click()
    sheet = bench.get_by_role("complementary", name="Calibration")
    sheet.get_by_label("known value", exact=True).fill("0.0")
    sheet.get_by_label("average / s").fill("1.5")
    sheet.get_by_label("known value", exact=True).press("Enter")
    expect(sheet.get_by_role("progressbar")).to_be_visible()
    sheet.get_by_label("known value", exact=True).fill("100.0")
    expect(sheet.get_by_role("button", name="away")).to_have_count(1)
    expect(sheet.get_by_role("progressbar")).to_have_count(0)
    expect(sheet.get_by_label("known value", exact=True)).to_have_value("100.0")
    expect(sheet.get_by_text("there is only one")).to_be_visible()


def test_a_rig_moves_in_its_drawing_and_its_pulled_cable_is_seen(bench):
    plug_in(bench, "Linked wells", [])
    water = bench.locator("#rig rect.water").first
    before = float(water.get_attribute("height"))
    bench.get_by_role("button", name="bucket into well 1").click()
    until(lambda: float(water.get_attribute("height")) > before + 2, "the water to rise")
    bench.get_by_role("button", name="Choose…").click()
    bench.get_by_role("button", name="Unplug Linked wells").click()
    until(lambda: not BENCH.live_channels(), "both to be missed")
    # One that was just being asked something says so instead.
    expect(bench.get_by_text("unplugged: the other end closed").first).to_be_visible()
    expect(bench.get_by_text("No channel gives readings")).to_be_visible()


def named_by(stand_in):
    """What the strips of an instrument are called: a meter measures what it is set to, a board that
    prints says no more than its labels."""
    facts = [sensor.facts for sensor in stand_in.sensors]
    if stand_in.speaks == "SCPI":
        return [facts[0].quantity]
    return [one.symbol if stand_in.speaks == "plain" else one.quantity for one in facts]


def test_every_rig_can_be_plugged_in_moved_and_seen(bench):
    token = json.loads(bench.evaluate("() => document.body.getAttribute('hx-headers')"))
    for key in list(BENCH.room.plugged):
        BENCH.unplug(key)
    for key, rig in RIGS.items():
        BENCH.plug_in(key)
        names = {name for one in rig.stand_ins for name in named_by(one)}
        bench.request.get(f"{bench.url}/rigs?rig={key}", headers=token)
        bench.reload()
        expect(bench.locator("#rig h3")).to_have_text(f"{rig.name} simulated")
        for name in names:
            expect(strip_of(bench, name).first.locator("[data-shown=text]")).to_have_text(
                re.compile(r"^−?\d+(\.\d+)?$")
            )
        parts = bench.locator("#rig [data-bind]")
        before = [
            parts.nth(place).evaluate("part => part.outerHTML") for place in range(parts.count())
        ]
        control = BENCH.room.plugged[key].control
        for handle in rig.handles:
            control.request(f"RIG:SET {handle.id},{handle.max}")
        until(
            lambda before=before, parts=parts: (
                before
                != [
                    parts.nth(place).evaluate("part => part.outerHTML")
                    for place in range(len(before))
                ]
            ),
            f"the drawing of {key} to move",
        )
        BENCH.unplug(key)
        BENCH.look_again()
