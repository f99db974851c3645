"""Take docs/screenshots anew: the demo world is built in a temporary folder and photographed."""

import os
import re
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from benchmarks.serving import answers
from tests.browser.conftest import CHROMIUM, FLAGS
from tests.waiting import until

TO = Path(__file__).resolve().parent.parent / "docs" / "screenshots"


def main() -> None:
    """Build the demo world, serve it, and take every picture."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        with served("serve") as (address, line):
            take_house(page, address, re.search(r"first/\S+", line)[0])
        with served("demo") as (address, _):
            take_all(page, address)
        browser.close()


@contextmanager
def served(command: str) -> Iterator[tuple[str, str]]:
    """Run a server in a folder of its own; gives its address, and the line after it, if any."""
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {"GALENA_DATA": folder}
        words = [sys.executable, "-m", "galena", command, "--port", "0"]
        with subprocess.Popen(words, env=environment, stdout=subprocess.PIPE, text=True) as running:
            try:
                lines = (line for line in running.stdout if "http://" in line)
                address = re.search(r"http://\S+", next(lines))[0].rstrip("/")
                line = next(lines) if command == "serve" else ""
                until(lambda: answers(address), "the server", 60)
                yield address, line
            finally:
                running.terminate()


def take_house(page: Page, address: str, first: str) -> None:
    """The first teacher's account, and the page of people."""
    page.goto(f"{address}/{first}")
    page.get_by_label("First name").fill("Ada")
    page.get_by_label("Name to sign in with").fill("ada")
    take(page, "first-start")
    page.get_by_label("Password").fill("skerry-lamps")
    page.get_by_role("button", name="Make the account").click()
    page.get_by_role("heading", name="Experiments").wait_for()
    page.goto(f"{address}/people")
    for called in ("Tern", "Puffin"):
        page.get_by_label("First name").fill(called)
        page.get_by_label("Name to sign in with").fill(called.lower())
        page.get_by_label("Password, of at least 12 characters").fill("skerry-lamps")
        page.get_by_role("button", name="Add", exact=True).click()
        page.get_by_text(f"{called} can sign in").wait_for()
    take(page, "people")
    page.context.clear_cookies()


def take_all(page: Page, address: str) -> None:
    """Walk through the demo world and take a picture of each main view."""
    page.goto(address)
    page.get_by_role("button", name="Come in as Ada").click()
    page.wait_for_load_state("networkidle")
    take(page, "experiments")
    calibrate_electrode(page, address)
    bench_of(page, address, "Tide tank, to try")
    plug_in(page, "Tide tank", "Rock pool")
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
    page.get_by_role("button", name="Record Space").click()
    page.wait_for_function(
        "() => document.getElementById('clock').textContent > '00:20'", timeout=40_000
    )
    take(page, "record")
    page.get_by_role("button", name="Stop").click()
    page.get_by_role("heading", name="Plan").wait_for()
    take_plans(page, address)
    take_desks(page, address)
    take_report(page, address)
    take_class(page, address)


def take_class(page: Page, address: str) -> None:
    """The lesson: the class, its door, a group on a phone, and remarks on a report."""
    page.goto(f"{address}/class")
    page.get_by_role("link", name="Filling the tide tank").click()
    page.wait_for_load_state("networkidle")
    code = page.locator(".door .code").inner_text()
    word = page.locator("tr", has=page.get_by_role("rowheader", name="Tern")).locator(".their-word")
    typed = word.text_content()
    phone = page.context.browser.new_page(viewport={"width": 390, "height": 844})
    phone.goto(f"{address}/come-in")
    phone.get_by_text("We were in already").click()
    phone.locator("#back-code").fill(code)
    phone.locator("#word").fill(typed)
    phone.get_by_role("button", name="Come back").click()
    phone.get_by_role("heading", name="Task").wait_for()
    phone.wait_for_timeout(1500)
    take(phone, "group-phone")
    page.reload()
    page.wait_for_timeout(1500)
    take(page, "class")
    page.get_by_role("link", name="Show large").click()
    page.locator(".large-code").wait_for()
    take(page, "door")
    phone.close()
    page.goto(f"{address}/class")
    page.get_by_role("link", name="Filling the tide tank").click()
    page.get_by_role("link", name=re.compile("handed back")).click()
    page.locator(".remark-sign").first.wait_for()
    take(page, "remarks")


