"""A clip in Chromium: sent, stepped picture by picture, measured by clicks and keys, followed."""

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.clips import files, marking, preparing, sending, tracked_run
from galena.clips.models import Clip, Mark
from galena.desk.models import Finding
from galena.experiments import flows as experiment_flows
from tests import films
from tests.browser.at_desk import until_shown
from tests.browser.late import Slow
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True

UNEVEN = np.cumsum(np.random.default_rng(8).uniform(0.012, 0.08, 60)) - 0.012
EVEN = np.delete(np.arange(32) / 25, [9, 15])  # two pictures are missing

# The number that the bars of the shown picture tell.
READ = """() => {
  const film = document.querySelector("#stage video:not(.behind)");
  const canvas = document.createElement("canvas");
  [canvas.width, canvas.height] = [film.videoWidth, film.videoHeight];
  const context = canvas.getContext("2d");
  context.drawImage(film, 0, 0);
  const bars = [0, 1, 2, 3, 4, 5, 6, 7].map((bit) => context.getImageData(
    Math.round((canvas.width * (bit + 0.5)) / 8), canvas.height - 8, 1, 1).data[1]);
  return bars.reduce((sum, shade, bit) => sum + (shade > 128 ? 1 << bit : 0), 0);
}"""


def brought(experiment, path):
    """Take a film as if it had been sent, and prepare it."""
    data = path.read_bytes()
    clip = sending.begin(experiment, path.name, len(data), "", experiment.owner)
    files.file_of(clip.folder, files.ORIGINAL).write_bytes(data)
    Clip.objects.filter(pk=clip.pk).update(**preparing.prepared_fields(clip.folder))
    clip.refresh_from_db()
    return clip


@pytest.fixture
def experiment(page, ada):
    return experiment_flows.create(ada, "Thrown dot", [])


def opened(page, clip):
    page.goto(f"{page.room.url}/experiments/{clip.experiment_id}/clips/{clip.pk}")
    shows(page, clip.start)
    return page


def shows(page, number):
    """Wait until a picture is shown, and read its number from the picture itself."""
    page.wait_for_function(
        "(k) => document.getElementById('stage').dataset.picture === String(k)", arg=number
    )
    assert page.evaluate(READ) == number


def at(page, x, y):
    """Give where a place of the film is on the screen."""
    box = page.locator("#stage").bounding_box()
    return box["x"] + x / films.SIZE[0] * box["width"], box["y"] + y / films.SIZE[1] * box["height"]


@pytest.mark.parametrize(("name", "codec", "times"), [
    ("even.mp4", "libx264", EVEN), ("uneven.webm", "libvpx-vp9", UNEVEN),
])  # fmt: skip
def test_the_picture_of_step_k_is_picture_k(page, experiment, tmp_path, name, codec, times):
    clip = brought(experiment, films.film(tmp_path / name, times, codec=codec, with_dot=False))
    opened(page, clip)
    for number in range(1, 12):
        page.keyboard.press(".")
        shows(page, number)
    page.keyboard.press("End")
    shows(page, clip.count - 1)
    for number in range(clip.count - 2, clip.count - 9, -1):
        page.keyboard.press(",")
        shows(page, number)
    page.keyboard.press("Home")
    shows(page, 0)
    page.keyboard.press("PageDown")
    shows(page, 10)
    strip = page.locator("#strip").bounding_box()
    for number in (27, 3, 16, 15, 28):
        share = number / (clip.count - 1)
        page.mouse.click(strip["x"] + 8 + share * (strip["width"] - 16), strip["y"] + 20)
        shows(page, number)
    expect(page.locator("[data-shown=time]")).to_have_text(f"{clip.ticks[28] / 1e6:.4f}")


