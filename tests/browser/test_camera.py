"""The camera on Record in Chromium: films that start and stop with a run and are tied to it."""

import re
import time

import av
import numpy as np
import pytest
from playwright.sync_api import expect

from galena.clips import files, filming, preparing
from galena.clips.models import Clip
from galena.clips.ties import clocks
from galena.experiments.models import Run
from tests.browser.conftest import CHROMIUM
from tests.browser.test_accessibility import violations
from tests.browser.test_from_sensor_to_report import plan_a_run
from tests.waiting import until

BROWSER = CHROMIUM
# A camera whose pictures tell when they were painted: 16 bars for the browser's clock in units of
# 4 ms.
CAMERA = """() => {
  const canvas = Object.assign(document.createElement("canvas"), { width: 320, height: 80 });
  const context = canvas.getContext("2d");
  const paint = () => {
    const now = Math.floor(performance.now() / 4) % 65536;
    for (let bit = 0; bit < 16; bit++) {
      context.fillStyle = (now >> bit) & 1 ? "#eee" : "#111";
      context.fillRect(bit * 20, 0, 20, 80);
    }
  };
  paint();
  setInterval(paint, 16);
  navigator.mediaDevices.getUserMedia = async () => canvas.captureStream(30);
}"""


def painted_at(picture):
    """Read from a picture when it was painted, s of the browser's clock, modulo 262.144 s."""
    row = picture[picture.shape[0] // 2]
    bits = [row[round(picture.shape[1] * (bit + 0.5) / 16)] > 128 for bit in range(16)]
    return sum(1 << bit for bit, is_on in enumerate(bits) if is_on) * 0.004


def pictures_of(clip):
    with av.open(str(files.file_of(clip.folder, files.WORKING))) as container:
        return [frame.to_ndarray(format="gray") for frame in container.decode(video=0)]


def at_record(page, title):
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill(title)
    page.get_by_role("button", name="Make it and go to its Bench").click()
    plan_a_run(page)


def ready_clip():
    """Wait until the film that came from the camera is ready."""
    until(lambda: Clip.objects.filter(is_filmed=True).exclude(state="sending").exists(), "the film")
    clip = Clip.objects.get(is_filmed=True)
    preparing.wait(clip, 180)
    assert clip.state == Clip.State.READY, clip.trouble
    return clip


def test_a_film_starts_and_stops_with_the_run_and_is_tied_by_the_clocks(page):
    page.add_init_script(f"({CAMERA})()")
    at_record(page, "Filmed")
    page.get_by_label("readings a second").fill("20")
    page.get_by_label("duration").fill("4")
    page.get_by_role("button", name="Record with the camera").click()
    expect(page.get_by_text("It starts and stops with the run.")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Record Space").click()
    expect(page.locator("#camera")).to_contain_text(re.compile("filming [1-9] s"))
    expect(page.locator("#camera")).to_contain_text("Kept: the film")
    expect(page.get_by_role("heading", name="Plan")).to_be_visible()
    origin = page.evaluate("performance.timeOrigin") / 1000  # of the browser's clock, s
    clip, run = ready_clip(), Run.objects.get()
    filming.settle(run.experiment)
    clip.refresh_from_db()
    assert clip.name == "film of run 1"
    assert 3 < clip.duration < 7
    tie = clocks(clip)[1]
    off = []
    host_of_epoch = time.monotonic() - time.time()
    for seconds, picture in zip(clip.ticks / 1e6, pictures_of(clip), strict=True):
        host_us = (origin + painted_at(picture) + host_of_epoch) * 1e6
        run_time = run.details["host-rate"] * (host_us - run.details["host-us"]) / 1e6
        off.append(tie.in_film(run_time) - seconds)
    assert abs(np.median(off)) < 2 / 30
    assert tie.in_film(0) > -0.2  # the start of the run is in the film, or nearly


def test_a_closed_tab_keeps_the_film_up_to_the_last_second_sent(page):
    page.add_init_script(f"({CAMERA})()")
    at_record(page, "Closed")
    page.get_by_role("button", name="Record with the camera").click()
    page.get_by_role("button", name="Film alone").click()
    expect(page.locator("#camera")).to_contain_text(re.compile("filming [3-9] s"))
    page.close()
    clip = ready_clip()
    assert clip.duration > 1.5
    assert clip.during is None
    assert clocks(clip) == {}


def test_without_instruments_a_film_is_made_alone_and_measured(page, room):
    room.rig.stop()
    page.add_init_script(f"({CAMERA})()")
    page.goto(f"{page.room.url}/experiments/new")
    page.get_by_label("Title").fill("Alone")
    page.get_by_role("button", name="Make it and go to its Bench").click()
    page.get_by_role("link", name="Record").click()
    page.wait_for_load_state()
    page.get_by_role("button", name="Record with the camera").click()
    page.get_by_role("button", name="Film alone").click()
    expect(page.locator("#camera")).to_contain_text(re.compile("filming [2-9] s"))
    page.get_by_role("button", name="Stop filming").click()
    page.get_by_role("link", name="the film").click()
    expect(page.locator("#stage")).to_be_visible()
    assert ready_clip().count > 10


@pytest.mark.parametrize(("thrown", "words"), [
    ("new DOMException('', 'NotAllowedError')", "may not use the camera"),
    ("new DOMException('', 'NotFoundError')", "has no camera"),
    ("new DOMException('', 'NotReadableError')", "Another program holds the camera"),
])  # fmt: skip
def test_a_camera_that_is_not_given_is_explained(page, thrown, words):
    page.add_init_script(f"navigator.mediaDevices.getUserMedia = async () => {{ throw {thrown}; }}")
    at_record(page, "Refused")
    page.get_by_role("button", name="Record with the camera").click()
    expect(page.locator("#camera")).to_contain_text(words)


def test_on_a_plain_address_it_says_why_there_is_no_camera(page):
    page.add_init_script("Object.defineProperty(navigator, 'mediaDevices', { value: undefined })")
    at_record(page, "Plain")
    page.get_by_role("button", name="Record with the camera").click()
    expect(page.locator("#camera")).to_contain_text("only to pages of this computer or over https")


def test_the_fake_camera_of_the_browser_films(page):
    page.context.grant_permissions(["camera"], origin=page.room.url)
    at_record(page, "Fake")
    page.get_by_role("button", name="Record with the camera").click()
    expect(page.get_by_role("combobox", name="camera")).to_contain_text("fake_device_0")
    page.get_by_role("button", name="Film alone").click()
    expect(page.locator("#camera")).to_contain_text(re.compile("filming [2-9] s"))
    page.get_by_role("button", name="Stop filming").click()
    expect(page.locator("#camera")).to_contain_text("Kept: the film")
    clip = ready_clip()
    assert clip.count > 3  # how many a second a busy machine films decides no test
    assert (clip.width, clip.height) == (1280, 720)
