"""A clip tied to a run in Chromium: chosen beside each other, replayed together; a slanted plane by
keys, and how steady a hand is."""

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.clips import marking
from galena.clips.models import Mark, Scale, SlantedPlane
from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as findings
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from tests import films, making
from tests.browser.at_desk import until_shown
from tests.browser.test_accessibility import violations
from tests.browser.test_clips import EVEN, at, brought, opened, shows
from tests.waiting import until

WITHOUT_RIG = True


@pytest.fixture
def experiment(page, ada):
    return experiment_flows.create(ada, "Thrown dot", [])


@pytest.fixture
def clip(experiment, tmp_path):
    return brought(experiment, films.film(tmp_path / "Thrown.mp4", EVEN))


def test_a_peak_and_a_picture_are_tied_beside_each_other_and_replayed_together(
    page, experiment, clip
):
    swing = 100 + 20 * np.cos(2 * np.pi * np.arange(80) / 20)
    run = making.run(experiment, swing, rate=20.0)  # highest at each whole second
    sheet = sheet_flows.first_sheet(experiment)
    level = experiment.quantities.get(symbol="h")
    findings.ask(annotations.add_span(sheet, 1.7, 2.3, level), "peak", level, [run])
    opened(page, clip)
    page.get_by_text("Tie to a run").click()
    trace = page.get_by_role("slider", name="moment of the run")
    expect(trace).to_be_visible()
    trace.focus()
    page.keyboard.press("PageDown")
    expect(page.locator("#tie-form [name=run_time]")).to_have_value("0.5000")
    page.get_by_role("button", name="peak of h in A: 2.0000 s").click()
    page.locator("#stage").focus()
    for number in range(1, 6):
        page.keyboard.press(".")
        shows(page, number)
    assert violations(page) == []
    page.get_by_role("button", name="is this picture").click()
    expect(page.get_by_text("run 1: 2.000 s is 0.200 s here")).to_be_visible()
    page.locator("[data-card=marks] h2").click()
    expect(trace).to_have_attribute("aria-valuetext", "2.0000 s")  # now it follows the film
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/record?replay=1")
    film = page.get_by_role("region", name="Film of this run")
    expect(film).to_be_visible()
    page.get_by_role("button", name="½×").click()
    page.wait_for_function(
        "() => Number(document.getElementById('replay-film').dataset.picture) > 5"
    )
    page.keyboard.press("r")  # held: the film stands where the replay stands
    expect(page.get_by_role("button", name="Replay R")).to_be_visible()
    page.locator("#replay-at").fill("2.1")
    expect(film).to_contain_text("0.280 s in the clip")
    assert violations(page) == []
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    until_shown(page, "s.runs === 1")
    expect(page.get_by_role("region", name="Picture at the cursor")).to_be_visible()


def test_a_rectangle_at_a_slant_is_drawn_by_hand_and_by_keys(page, clip):
    opened(page, clip)
    page.get_by_text("or a rectangle").click()
    width, height = films.SIZE
    page.mouse.move(*at(page, 0.3 * width, 0.7 * height))
    page.mouse.down()
    page.mouse.move(*at(page, 30, 100), steps=3)
    page.mouse.up()
    page.get_by_label("from 1 to 2").fill("1.20 ± 0.01")
    page.get_by_label("from 2 to 3").fill("0.80 ± 0.01")
    page.locator("#plane-form").get_by_role("button", name="Save").click()
    expect(page.get_by_role("button", name="Remove the rectangle")).to_be_visible()
    assert page.locator("#over line").count() > 20  # its grid lies over the picture
    x, y = SlantedPlane.objects.get().corners[2]
    page.locator("#stage").focus()
    page.keyboard.press("3")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("Alt+ArrowUp")
    expect(page.locator("#glass")).to_be_visible()  # magnified while it is moved
    page.keyboard.press("Enter")
    moved = pytest.approx([x + 10, y - 1.1], abs=0.01)
    until(lambda: SlantedPlane.objects.get().corners[2] == moved, "the corner to be moved")
    assert violations(page) == []
    page.get_by_label("from 1 to 2").fill("nothing")
    page.locator("#plane-form").get_by_role("button", name="Save").click()
    expect(page.get_by_role("alert")).to_be_visible()
    expect(page.get_by_label("from 1 to 2")).to_have_value("nothing")


def test_an_end_of_the_scale_is_moved_by_keys(page, clip):
    marking.set_scale(clip, (10, 100, 110, 100), "0.200 ± 0.001", "m")
    opened(page, clip)
    page.locator("[data-card=scale] h2").click()
    page.locator("#stage").focus()
    page.keyboard.press("2")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Alt+ArrowRight")
    page.keyboard.press("Enter")
    until(lambda: Scale.objects.get().x2 == pytest.approx(111.1), "the end to be moved")


def test_five_marks_of_the_same_place_tell_how_steady_a_hand_is(page, clip):
    opened(page, clip)
    page.locator("[data-card=marks] h2").click()
    page.get_by_role("button", name="how steady is your hand?").click()
    for left, (dx, dy) in enumerate([(0, 0), (1, 0), (0, 1), (-1, 0), (0, -1)]):
        page.mouse.click(*at(page, 60 + dx, 50 + dy))
        if left < 4:
            expect(page.get_by_text(f"{4 - left} times more")).to_be_visible()
    expect(page.get_by_text("See below how steady your hand is.")).to_be_visible()
    assert page.locator("#stage").get_attribute("data-picture") == "0"
    page.get_by_role("button", name="px by your hand").click()
    page.wait_for_function("() => document.querySelector('#panel [name=u_mark]').value !== '1'")
    clip.refresh_from_db()
    marks = np.array(Mark.objects.values_list("x", "y"))
    assert clip.u_mark == pytest.approx(np.sqrt(marks.var(axis=0, ddof=1).mean()), rel=0.02)
