import json
import re

import pytest
from playwright.sync_api import expect

from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from galena.experiments.models import Run
from galena.shell.marks import mark_of
from tests import making
from tests.browser.at_desk import box_of, colour_at, drag, pixel, shown

WITHOUT_RIG = True


@pytest.fixture
def desk(page, ada):
    """The Desk of an experiment with two runs of known readings."""
    experiment = experiment_flows.create(ada, "Known readings", [("pump", "mL/s")])
    making.run(experiment, [5.0 + 2.0 * t for t in range(21)], rate=1.0, conditions=["40"])
    making.run(experiment, [5.0 + 3.5 * t for t in range(21)], rate=1.0, conditions=["70"])
    page.experiment = experiment
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":2'))
    return page


def test_marks_are_where_the_readings_are(desk):
    for t in (3, 7, 12, 20):
        assert colour_at(desk, t, 5 + 2.0 * t) == mark_of(1).colour
        assert colour_at(desk, t, 5 + 3.5 * t) == mark_of(2).colour
    assert colour_at(desk, 10.5, 70) not in (mark_of(1).colour, mark_of(2).colour)


def test_wheel_and_drag_zoom_and_slide_each_axis(desk):
    before = shown(desk)
    at = pixel(desk, 10, 40)
    desk.mouse.move(*at)
    desk.mouse.wheel(0, -200)
    desk.wait_for_function(
        "() => JSON.parse(document.querySelector('.stack').dataset.shown).x[0] > 0"
    )
    after = shown(desk)
    factor = (after["x"][1] - after["x"][0]) / (before["x"][1] - before["x"][0])
    assert 0.5 < factor < 0.95
    assert (after["y"][1] - after["y"][0]) / (before["y"][1] - before["y"][0]) == pytest.approx(
        factor
    )
    assert pixel(desk, 10, 40) == pytest.approx(at, abs=0.6)

    axis = desk.locator(".stack").bounding_box()
    below = (at[0], axis["y"] + axis["height"] - 15)
    desk.mouse.move(*below)
    desk.mouse.wheel(0, -100)
    desk.wait_for_function(
        f"() => JSON.parse(document.querySelector('.stack').dataset.shown).x[0] > {after['x'][0]}"
    )
    assert shown(desk)["y"] == after["y"]

    x_before = shown(desk)["x"]
    drag(desk, below, (below[0] - 100, below[1]))
    moved = shown(desk)
    assert moved["x"][0] > x_before[0]
    assert moved["x"][1] - moved["x"][0] == pytest.approx(x_before[1] - x_before[0])
    assert moved["y"] == after["y"]

    desk.get_by_role("button", name="Show all 0").click()
    all_of_x = json.dumps(before["x"], separators=(",", ":"))
    expect(desk.locator(".stack")).to_have_attribute("data-shown", re.compile(re.escape(all_of_x)))
    desk.locator(".stack").focus()
    desk.keyboard.press("Shift+Digit0")
    desk.wait_for_function(
        "() => JSON.parse(document.querySelector('.stack').dataset.shown).y[0] == 0"
    )


def test_the_cursor_reads_every_run_at_the_nearest_reading(desk):
    desk.mouse.move(*pixel(desk, 7.3, 60))
    expect(desk.locator(".reading")).to_have_text(
        re.compile(r"t\s+7 s\s+h\s+run 1\s+19\.0 mm\s+h\s+run 2\s+29\.5 mm")
    )
    desk.locator(".stack").focus()
    desk.keyboard.press("ArrowRight")
    expect(desk.locator(".reading")).to_contain_text("t 8 s")
    desk.keyboard.press("Shift+ArrowLeft")
    expect(desk.locator(".reading")).to_contain_text("t 0 s")


def test_a_span_follows_the_mouse_and_its_findings_follow_it(desk):
    drag(desk, pixel(desk, 4.3, 30), pixel(desk, 12.3, 50))
    card = desk.get_by_role("region", name="Span A")
    card.get_by_role("button", name="mean").click()
    expect(card).to_contain_text("9 readings inside")
    end = desk.locator('[data-part="hi"]')
    grip = box_of(end)
    middle = (grip["x"] + grip["width"] / 2, grip["y"] + 14)
    drag(desk, middle, (pixel(desk, 16.3, 0)[0], middle[1]))
    expect(card).to_contain_text("13 readings inside")
    span = sheet_flows.first_sheet(desk.experiment).spans.get()
    assert (span.lo, span.hi) == (4, 16)
    badge = box_of(desk.locator('.body[data-kind="spans"] text'))
    start = (badge["x"] + 5, badge["y"] + 8)
    shift = pixel(desk, 3, 0)[0] - pixel(desk, 0, 0)[0]
    drag(desk, start, (start[0] - shift, start[1]))
    expect(card).to_contain_text(re.compile(r"1\.0 – 13\.0\s+s"))
    span.refresh_from_db()
    assert (span.lo, span.hi) == (1, 13)


