"""Readings on demand at the Lamp rail, and the list of runs put in order, by the page alone."""

import re

import numpy as np
from playwright.sync_api import expect

from galena.experiments.models import Step
from galena.experiments.runs.stepwise import tables
from tests.browser import at_record
from tests.browser.late import Late
from tests.browser.test_accessibility import violations

DISTANCES = (0.2, 0.3, 0.4, 0.5, 0.6)


def test_the_lamp_rail_is_recorded_step_by_step(page, window):
    at_record.begin(page, "Lamp over distance", "", "Lamp rail")
    at_record.choose(page, "stepwise")
    at_record.fill(page, **{"typed-name": "distance", "typed-symbol": "d", "typed-unit": "m"})
    page.get_by_role("button", name="Add the setting").click()
    expect(page.get_by_label("d distance / m")).to_be_checked()
    at_record.fill(page, average="0.3")
    at_record.move(page, "power", 50)
    setting = page.locator("#setting input")
    take = page.get_by_role("button", name="Take reading")
    rows = page.locator("#steps tbody tr")

    at_record.move(page, "d", DISTANCES[0])
    setting.fill("here")
    setting.press("Enter")
    expect(page.locator("#steps-trouble")).to_contain_text("distance: “here” is not a number")
    expect(setting).to_have_value("here")
    for place, distance in enumerate(DISTANCES):
        if place != 3:  # the lamp is forgotten once
            at_record.move(page, "d", distance)
        if place < 2:
            setting.fill(str(distance))
        else:  # suggested from the last step
            expect(setting).to_have_value(f"{distance:.3f}")
        setting.press("Enter")
        expect(rows).to_have_count(place + 1)
        expect(take).to_be_enabled()
    expect(page.locator("#plan")).to_contain_text("run 1 in the making")
    expect(rows.nth(3)).to_contain_text("The same as before, though d changed.")
    expect(page.locator("#points")).to_be_visible()
    assert violations(page) == []

    at_record.move(page, "d", DISTANCES[3])
    rows.nth(3).get_by_role("button", name="again").click()
    old = rows.nth(3).locator("td.number").inner_text()
    expect(rows.nth(3).locator("[data-live-now]")).not_to_have_text("–")
    page.keyboard.press("Enter")  # the focus is on the act
    expect(rows.nth(3)).to_contain_text(f"was {old}")
    expect(rows.nth(3)).not_to_contain_text("The same as before")

    cell = page.get_by_label("distance of row 1")
    cell.fill("0.21")
    cell.press("Tab")
    expect(rows.nth(0)).to_contain_text("was 0.200")
    cell.fill("0.2")
    cell.press("Tab")
    expect(page.locator("#steps-notice")).to_have_text("Row 1 was corrected.")

    other = window()  # someone else in the room sees it grow
    other.goto(page.url)
    expect(other.locator("#steps tbody tr")).to_have_count(5)
    setting.fill("0.7")
    at_record.move(page, "d", 0.7)
    setting.press("Enter")
    expect(rows).to_have_count(6)
    expect(other.locator("#steps tbody tr")).to_have_count(6)

    page.keyboard.press("Escape")
    (run,) = at_record.runs(1)
    expect(at_record.listed(page, 1)).to_contain_text("6 readings")
    table = tables([run])[run.pk]
    d, e = (table.readings(one).y for one in (table.entered[0], table.measured[0]))
    assert d.tolist() == [0.2, 0.3, 0.4, 0.5, 0.6, 0.7]
    slope = np.polyfit(1 / d**2, e, 1)[0]
    assert abs(slope / (30 * 1.012) - 1) < 0.01  # half of 60 cd, and the meter's gain
    assert Step.objects.filter(run=run, replaced_at=None).count() == 6
    assert Step.objects.filter(run=run).count() == 7
    assert run.remarks == []

    page.get_by_role("button", name="go on with it").click()
    expect(page.locator("#plan")).to_contain_text("run 1 in the making")
    page.get_by_role("button", name="Finish the run").click()
    at_record.runs(1)
    page.get_by_role("link", name="Desk", exact=True).click()
    expect(page.locator(".axis-label.along")).to_have_text("d / m")
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile(r'"runs":1'))


