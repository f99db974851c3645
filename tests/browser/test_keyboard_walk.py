"""The way from a sensor to a report, walked twice: by mouse, and by keyboard alone.

An act is what has an effect: a click, a drag, a text typed, a key pressed on what has the focus.
Moving there, the pointer by hand or the focus by Tab, is none; but each Tab is pressed.
"""

import re

import pytest
from playwright.sync_api import expect

from galena.experiments.models import Experiment, Run
from galena.shell.worker import WORKERS

FURTHEST = 120  # presses of Tab to anything on a page
AT_MOST = 1.5  # acts by keyboard for each act by mouse


@pytest.fixture(autouse=True)
def press():
    yield
    WORKERS.close()


class ByMouse:
    """Does everything with the pointer, and types."""

    def __init__(self, page):
        self.page, self.acts = page, 0

    def press(self, control):
        self.acts += 1
        control.click()

    def type(self, field, text):
        self.acts += 1
        field.fill(text)

    def slide(self, slider, value):
        self.acts += 1
        slider.fill(str(value))

    def mark_off_all(self, stack):
        self.acts += 1
        box = stack.bounding_box()
        y = box["y"] + box["height"] / 2
        self.page.mouse.move(box["x"] + 0.15 * box["width"], y)
        self.page.mouse.down()
        self.page.mouse.move(box["x"] + 0.7 * box["width"], y, steps=4)
        self.page.mouse.move(box["x"] + 0.95 * box["width"], y)
        self.page.mouse.up()


class ByKeyboard:
    """Does everything with keys: Tab leads there, the pointer is never moved."""

    def __init__(self, page):
        self.page, self.acts, self.tabs = page, 0, 0

    def go_to(self, control):
        """Press Tab until a control has the focus, and see that the focus is seen."""
        expect(control).to_be_visible()
        for _ in range(FURTHEST):
            if control.evaluate("element => element === document.activeElement"):
                break
            self.page.keyboard.press("Tab")
            self.tabs += 1
        expect(control).to_be_focused()
        expect(control).to_be_in_viewport()

    def key(self, *keys):
        for key in keys:
            self.acts += 1
            self.page.keyboard.press(key)

    def press(self, control):
        self.go_to(control)
        is_box = control.evaluate("element => element.matches('[type=checkbox], [type=radio]')")
        self.key("Space" if is_box else "Enter")

    def type(self, field, text):
        self.go_to(field)
        self.acts += 1
        if field.evaluate("element => Boolean(element.value)"):
            self.page.keyboard.press("ControlOrMeta+a")
        self.page.keyboard.type(text)

    def slide(self, slider, value):
        self.go_to(slider)
        while (rest := value - float(slider.input_value())) > 0:
            before = slider.input_value()
            self.key("PageUp" if rest >= 10 else "ArrowRight")
            expect(slider).not_to_have_value(before)

    def mark_off_all(self, stack):
        self.go_to(stack)
        self.key("Home", "Shift+ArrowRight", "Enter", "End", "Enter")


def walk(page, hands, title):
    """Walk the whole way; gives the slope as the report says it."""
    page.goto(page.room.url)
    hands.press(page.get_by_role("link", name="New experiment"))
    hands.type(page.get_by_label("Title"), title)
    hands.type(page.get_by_label("Conditions that change"), "pump (mL/s)")
    hands.press(page.get_by_role("button", name="Make it and go to its Bench"))

    strip = page.get_by_role("region", name="water level")
    expect(strip.locator("[data-shown=text]")).to_have_text(re.compile(r"\d"))
    hands.slide(page.get_by_role("slider", name="pump"), 40)
    hands.press(strip.get_by_role("button", name="Zero", exact=True))
    expect(strip.get_by_text("zero at")).to_be_visible()

    hands.press(page.get_by_role("link", name="Plan a run"))
    page.wait_for_load_state()
    expect(page.locator("#numbers [data-shown]").first).to_have_text(re.compile(r"\d"))
    hands.press(page.get_by_role("checkbox", name="water temperature"))
    hands.type(page.get_by_label("pump / mL/s"), "40")
    hands.type(page.get_by_label("readings a second"), "50")
    hands.type(page.get_by_label("duration"), "4")
    expect(page.get_by_text("200 readings each")).to_be_visible()
    hands.press(page.get_by_role("button", name="Record Space"))
    expect(page.locator("#taken")).to_have_text("run 1: 200 readings")
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()

    hands.press(page.get_by_role("link", name="To the Desk"))
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":1'))
    hands.mark_off_all(page.locator(".stack"))
    card = page.get_by_role("region", name="Span A")
    expect(card).to_be_visible()
    hands.press(card.get_by_role("button", name="line", exact=True))
    row = card.get_by_role("row", name=re.compile("^slope"))
    expect(row).to_contain_text("mm/s")
    slope = re.search(r"[\d.]+ ± [\d.]+", row.inner_text())[0]

    hands.press(page.get_by_role("link", name="Report", exact=True))
    page.wait_for_load_state()
    hands.type(page.get_by_label("Title"), title)
    hands.type(page.get_by_label("Text in Markdown"), "It rises by ")
    hands.press(page.get_by_role("button", name="slope, line of A, run 1"))
    expect(page.locator("#paper")).to_contain_text(f"It rises by {slope} mm/s")
    expect(page.locator("#kept")).to_have_text("kept")
    with page.expect_download():
        hands.press(page.get_by_role("link", name="HTML", exact=True))
    return slope


def test_a_whole_lesson_takes_by_keyboard_at_most_half_as_many_acts_again(page):
    mouse = ByMouse(page)
    walk(page, mouse, "By hand")
    Experiment.objects.all().delete()
    keyboard = ByKeyboard(page)
    walk(page, keyboard, "By keys")
    assert Run.objects.get().state == Run.State.FINISHED
    print(f"acts: {mouse.acts} by mouse; {keyboard.acts} by keyboard, {keyboard.tabs} times Tab")
    assert mouse.acts < keyboard.acts <= AT_MOST * mouse.acts
