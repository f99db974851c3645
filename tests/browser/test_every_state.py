"""Every page in both rooms, at 200 % zoom and 400 px wide, with all that opens open: axe
finds no barrier, and nothing has to be scrolled sideways to be read."""

import pytest
from django.contrib.sessions.backends.db import SessionStore
from django.urls import reverse
from playwright.sync_api import expect

from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from galena.experiments import quantity_flows
from tests import making
from tests.browser.test_accessibility import STANDARD, with_axe
from tests.web import classes

WITHOUT_RIG = True
OF_ONE = (
    "bench",
    "record",
    "desk",
    "quantities",
    "report",
    "report-versions",
    "clips",
    "straighten",
)
OF_ALL = ("experiments", "new-experiment", "lessons", "new-lesson", "people", "kept", "bring")
USUAL = {"width": 1280, "height": 800}
NARROW = (
    {"width": 640, "height": 400},
    {"width": 400, "height": 800},
)  # 1280 at 200 %, and a phone
STATES = (("light", USUAL), ("dark", USUAL), *(("light", one) for one in NARROW))
WIDE = (
    "desk",
    "record",
    "bench",
    "straighten",
    "report",
)  # from 768 px on, as the class's page says
LOOK = """async ([selector, tags]) => {
  const told = [];
  const look = async (where, what) => {
    const seen = await axe.run(where, { runOnly: tags, resultTypes: ["violations"] });
    for (const one of seen.violations)
      for (const node of one.nodes) told.push(`${what}: ${one.id}: ${node.html.slice(0, 160)}`);
  };
  await look(document, "the page");
  for (const one of document.querySelectorAll("details:not([open])")) {
    if (!one.getClientRects().length) continue;
    one.open = true;
    await look(one, one.querySelector("summary").innerText);
    one.open = false;
  }
  for (const one of document.querySelectorAll("[popover]")) {
    if (!one.textContent.trim()) continue;
    one.showPopover();
    await look(one, one.getAttribute("aria-label") ?? one.id);
    one.hidePopover();
  }
  return told;
}"""


@pytest.fixture
def whole(ada):
    """An experiment with runs, a span, a marker, a formula and a lesson."""
    ada.is_staff = True
    ada.save()
    made = experiment_flows.create(ada, "Tide tank", [("pump", "mL/s")])
    runs = [making.run(made, making.ramp(seed=n), conditions=[f"{n}0"]) for n in (1, 2)]
    sheet = sheet_flows.first_sheet(made)
    finding_flows.ask(flows.add_span(sheet, 2, 8), "line", sheet.quantity, runs)
    flows.add_marker(sheet, 12)
    quantity_flows.add_derived(made, "2*h", "double", "d")
    classes.group(classes.begin(made), "Gannet")
    return made


def address_of(name, experiment):
    if name == "straighten":
        return reverse(name, args=[experiment.pk, experiment.sheets.first().pk])
    return reverse(name, args=[experiment.pk] if name in OF_ONE else [])


def barriers(page):
    with_axe(page)
    return page.evaluate(LOOK, ["details", STANDARD])


def look(page, room_is):
    """Choose how the screens look, as the button of the top line does."""
    key = next(one["value"] for one in page.context.cookies() if one["name"] == "sessionid")
    session = SessionStore(key)
    session["room"] = room_is
    session.save()


@pytest.mark.parametrize("name", [*OF_ALL, *OF_ONE])
def test_a_page_with_all_that_opens_has_no_known_barrier(page, whole, name):
    for room_is, size in STATES:
        look(page, room_is)
        page.set_viewport_size(size)
        page.goto(page.room.url + address_of(name, whole))
        expect(page.locator("main")).to_be_visible()
        assert barriers(page) == [], (room_is, size)
        if size in NARROW and name not in WIDE:
            across = page.evaluate("document.documentElement.scrollWidth - innerWidth")
            assert across <= 0, f"{name} at {size} is {across} px too wide"


def test_drawers_and_panels_have_no_known_barrier(page, whole):
    page.goto(page.room.url + address_of("desk", whole))
    page.get_by_role("button", name="Readings", exact=True).click()
    expect(page.get_by_role("region", name="Readings")).to_contain_text("200 rows")
    assert barriers(page) == []
    page.get_by_role("button", name="line", exact=True).first.click()
    expect(page.get_by_role("button", name="← all findings")).to_be_visible()
    assert barriers(page) == []
    page.get_by_role("button", name="← all findings").click()
    page.get_by_role("button", name="model…").click()
    expect(page.locator("#drawer")).to_contain_text("line")
    assert barriers(page) == []


def test_who_wants_no_motion_gets_none(page, whole):
    page.emulate_media(reduced_motion="reduce")
    page.goto(page.room.url + address_of("record", whole))
    moving = page.evaluate("""() => [...document.querySelectorAll("*")].filter((one) => {
      const style = getComputedStyle(one);
      const lasts = (text) => Math.max(...text.split(",").map(parseFloat));
      return lasts(style.animationDuration) > 0.01 || lasts(style.transitionDuration) > 0.01;
    }).map((one) => one.outerHTML.slice(0, 100))""")
    assert moving == []