def test_rows_that_come_late_do_not_hide_a_correction(page, window):
    at_record.begin(page, "Lamp over distance", "", "Lamp rail")
    at_record.choose(page, "stepwise")
    at_record.fill(page, **{"typed-name": "distance", "typed-symbol": "d", "typed-unit": "m"})
    page.get_by_role("button", name="Add the setting").click()
    at_record.fill(page, average="0.1")
    rows = page.locator("#steps tbody tr")
    for count, distance in enumerate(("0.2", "0.3"), 1):
        page.locator("#setting input").fill(distance)
        page.keyboard.press("Enter")
        expect(rows).to_have_count(count)
    other = window()
    other.goto(page.url)

    renewed = Late(page, re.compile(r"/record/steps(\?|$)"))
    corrected = Late(page, re.compile("/steps/1/correct/"))
    correct(other, 2, "0.31")
    renewed.until_asked()
    correct(page, 1, "0.21")
    corrected.until_asked()
    renewed.let_go()  # as they were before this correction
    page.evaluate("new Promise((told) => requestAnimationFrame(() => setTimeout(told, 50)))")
    expect(page.get_by_label("distance of row 1")).to_have_value("0.21")
    corrected.let_go()
    expect(page.locator("#steps-notice")).to_have_text("Row 1 was corrected.")
    for row in (rows, other.locator("#steps tbody tr")):
        expect(row.nth(0)).to_contain_text("was 0.2")
        expect(row.nth(1)).to_contain_text("was 0.3")


def correct(page, row, value):
    cell = page.get_by_label(f"distance of row {row}")
    cell.fill(value)
    cell.press("Tab")


def test_the_list_of_runs_is_put_in_order_by_hand(page):
    at_record.begin(page, "Tank by the quay", "pump (mL/s), drain", "Tide tank")
    for count, pump in enumerate(("40", "40.0", "70"), 1):
        at_record.fill(page, rate="50", duration="0.4")
        at_record.hold(page, pump=pump)
        page.get_by_role("button", name="Record Space").click()
        at_record.runs(count)
        expect(at_record.listed(page, count)).to_contain_text("20 readings")
        expect(page.get_by_role("button", name="Record Space")).to_be_visible()
    expect(at_record.listed(page, 2)).to_contain_text("repeat of 1")
    page.get_by_label("repeats together").check()
    expect(page.locator("#run-list .group").first).to_contain_text("2 repeats")
    page.get_by_label("repeats together").uncheck()

    page.get_by_label("About run 3").click()
    facts = page.locator("#facts")
    facts.get_by_label("name").fill("wind from the sea")
    facts.get_by_label("pump / mL/s").fill("0.06 kg")
    facts.get_by_role("button", name="Save changes").click()
    expect(facts.get_by_role("alert")).to_contain_text("kg cannot be expressed in mL/s")
    facts.get_by_label("pump / mL/s").fill("0.06 L/s")
    facts.get_by_role("button", name="Save changes").click()
    expect(at_record.listed(page, 3)).to_contain_text("wind from the sea · pump\u00a060\u00a0mL/s")
    assert violations(page) == []
    facts.get_by_label("not to be used, because").fill("the hose slipped off")
    facts.get_by_role("button", name="Set aside").click()
    expect(at_record.listed(page, 3)).to_contain_text("Not to be used: the hose slipped off")
    facts.get_by_role("button", name="Move earlier").click()
    numbers = page.locator("#run-list li b").filter(has_text=re.compile(r"^\d+$"))
    expect(numbers).to_have_text(["2", "3", "1"])
    facts.get_by_role("button", name="Remove").click()
    expect(at_record.listed(page, 3)).to_have_count(0)
    page.get_by_role("button", name="Undo").click()
    expect(at_record.listed(page, 3)).to_be_visible()


def test_a_run_goes_on_until_it_is_stopped_and_others_see_it_at_the_desk(page, window):
    at_record.begin(page, "Tank by the quay", "", "Tide tank")
    page.get_by_label("until stopped").check()
    at_record.fill(page, rate="50")
    expect(page.locator("#size")).to_contain_text("until stopped: about")
    at_record.space(page)
    expect(page.get_by_role("button", name="Stop Space")).to_be_visible()
    desk = window()
    desk.goto(page.url.replace("record", "desk"))
    shown = "() => JSON.parse(document.querySelector('.stack').dataset.shown).x[1]"
    desk.wait_for_function("() => document.querySelector('.stack')?.dataset.shown")
    first = desk.evaluate(shown)
    desk.wait_for_function(f"() => ({shown})() > {first} + 0.5")
    late = window()
    late.goto(page.url)
    expect(late.locator("#taken")).to_contain_text(re.compile("run 1: [1-9]"))
    at_record.space(page)
    (run,) = at_record.runs(1)
    assert (run.duration, run.ending) == (None, "Stopped by Ada.")
    assert run.planned == "50 readings a second until stopped"
    expect(desk.locator("#rail")).not_to_contain_text("recording")