def test_the_desk_can_be_used_by_keyboard_alone(desk):
    desk.locator(".stack").focus()
    expect(desk.locator(".reading")).to_contain_text("t 10 s")
    desk.keyboard.press("Home")
    for _ in range(3):
        desk.keyboard.press("ArrowRight")
    expect(desk.locator(".reading")).to_contain_text("t 3 s")
    desk.keyboard.press("Enter")
    expect(desk.locator("#banner")).to_contain_text("The span starts at 3 s")
    desk.keyboard.press("Shift+ArrowRight")
    expect(desk.locator(".reading")).to_contain_text("t 13 s")
    desk.keyboard.press("Enter")
    card = desk.get_by_role("region", name="Span A")
    expect(card).to_contain_text("3.0 – 13.0 s")
    desk.keyboard.press("m")
    expect(desk.get_by_role("region", name="Marker 1")).to_contain_text("31.0")
    ask = card.get_by_role("button", name="line", exact=True)
    ask.focus()
    desk.keyboard.press("Enter")
    expect(card.get_by_role("row", name=re.compile("^slope")).first).to_contain_text("mm/s")
    end = desk.get_by_role("slider", name="end of span A")
    end.focus()
    desk.keyboard.press("ArrowLeft")
    expect(card).to_contain_text("3.0 – 12.0 s")
    expect(end).to_be_focused()
    desk.keyboard.press("Delete")
    expect(card).to_have_count(0)
    desk.locator(".stack").focus()
    desk.keyboard.press("+")
    desk.wait_for_function(
        "() => JSON.parse(document.querySelector('.stack').dataset.shown).x[0] > 1"
    )
    desk.keyboard.press("0")
    desk.wait_for_function(
        "() => JSON.parse(document.querySelector('.stack').dataset.shown).x[0] < 0"
    )


def test_a_click_drops_a_marker_and_hiding_a_run_takes_it_from_the_graph(desk):
    desk.mouse.click(*pixel(desk, 6.2, 70))
    card = desk.get_by_role("region", name="Marker 1")
    expect(card).to_contain_text("t = 6 s")
    expect(card.locator(".value")).to_have_text(["17.0", "26.0"])
    desk.get_by_title("Hide run 2").click()
    expect(card.locator(".value")).to_have_text(["17.0"])
    expect(desk.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":1'))


def test_a_run_removed_in_another_window_is_said(desk, window):
    other = window()
    other.goto(desk.url)
    other.get_by_role("button", name="About run 2").click()
    other.get_by_role("button", name="Remove", exact=True).click()
    expect(other.get_by_text("Run 2 was removed.")).to_be_visible()
    desk.get_by_title("Hide run 2").click()
    expect(desk.get_by_role("alert").filter(has_text="in another window")).to_be_visible()
    other.locator("#rail").get_by_role("button", name="Undo").click()
    expect(other.get_by_title("Hide run 2")).to_be_visible()


def test_the_readings_come_in_a_drawer(desk):
    desk.get_by_role("button", name="Readings", exact=True).click()
    drawer = desk.get_by_role("region", name="Readings")
    expect(drawer).to_contain_text("21 rows")
    expect(drawer.locator('tr[data-row="1"] td').last).to_have_text("7.0")
    drawer.locator(".drawer-head").get_by_role("button", name="2").click()
    expect(drawer.locator('tr[data-row="1"] td').last).to_have_text("8.5")
    desk.mouse.move(*pixel(desk, 14, 30))
    expect(drawer.locator("tr.current th")).to_have_text("15")


def test_the_plot_is_the_biggest_thing_on_the_page(desk):
    box = shown(desk)["box"]
    assert (box["right"] - box["left"]) * (box["bottom"] - box["top"]) > 0.5 * 1280 * 800
    assert desk.evaluate("document.documentElement.scrollHeight") == 800


def test_a_run_that_ends_before_the_first_event_is_seen_to_have_ended(desk):
    runs = desk.experiment.runs.filter(number=2)
    runs.update(state=Run.State.RECORDING)
    held = []
    desk.route("**/events?*", lambda route: held.append(route))
    desk.reload()
    expect(desk.locator("#rail")).to_contain_text("recording")
    runs.update(state=Run.State.FINISHED)
    desk.wait_for_function("() => document.querySelector('.stack')?.dataset.shown")
    (route,) = held
    route.continue_()
    expect(desk.locator("#rail")).not_to_contain_text("recording")
