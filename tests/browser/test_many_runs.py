"""Many runs at the Desk: the folded rail and its chooser; columns typed beside; boxes that stay."""

import re

import pytest
from playwright.sync_api import expect

from galena.experiments import flows as experiment_flows
from galena.experiments.models import TypedColumn
from tests import making
from tests.browser.at_desk import until_shown
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True


@pytest.fixture
def desk(page, ada):
    """The Desk with twelve runs at four settings of the pump."""
    experiment = experiment_flows.create(ada, "Many tides", [("pump", "mL/s"), ("drain", "")])
    for place in range(12):
        drain = "open" if place % 2 else "shut"
        conditions = [str(20 * (1 + place % 4)), drain]
        making.run(experiment, [1.0 + place, 2.0, 5.0], conditions=conditions)
    page.experiment = experiment
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    until_shown(page, "s.runs === 12")
    return page


def test_runs_are_chosen_by_their_conditions_with_the_keyboard(desk):
    opener = desk.get_by_role("button", name="12 runs, 12 shown")
    opener.focus()
    desk.keyboard.press("Enter")
    chooser = desk.get_by_role("dialog", name="About this run")
    expect(chooser.locator("tbody tr")).to_have_count(12)
    chooser.get_by_role("button", name="pump / mL/s").press("Enter")
    expect(chooser.locator("tbody tr").first).to_contain_text("20")
    sorted_by = chooser.get_by_role("columnheader", name="pump / mL/s")
    expect(sorted_by).to_have_attribute("aria-sort", "ascending")
    chooser.get_by_label("only with pump").select_option("40.0")
    expect(chooser.locator("tbody tr")).to_have_count(3)
    assert violations(desk) == []
    chooser.get_by_role("button", name="Show only these 3").press("Enter")
    until_shown(desk, "s.runs === 3")
    expect(desk.get_by_role("button", name="12 runs, 3 shown")).to_be_visible()
    expect(desk.locator("#rail .chip")).to_have_count(3)
    expect(chooser.get_by_role("button", name="Show only these 3")).to_be_focused()
    chooser.get_by_role("button", name="Close").press("Enter")
    expect(chooser).to_be_hidden()


def test_a_column_is_typed_beside_measured_readings(desk):
    desk.get_by_role("button", name="Readings", exact=True).click()
    desk.get_by_role("button", name="+ column").click()
    head = desk.locator("#drawer .head")
    expect(head).to_be_focused()
    desk.keyboard.type("load F / N")
    desk.keyboard.press("Enter")
    cell = desk.get_by_label("Row 2, column 3")
    cell.fill("2,5")
    desk.keyboard.press("Enter")
    expect(desk.locator("tfoot [data-statistic=count]").nth(2)).to_have_text("1")
    desk.get_by_role("button", name="Row 2", exact=True).click()
    desk.locator("#row-tools [name=last]").fill("3")
    desk.get_by_label("is known:").fill("4")
    desk.locator("#row-tools [data-table=known]").click()
    expect(desk.get_by_label("Row 3, column 3")).to_have_value("4")
    expect(desk.get_by_label("Row 2, column 3")).to_have_value("4")
    assert TypedColumn.objects.get(replaced_at=None).stretches == [[1, 2, "4"]]
    assert violations(desk) == []


def test_a_box_of_ticks_stays_open_between_them(desk):
    desk.get_by_role("button", name="Sheet", exact=True).click()
    box = desk.locator("#sheet-tools")
    box.get_by_label("legend").uncheck()
    expect(desk.locator("[data-act=undo]")).to_have_attribute("title", re.compile("look"))
    expect(box).to_be_visible()
    expect(box.get_by_label("legend")).to_be_focused()
    box.get_by_label("black and white").check()
    expect(box.get_by_label("black and white")).to_be_checked()
    expect(box).to_be_visible()
    desk.keyboard.press("Escape")
    expect(box).to_be_hidden()