def take_report(page: Page, address: str) -> None:
    """A report beside its page, with a place in the text."""
    desk_of(page, address, "Lamp over distance")
    page.get_by_role("link", name="Report").click()
    page.wait_for_load_state("networkidle")
    page.get_by_label("Text in Markdown").evaluate(
        "(box) => { box.focus(); box.selectionEnd = box.selectionStart = box.value.indexOf('$$') }"
    )
    page.wait_for_timeout(500)
    take(page, "report")


def desk_of(page: Page, address: str, title: str) -> None:
    """Go to the Desk of an experiment and wait for its graphs."""
    page.goto(address)
    page.get_by_role("link").filter(has=page.get_by_text(title, exact=True)).last.click()
    page.wait_for_url("**/desk")
    page.wait_for_function(
        "() => [...document.querySelectorAll('.stack')].every("
        "(one) => JSON.parse(one.dataset.shown ?? '{}').runs > 0)"
    )
    page.wait_for_function("() => document.querySelector('.reading').textContent")


def point(page: Page, across: float, down: float) -> None:
    """Put the cursor at a share of the first stack's width and height."""
    box = page.locator(".stack").first.bounding_box()
    page.mouse.move(box["x"] + box["width"] * across, box["y"] + box["height"] * down)
    page.wait_for_timeout(400)


def take_desks(page: Page, address: str) -> None:
    """One graph, a stack, and two sheets side by side."""
    desk_of(page, address, "Tide tank")
    point(page, 0.72, 0.5)
    take(page, "desk")
    desk_of(page, address, "Wing in the wind duct")
    point(page, 0.8, 0.3)
    take(page, "desk-stack")
    take_findings(page, address)
    take_straightened(page, address)
    take_clip(page, address)
    take_formulas(page, address)


def take_findings(page: Page, address: str) -> None:
    """The ledger with a second look."""
    desk_of(page, address, "Lamp over distance")
    point(page, 0.5, 0.5)
    take(page, "ledger")


def take_straightened(page: Page, address: str) -> None:
    """A curve on its way to a straight line."""
    desk_of(page, address, "Gangway")
    page.get_by_role("link", name="straighten…").click()
    page.wait_for_load_state("load")
    page.get_by_role("link", name="rises ever faster").click()
    page.get_by_text("Kept below").wait_for()
    page.get_by_role("link", name="power").click()
    page.get_by_role("heading", name="If this is so, then").wait_for()
    page.wait_for_timeout(300)
    take(page, "straighten")


def take_clip(page: Page, address: str) -> None:
    """A seed that was followed, with the glass beside the cross."""
    desk_of(page, address, "Sycamore seeds")
    page.get_by_role("link", name="Clips").click()
    page.get_by_role("link", name="Seed from the gallery").click()
    page.wait_for_function("() => document.getElementById('stage').dataset.picture")
    page.locator("[data-card=marks] h2").click()
    for _ in range(16):
        page.keyboard.press(".")
        page.wait_for_timeout(120)
    box = page.locator("#stage").bounding_box()
    page.mouse.move(box["x"] + 0.498 * box["width"], box["y"] + 0.425 * box["height"])
    page.wait_for_timeout(500)
    take(page, "clip")


def take_formulas(page: Page, address: str) -> None:
    """The formula of one of the energies of a spring."""
    desk_of(page, address, "Shaft spring")
    page.get_by_role("link", name="Quantities").click()
    page.wait_for_load_state("load")
    page.locator(".known a", has_text="energy of the spring").click()
    page.wait_for_load_state("load")
    take(page, "quantities")


def bench_of(page: Page, address: str, title: str) -> None:
    """Go to the Bench of an experiment."""
    page.goto(address)
    desk = page.get_by_role("link").filter(has_text=title).last.get_attribute("href")
    page.goto(f"{address}{desk.rpartition('/')[0]}/bench")
    page.wait_for_load_state("load")


