"""The microphone of a device as an instrument on the Bench."""

import re

from playwright.sync_api import expect

from galena.bench.live import microphone_views
from tests.browser.conftest import CHROMIUM
from tests.browser.test_bench import NUMBER, bench, reading, strip_of
from tests.waiting import until

BROWSER = CHROMIUM
__all__ = ["bench"]


def microphone(page):
    return page.get_by_role("button", name="Use this device's microphone")


def test_the_microphone_of_this_device_is_an_instrument(bench):
    microphone_views.forget()
    bench.context.grant_permissions(["microphone"])
    microphone(bench).click()
    level = strip_of(bench, "sound level").locator("[data-shown=text]")
    expect(level).to_have_text(NUMBER)
    expect(bench.get_by_text(re.compile(r"^\s*serial\s+[0-9a-f]{8}\s*$"))).to_be_visible()
    until(lambda: -80 < reading(strip_of(bench, "sound level")) < 0, "the beeps of the fake sound")
    bench.get_by_role("link", name="Plan a run").click()  # it goes on from page to page
    expect(bench.get_by_text("sound level / dB")).to_be_visible()
    bench.get_by_role("button", name="Stop listening").click()
    expect(bench.get_by_role("button", name="Stop listening")).to_be_hidden()


def test_a_refused_microphone_is_explained(bench):
    microphone(bench).click()
    expect(bench.get_by_text("The browser may not use the microphone")).to_be_visible()
