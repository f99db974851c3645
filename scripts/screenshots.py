"""Take docs/screenshots anew: the demo world is built in a temporary folder and photographed."""

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.browser.conftest import CHROMIUM, FLAGS

TO = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def main() -> None:
    """Build the demo world, serve it, and take every picture."""
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {"GALENA_DATA": folder}
        command = [sys.executable, "-m", "galena", "demo", "--port", "0"]
        with subprocess.Popen(
            command, env=environment, stdout=subprocess.PIPE, text=True
        ) as served:
            try:
                address = next(
                    found[0] for line in served.stdout if (found := re.search(r"http://\S+", line))
                )
                with sync_playwright() as playwright:
                    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                    page = browser.new_page(viewport={"width": 1280, "height": 800})
                    take_all(page, address.rstrip("/"))
                    browser.close()
            finally:
                served.terminate()


def take_all(page: Page, address: str) -> None:
    """Walk through the demo world and take a picture of each main view."""
    page.goto(address)
    page.get_by_role("button", name="Come in as Ada").click()
    page.wait_for_load_state("networkidle")
    take(page, "experiments")
    page.goto(f"{address}/experiments/2/bench")
    strip = page.get_by_role("region", name="water level")
    page.wait_for_function("() => document.querySelector('[data-shown=noise]')?.textContent != '–'")
    page.wait_for_timeout(2500)
    strip.get_by_role("button", name="Zero", exact=True).click()
    strip.get_by_text("zero at").wait_for()
    page.get_by_role("slider", name="pump").fill("40")
    page.wait_for_timeout(8000)
    take(page, "bench")
    page.get_by_role("link", name="Plan a run").click()
    page.get_by_label("readings a second").fill("20")
    page.get_by_label("duration").fill("30")
    page.get_by_label("pump / mL/s").fill("40")
    page.get_by_label("drain", exact=True).fill("closed")
    page.get_by_role("button", name="Record").click()
    page.wait_for_function(
        "() => document.getElementById('clock').textContent > '00:20'", timeout=40_000
    )
    take(page, "record")
    page.get_by_role("button", name="Stop").click()
    page.get_by_role("heading", name="Plan").wait_for()
    page.goto(f"{address}/experiments/1/desk")
    page.wait_for_function(
        "() => JSON.parse(document.getElementById('stack').dataset.shown).runs == 3"
    )
    box = page.locator("#stack").bounding_box()
    page.mouse.move(box["x"] + box["width"] * 0.72, box["y"] + box["height"] * 0.5)
    page.wait_for_function("() => document.getElementById('reading').textContent")
    take(page, "desk")
    page.get_by_role("button", name="Readings", exact=True).click()
    page.locator("#drawer table").wait_for()
    take(page, "readings")
    page.goto(f"{address}/experiments/1/report")
    page.wait_for_load_state("networkidle")
    take(page, "report")


def take(page: Page, name: str) -> None:
    """Take one picture, once all fonts are there."""
    page.evaluate("document.fonts.ready")
    page.screenshot(path=TO / f"{name}.png")


if __name__ == "__main__":
    main()
