from pathlib import Path

import pytest
from playwright.sync_api import expect

from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from tests import making

AXE = Path(__file__).parent / "vendor" / "axe.min.js"
STANDARD = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]
PAGES = ["", "experiments/new", "bench", "record", "desk", "quantities", "report"]


def with_axe(page):
    """Bring axe to a page, as the tester's own code: the page's policy stays as it is."""
    if not page.evaluate("Boolean(window.axe)"):
        page.evaluate(AXE.read_text("utf-8"))


def violations(page):
    with_axe(page)
    seen = page.evaluate(
        "tags => axe.run(document, {runOnly: tags, resultTypes: ['violations']})", STANDARD
    )
    return [
        f"{one['id']}: {node['html'][:120]} {node['failureSummary'][:200]}"
        for one in seen["violations"]
        for node in one["nodes"]
    ]


@pytest.fixture
def experiment(ada):
    made = experiment_flows.create(ada, "Tide tank", [("pump", "mL/s")])
    runs = [making.run(made, making.ramp(seed=n), conditions=[f"{n}0"]) for n in (1, 2)]
    sheet = sheet_flows.first_sheet(made)
    finding_flows.ask(flows.add_span(sheet, 2, 8), "line", sheet.quantity, runs)
    flows.add_marker(sheet, 12)
    return made


@pytest.mark.parametrize("where", PAGES)
def test_a_page_has_no_known_barrier(page, experiment, where):
    own = where in PAGES[2:]
    page.goto(f"{page.room.url}/" + (f"experiments/{experiment.pk}/{where}" if own else where))
    if where == "bench":
        expect(page.locator("#rig h3")).to_be_visible()
    if where == "desk":
        expect(page.get_by_role("slider", name="marker 1")).to_be_attached()
        page.get_by_role("button", name="Readings", exact=True).click()
        expect(page.get_by_role("region", name="Readings")).to_contain_text("200 rows")
    assert violations(page) == []


def test_signing_in_has_no_known_barrier(window, room):
    page = window()
    page.goto(f"{room.url}/sign-in")
    assert violations(page) == []


def test_writing_a_report_has_no_known_barrier(page, experiment):
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/report")
    page.wait_for_load_state()
    page.get_by_label("Text in Markdown").press_sequentially(" {")
    expect(page.get_by_role("listbox")).to_be_visible()
    assert violations(page) == []