def test_from_a_file_to_a_speed_by_clicks_and_keys(page, experiment, tmp_path):
    path = films.film(tmp_path / "Thrown.mp4", EVEN)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    page.get_by_role("link", name="Clips").click()
    page.locator("#film").set_input_files(path)
    page.wait_for_url("**/clips/*")
    expect(page.locator("#stage")).to_have_attribute("data-picture", "0")
    clip = Clip.objects.get()
    assert (clip.state, clip.missing) == ("ready", 2)
    assert violations(page) == []
    page.mouse.move(*at(page, 10, 100))  # a length of 100 pixels is 0.2 m
    page.mouse.down()
    page.mouse.move(*at(page, 60, 100), steps=3)
    page.mouse.move(*at(page, 110, 100))
    page.mouse.up()
    expect(page.get_by_label("its length")).to_be_focused()
    page.keyboard.type("0.200 ± 0.001")
    page.keyboard.press("Enter")
    expect(page.get_by_text("1 px is 0.0020")).to_be_visible()
    page.locator("[data-card=axes] h2").click()
    page.mouse.click(*at(page, *films.way(0)))
    expect(page.locator("[data-card=axes] .set")).to_be_visible()
    page.locator("[data-card=marks] h2").click()
    for number in range(10):  # by clicks, the next picture comes by itself
        page.mouse.click(*at(page, *films.way(number)))
        shows(page, number + 1)
    page.locator("#stage").focus()
    for number in range(10, 20):  # by keys, from where the cross stands
        for _ in range(4):
            page.keyboard.press("ArrowRight")
        for _ in range(2):
            page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")
        shows(page, number + 1)
    expect(page.get_by_text("20 of 30 pictures")).to_be_visible()
    assert violations(page) == []
    marks = Mark.objects.filter(replaced_at=None).order_by("picture")
    for number, mark in enumerate(marks):
        assert (mark.x, mark.y) == pytest.approx(films.way(number), abs=0.8)
    page.keyboard.press("Control+z")
    expect(page.get_by_text("19 of 30 pictures")).to_be_visible()
    page.get_by_role("button", name="Use as a run").click()
    page.wait_for_url("**/desk")
    until_shown(page, "s.runs === 1")
    box = page.locator(".stack").bounding_box()
    page.mouse.move(box["x"] + 0.3 * box["width"], box["y"] + 0.5 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.85 * box["width"], box["y"] + 0.5 * box["height"], steps=4)
    page.mouse.up()
    page.locator("#ledger").get_by_role("button", name="line", exact=True).click()
    expect(page.locator("#ledger .asked")).to_have_count(1)
    assert Finding.objects.get().kind == "line"
    expect(page.locator("#ledger")).to_contain_text("m/s")


def test_it_is_followed_and_marked_again_in_place(page, experiment, tmp_path, ada):
    clip = brought(experiment, films.film(tmp_path / "Thrown.mp4", EVEN))
    opened(page, clip)
    page.locator("[data-card=marks] h2").click()
    mark = Slow(page, "**/marks")
    page.mouse.click(*at(page, *films.way(0)))
    mark.until_asked()
    shows(page, 1)
    page.keyboard.press(",")
    shows(page, 0)
    page.get_by_role("button", name="Follow it for me").click()  # at once: the mark is on its way
    mark.let_go()
    expect(page.get_by_text("30 of 30 pictures")).to_be_visible()
    marks = np.array(Mark.objects.filter(replaced_at=None).values_list("x", "y"))
    truth = np.array([films.way(number) for number in range(len(marks))])
    assert np.hypot(*(marks - truth).T).max() < 1.5
    page.keyboard.press("Home")
    shows(page, 0)
    page.locator("#stage").focus()
    page.keyboard.press("Delete")
    expect(page.get_by_text("29 of 30 pictures")).to_be_visible()
    glass = page.locator("#glass")
    page.mouse.move(*at(page, 100, 60))
    expect(glass).to_be_visible()
    over = glass.bounding_box()
    x, y = at(page, 100, 60)
    assert not (over["x"] < x < over["x"] + over["width"] and over["y"] < y < over["y"] + 168)


def test_the_picture_at_the_desk_follows_the_cursor(page, experiment, tmp_path, ada):
    clip = brought(experiment, films.film(tmp_path / "Thrown.mp4", EVEN))
    marking.set_scale(clip, (10, 100, 110, 100), "0.2", "m")
    marking.mark_all(clip.tracked.get(), [(k, *films.way(k), None) for k in range(25)], ada)
    tracked_run.use_as_run(clip, ada)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    until_shown(page, "s.runs === 1")
    dock = page.get_by_role("region", name="Picture at the cursor")
    expect(dock).to_be_visible()
    page.wait_for_function("() => document.getElementById('clip-dock').dataset.picture")
    page.locator(".stack").focus()
    page.keyboard.press("Home")
    expect(dock).to_have_attribute("data-picture", "0")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    expect(dock).to_have_attribute("data-picture", "3")
    expect(dock).to_contain_text("picture 4 of 30, 0.120 s")
    page.keyboard.press("ArrowRight")
    expect(dock).to_have_attribute("data-picture", "4")
    assert violations(page) == []
    dock.get_by_role("button", name="Close").click()
    expect(dock).to_be_hidden()
    page.get_by_role("button", name="Picture").click()
    expect(dock).to_be_visible()
