"""The decimal comma in what scripts write: live numbers, readings under the cursor, labels."""

import re

from playwright.sync_api import expect

from galena.experiments import flows as experiment_flows
from tests import making
from tests.browser.at_desk import pixel, until_shown
from tests.browser.test_accessibility import violations

COMMA = re.compile(r"\d,\d")


def test_who_chooses_the_comma_sees_it_live_and_under_the_cursor(page, ada):
    experiment = experiment_flows.create(ada, "With a comma")
    making.run(experiment, [5.25 + 2.0 * t for t in range(21)], rate=1.0)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/bench")
    page.locator(".menu.person summary").click()
    page.get_by_role("button", name="Show numbers as 0,5").click()
    expect(page).to_have_url(re.compile("/bench$"))

    strip = page.get_by_role("region", name="water level")
    expect(strip.locator("[data-shown=text]")).to_have_text(re.compile(r"^−?\d+,\d$"))
    expect(strip.locator("[data-shown=noise]")).to_have_text(COMMA)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    until_shown(page, "s.runs === 1")
    page.mouse.move(*pixel(page, 6, 20))
    expect(page.locator(".reading")).to_contain_text("17,2")
    page.mouse.click(*pixel(page, 6, 20))
    marker = page.get_by_role("region", name="Marker 1")
    expect(marker).to_contain_text("17,2")
    marker.get_by_label("About marker 1").click()
    place = marker.get_by_label("at", exact=True)
    place.fill("7,5")
    marker.get_by_role("button", name="Move", exact=True).click()
    expect(place).to_have_value("7,5")
    expect(marker).to_contain_text("19,2")
    marker.get_by_label("About marker 1").click()
    place.fill("6")
    marker.get_by_role("button", name="Move", exact=True).click()
    expect(marker).to_contain_text("17,2")
    assert violations(page) == []
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    page.get_by_role("button", name="Readings", exact=True).click()
    page.get_by_role("button", name="Copy", exact=True).click()
    expect(page.get_by_text("21 rows copied")).to_be_visible()
    text = page.evaluate("() => navigator.clipboard.readText()")
    assert "\n6,000000\t17,2\n" in text and "." not in text

    page.locator(".menu.person summary").click()
    page.get_by_role("button", name="Show numbers as 0.5").click()
    expect(marker).to_contain_text("17.2")
