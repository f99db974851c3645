import re
import subprocess

import pytest
from playwright.sync_api import expect

from galena.experiments.models import Run
from galena.instruments.rigs.tide_tank import AREA
from galena.shell.worker import WORKERS
from tests.browser.conftest import CHROMIUM

BROWSER = CHROMIUM
ESTIMATE = re.compile(r"(−?[\d.]+) ± ([\d.]+)")
FLOW = 40.0  # mL/s


@pytest.fixture(autouse=True)
def press():
    yield
    WORKERS.close()


def number(text):
    value, uncertainty = ESTIMATE.search(text).groups()
    return float(value.replace("−", "-")), float(uncertainty)


def plan_a_run(page, live=True):
    """Go to Record, and wait until the page is alive: a key pressed before that is lost."""
    page.get_by_role("link", name="Plan a run").click()
    page.wait_for_load_state()
    if live:
        expect(page.locator("#numbers [data-shown]").first).to_have_text(re.compile(r"\d"))


def test_a_run_goes_from_the_sensor_to_a_printed_slope(page, tmp_path):
    page.goto(page.room.url)
    page.get_by_role("link", name="New experiment").click()
    page.get_by_label("Title").fill("Filling the tank")
    page.get_by_label("Conditions that change").fill("pump (mL/s)")
    page.get_by_role("button", name="Make it and go to its Bench").click()

    strip = page.get_by_role("region", name="water level")
    shown = strip.locator("[data-shown=text]")
    expect(shown).to_have_text(re.compile(r"^[23]\.\d$"))
    expect(strip.locator("[data-shown=noise]")).to_have_text(re.compile(r"^0\.\d+$"))
    strip.get_by_role("button", name="Zero", exact=True).click()
    expect(strip.get_by_text("zero at 3.")).to_be_visible()
    expect(shown).to_have_text(re.compile(r"^−?0\.\d$"))
    page.get_by_role("slider", name="pump").fill("40")
    expect(page.get_by_text("40 mL/s")).to_be_visible()

    plan_a_run(page)
    page.get_by_label("readings a second").fill("50")
    page.get_by_label("duration").fill("6")
    expect(page.get_by_text("300 readings each")).to_be_visible()
    page.get_by_role("checkbox", name="water temperature").uncheck()
    page.get_by_label("pump / mL/s").fill("40")
    page.get_by_role("heading", name="Plan").click()
    page.keyboard.press("Space")
    expect(page.get_by_text("● recording run 1")).to_be_visible()
    expect(page.locator("#taken")).to_have_text("run 1: 300 readings")
    expect(page.locator("#clock")).to_have_text("5.98 s")
    expect(page.locator("#run-list")).to_contain_text("1 pump 40 mL/s")
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()
    assert Run.objects.get().state == Run.State.FINISHED

    page.get_by_role("link", name="To the Desk").click()
    stack = page.locator(".stack")
    expect(stack).to_have_attribute("data-shown", re.compile('"runs":1'))
    box = stack.bounding_box()
    left, right = box["x"] + box["width"] * 0.2, box["x"] + box["width"] * 0.9
    page.mouse.move(left, box["y"] + 300)
    page.mouse.down()
    page.mouse.move(right - 20, box["y"] + 320, steps=4)
    page.mouse.move(right, box["y"] + 320)
    page.mouse.up()
    card = page.get_by_role("region", name="Span A")
    card.get_by_role("button", name="line", exact=True).click()
    row = card.get_by_role("row", name=re.compile("^slope"))
    expect(row).to_contain_text("mm/s")
    found = row.inner_text()
    slope, uncertainty = number(found)
    assert 0 < uncertainty < 0.05
    assert slope == pytest.approx(FLOW * 1000 / AREA, abs=4 * uncertainty)

    page.get_by_role("link", name="Report").click()
    page.wait_for_load_state()
    page.get_by_label("Title").fill("How fast it fills")
    page.get_by_label("Text in Markdown").fill("\n\n{graph}")
    page.evaluate("document.getElementById('text').setSelectionRange(0, 0)")
    page.keyboard.type("The level rises by ")
    page.get_by_role("button", name="slope, line of A, run 1").click()
    paper = page.locator("#paper")
    expect(paper).to_be_visible()
    expect(paper).to_contain_text(f"The level rises by {ESTIMATE.search(found)[0]} mm/s")
    expect(paper.locator("figure svg").first).to_be_visible()

    expect(page.locator("#kept")).to_have_text("kept")
    where = page.get_by_role("link", name="PDF", exact=True).get_attribute("href")
    answer = page.request.get(page.room.url + where)
    assert answer.headers["content-type"] == "application/pdf"
    file = tmp_path / "report.pdf"
    file.write_bytes(answer.body())
    printed = subprocess.run(
        ["pdftotext", "-layout", file, "-"], capture_output=True, text=True
    ).stdout
    value, u = number(printed)
    assert (value, u) == (slope, uncertainty)
    assert "mm/s" in printed