def plug_in(page: Page, name: str, instead_of: str) -> None:
    """Plug a rig in and put another away."""
    page.get_by_role("button", name="Choose…").click()
    page.get_by_role("button", name=f"Unplug {instead_of}").click()
    page.get_by_role("button", name=f"Plug in {instead_of}").wait_for()
    page.get_by_role("button", name=f"Plug in {name}").click()
    page.get_by_role("button", name=f"Unplug {name}").wait_for()
    page.keyboard.press("Escape")
    page.locator("#rig h3", has_text=name).wait_for()
    page.wait_for_timeout(1500)
    page.get_by_role("button", name="Look again").click()
    page.wait_for_function("() => document.querySelector('[data-shown=noise]')?.textContent != '–'")


def calibrate_electrode(page: Page, address: str) -> None:
    """Calibrate the electrode of the Rock pool with three pots."""
    bench_of(page, address, "Rock pool")
    plug_in(page, "Rock pool", "Tide tank")
    page.get_by_label("time factor").select_option("5")
    page.locator(".strip").first.get_by_role("button", name="Calibrate…").click()
    sheet = page.get_by_role("complementary", name="Calibration")
    sheet.get_by_label("name", exact=True).fill("pH of the pool")
    sheet.get_by_label("symbol").fill("pH")
    sheet.get_by_label("unit", exact=True).fill("")
    for number, pot in enumerate(("4.00", "7.00", "10.00"), start=1):
        page.get_by_label("electrode in").select_option(f"pot {pot}")
        page.wait_for_timeout(9000)
        sheet.get_by_label("known value", exact=True).fill(pot)
        sheet.get_by_label("standard uncertainty of the known value").fill("0.01")
        sheet.get_by_label("average / s").fill("10")
        sheet.get_by_role("button", name="Take", exact=True).click()
        sheet.get_by_role("button", name="away").nth(number - 1).wait_for()
    take(page, "calibration")
    sheet.get_by_role("button", name="Use this calibration").click()
    sheet.get_by_text("in force").wait_for()


def take_plans(page: Page, address: str) -> None:
    """Catch a falling magnet; name what a board prints."""
    catch_magnet(page, address)
    name_board(page, address)


def catch_magnet(page: Page, address: str) -> None:
    """Arm a run and let the magnet fall."""
    bench_of(page, address, "Falling magnet")
    plug_in(page, "Magnet tube", "Tide tank")
    page.get_by_role("link", name="Record", exact=True).click()
    page.wait_for_load_state("load")
    page.locator("#act [name=rate]").fill("10 kHz")
    page.get_by_label("arm again").check()
    page.locator("#handle-height").fill("0.6")
    page.locator("#handle-coil").select_option("400 turns")
    page.get_by_role("button", name="Arm").click()
    page.wait_for_function(
        "() => document.getElementById('awaited')?.textContent.includes('above')"
    )
    page.get_by_role("button", name="let the magnet go").click()
    page.locator('#run-list [data-run="10"]').wait_for()
    page.wait_for_timeout(2500)
    take(page, "record-armed")
    page.get_by_role("button", name="Stop waiting").click()
    page.get_by_role("button", name="Arm").wait_for()


def name_board(page: Page, address: str) -> None:
    """Say what the columns are that a home-made board prints."""
    bench_of(page, address, "Tide tank, to try")
    plug_in(page, "Weather hut", "Magnet tube")
    page.get_by_role("slider", name="stove").fill("60")
    page.get_by_role("button", name="Name its columns…").click()
    page.get_by_role("heading", name="What this board prints").wait_for()
    typed = {"quantity-0": "air temperature", "symbol-0": "T_a", "unit-0": "°C", "min-0": "−40",
             "max-0": "85", "quantity-1": "relative humidity", "symbol-1": "H", "unit-1": "%",
             "min-1": "0", "max-1": "100"}  # fmt: skip
    for name, text in typed.items():
        page.locator(f"[name={name}]").fill(text)
    page.get_by_role("button", name="Keep these names").click()
    page.get_by_text("Kept. It is read anew").wait_for()
    page.wait_for_timeout(9000)
    take(page, "printing-board")
    page.get_by_role("button", name="Close").click()


def take(page: Page, name: str) -> None:
    """Take one picture, once all fonts are there."""
    page.evaluate("document.fonts.ready")
    page.screenshot(path=TO / f"{name}.png")


if __name__ == "__main__":
    main()