def test_what_is_wrong_with_a_plan_is_said_in_place(page):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Bad plans")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    plan_a_run(page)
    rate = page.get_by_label("readings a second")
    for typed, words in [("abc", "“abc” is not a number"), ("5000", "gives at most 1000")]:
        rate.fill(typed)
        page.get_by_role("button", name="Record Space").click()
        expect(page.get_by_role("alert").filter(has_text=words)).to_be_visible()
        expect(rate).to_have_value(typed)
        expect(rate).to_have_attribute("aria-invalid", "true")
    assert not Run.objects.exists()


def test_a_late_watcher_sees_the_whole_run_and_space_in_a_field_is_a_space(page, window):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Watched")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    plan_a_run(page)
    page.get_by_label("readings a second").fill("100")
    page.get_by_label("duration").fill("8")
    page.get_by_role("checkbox", name="water temperature").uncheck()
    page.get_by_label("note").fill("two")
    page.get_by_label("note").press("Space")
    page.get_by_role("checkbox", name="water temperature").press("Space")
    expect(page.get_by_role("checkbox", name="water temperature")).to_be_checked()
    page.get_by_role("checkbox", name="water temperature").press("Space")
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()
    page.get_by_role("button", name="Record Space").dblclick()
    expect(page.get_by_text("● recording run 1")).to_be_visible()
    expect(page.locator("#taken")).to_have_text(re.compile("[2-9]\\d\\d readings"))
    late = window()
    late.goto(page.url)
    expect(late.get_by_text("● recording run 1")).to_be_visible()
    for watcher in (page, late):
        expect(watcher.locator("#taken")).to_have_text("run 1: 800 readings")
        expect(watcher.get_by_role("heading", name="Plan")).to_be_visible()
    assert Run.objects.count() == 1


def test_an_answer_from_before_the_start_does_not_stop_the_picture(page):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Overtaken")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    held = []

    def hold(route):
        if held:
            route.continue_()
        else:
            held.append((route, route.fetch()))

    page.route("**/record/status", hold)
    plan_a_run(page)
    page.get_by_label("readings a second").fill("100")
    page.get_by_label("duration").fill("5")
    page.get_by_role("checkbox", name="water temperature").uncheck()
    page.get_by_role("button", name="Record Space").click()
    expect(page.get_by_text("● recording run 1")).to_be_visible()
    expect(page.locator("#taken")).to_have_text(re.compile("\\d\\d readings"))
    (route, answer), *_ = held
    assert answer.json()["phase"] == ""
    route.fulfill(response=answer)
    expect(page.locator("#taken")).to_have_text("run 1: 500 readings")


def test_a_run_is_stopped_by_the_space_bar_with_what_it_has(page):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Stopped")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    plan_a_run(page)
    page.get_by_role("heading", name="Plan").click()
    page.keyboard.press("Space")
    expect(page.get_by_text("● recording run 1")).to_be_visible()
    expect(page.locator("#clock")).to_have_text(re.compile("00:0[1-9]"))
    page.keyboard.press("Space")
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()
    expect(page.locator("#run-list")).to_contain_text("Stopped by Ada.")
    run = Run.objects.get()
    assert run.state == Run.State.FINISHED
    assert 20 <= int(page.locator("#taken").inner_text().split()[2]) < 1200


def test_an_instrument_that_goes_is_told_on_the_bench_and_on_record(page):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Pulled cable")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    expect(page.get_by_text("well · 20 readings a second").first).to_be_visible()
    page.room.rig.stop()
    gone = page.get_by_text("Plug it in again: it goes on by itself")
    expect(gone).to_have_count(2)  # both instruments: the page comes anew for each
    plan_a_run(page, live=False)
    expect(page.get_by_text("No instrument gives readings.")).to_be_visible()
    page.get_by_role("button", name="Record Space").click()
    expect(page.get_by_role("alert")).to_contain_text("No channel is chosen")
