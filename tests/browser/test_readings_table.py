"""The readings table: typed without a mouse, pasted into, set aside, and a million rows long."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.experiments import flows as experiment_flows
from galena.experiments.models import Experiment, TypedColumn
from galena.shell.marks import mark_of
from tests import making
from tests.browser.at_desk import colour_at, colour_of, pixel, until_shown
from tests.browser.late import Late
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True

READINGS = [("0.10", "0.3"), ("0.20", "2.4"), ("0.30", "8.0"), ("0.40", "19.2")]


@pytest.fixture
def gangway(page):
    """From nothing to a graph of a typed table, by keyboard alone."""
    page.goto(page.room.url)
    page.get_by_role("link", name="New experiment").focus()
    page.keyboard.press("Enter")
    expect(page.get_by_label("Title")).to_be_focused()
    page.keyboard.type("Gangway")
    for _ in range(3):
        page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator(".head").first).to_be_focused()
    page.keyboard.type("overhang L / m")
    page.keyboard.press("Tab")
    page.keyboard.type("sag s / mm")
    page.keyboard.press("Enter")
    for row in READINGS:
        for text, key in zip(row, ("Tab", "Enter"), strict=True):
            page.keyboard.type(text)
            page.keyboard.press(key)
    until_shown(page, "s.runs === 1 && s.x[1] > 0.4 && s.y[1] > 19.2")
    return page


def cell(page, row, column):
    return page.get_by_label(f"Row {row}, column {column}")


def test_a_typed_table_becomes_a_graph_without_a_mouse(gangway):
    expect(gangway.locator(".axis-label.along")).to_have_text("L / m")
    expect(gangway.locator(".axis-label.left").first).to_have_text("s / mm")
    for x, y in READINGS:
        assert colour_at(gangway, float(x), float(y)) == mark_of(1).colour
    expect(gangway.locator("tfoot [data-statistic=count]")).to_have_text(["4", "4"])
    expect(gangway.locator("tfoot [data-statistic=mean]")).to_have_text(["0.250", "7.47"])
    stored = TypedColumn.objects.filter(replaced_at=None).order_by("quantity_id")
    assert [column.cells for column in stored] == [list(one) for one in zip(*READINGS, strict=True)]
    assert violations(gangway) == []


def type_head(page, column, text):
    field = page.get_by_label(f"Head of column {column}")
    with page.expect_response(lambda answer: answer.url.endswith("/change")):
        field.fill(text)
        field.press("Enter")


def test_a_label_is_right_though_the_sheets_answer_late_and_more_is_asked_meanwhile(gangway):
    late = Late(gangway, "**/desk/sheets")
    type_head(gangway, 1, "length l / m")
    type_head(gangway, 2, "dip d / mm")
    with gangway.expect_response(lambda answer: "/ledger" in answer.url):
        cell(gangway, 1, 2).fill("0.4")
        gangway.keyboard.press("Enter")
    late.let_go()
    expect(gangway.locator(".axis-label.along")).to_have_text("l / m")
    expect(gangway.locator(".axis-label.left").first).to_have_text("d / mm")


def test_the_row_that_was_chosen_last_is_the_one_that_is_read(gangway):
    late = Late(gangway, "**/at?*")
    with gangway.expect_request("**/at?*"):
        gangway.mouse.move(*pixel(gangway, 0.1, 3))
    gangway.get_by_role("button", name="Row 3", exact=True).click()
    gangway.evaluate("() => fetch(location.href).then((answer) => answer.text())")
    late.let_go()
    expect(gangway.locator(".reading")).to_contain_text("0.30 m")
    gangway.get_by_label("set aside, because").fill("misprint")
    gangway.get_by_role("button", name="Set aside").click()
    expect(gangway.locator(".reading")).to_contain_text("set aside")
    expect(gangway.locator(".reading")).to_contain_text("0.30 m")


def test_a_wrong_cell_keeps_what_was_typed_and_says_why(gangway):
    cell(gangway, 2, 2).fill("2.4 mm")
    gangway.keyboard.press("Enter")
    expect(gangway.get_by_role("alert").filter(has_text="is not a number")).to_be_visible()
    expect(cell(gangway, 2, 2)).to_have_value("2.4 mm")
    expect(cell(gangway, 2, 2)).to_have_attribute("aria-invalid", "true")
    cell(gangway, 2, 2).fill("2,5")
    gangway.keyboard.press("Enter")
    expect(cell(gangway, 2, 2)).not_to_have_attribute("aria-invalid", "true")
    expect(gangway.locator("tfoot [data-statistic=mean]").nth(1)).to_have_text("7.50")


def test_a_reading_is_set_aside_and_counts_again(gangway):
    number = gangway.get_by_role("button", name="Row 3", exact=True)
    number.click()
    expect(gangway.locator(".reading")).to_contain_text("0.30 m")
    gangway.get_by_label("set aside, because").fill("misprint")
    gangway.get_by_role("button", name="Set aside").click()
    expect(gangway.locator("tfoot [data-statistic=count]")).to_have_text(["3", "3"])
    expect(gangway.locator("tr.aside")).to_have_count(1)
    expect(gangway.locator(".reading")).to_contain_text("set aside")
    gangway.mouse.move(*pixel(gangway, 0.1, 3))
    expect(gangway.locator(".reading")).to_contain_text("0.10 m")
    gangway.wait_for_function("() => document.querySelector('tr.current')?.dataset.row === '0'")
    x, y = pixel(gangway, 0.3, 8.0)
    assert colour_of(gangway, (x, y)) == "#ffffff"  # hollow
    assert colour_of(gangway, (x, y - 4)) == mark_of(1).colour
    number.click()
    gangway.get_by_role("button", name="Let it count again").click()
    expect(gangway.locator("tfoot [data-statistic=count]")).to_have_text(["4", "4"])


def test_a_spreadsheet_is_pasted_with_its_heads(gangway):
    cell(gangway, 1, 1).focus()
    gangway.evaluate(
        """(text) => { const data = new DataTransfer(); data.setData("text/plain", text);
        document.activeElement.dispatchEvent(new ClipboardEvent("paste",
          { clipboardData: data, bubbles: true, cancelable: true })); }""",
        "length x (cm)\tload F [N]\ttime t_1 / s\n1,5\t2,50\t7\n2,5\t3,50\t8\n",
    )
    heads = gangway.locator("thead .head")
    expect(heads).to_have_count(3)
    expect(heads.first).to_have_value("length x / cm")
    expect(cell(gangway, 2, 3)).to_have_value("8")
    expect(cell(gangway, 3, 1)).to_have_value("0.30")  # what lies below stays
    expect(gangway.locator(".axis-label.along")).to_have_text("x / cm")
    gangway.locator("[data-act=undo]").click()
    expect(gangway.locator(".axis-label.along")).to_have_text("L / m")


def test_a_million_rows_are_scrolled_and_only_some_are_drawn(page, ada):
    made = experiment_flows.create(ada, "A long night")
    y = np.round(np.arange(1_000_000) % 977 * 0.5, 1)
    making.run(made, y, rate=1000.0, chunk=250_000)
    page.goto(f"{page.room.url}/experiments/{made.pk}/desk")
    until_shown(page, "s.runs === 1 && s.kinds[0] === 'columns'")
    page.get_by_role("button", name="Readings", exact=True).click()
    expect(page.locator("[data-shown=count]")).to_have_text(re.compile("1.000.000 rows"))
    row = page.locator('tr[data-row="0"]')
    expect(row.locator("td").last).to_have_text("0.0")
    page.locator("#table").evaluate("(box) => { box.scrollTop = box.scrollHeight; }")
    last = page.locator('tr[data-row="999999"]')
    expect(last.locator("td").last).to_have_text(f"{y[-1]:.1f}")
    expect(last.locator("td").first).to_have_text("999.999")
    assert page.locator("#table tbody tr").count() < 60
    page.locator("#table").evaluate("(box) => { box.scrollTop = box.scrollHeight / 2; }")
    middle = page.locator("#table tbody tr[data-row]").nth(10)
    page.wait_for_function(
        "() => Math.abs(document.querySelectorAll('#table tbody tr[data-row]')[10]?.dataset.row"
        " - 500000) < 100000"
    )
    expect(middle.locator("td").last).to_have_text(re.compile(r"\d"))
    number = int(middle.get_attribute("data-row"))
    expect(middle.locator("td").last).to_have_text(f"{y[number]:.1f}")
    assert 400_000 < number < 600_000


def test_the_list_finds_while_one_types_and_puts_away(page, ada):
    for title in ("Lantern cell", "Slipway soap", "Shaft spring"):
        experiment_flows.create(ada, title)
    page.goto(page.room.url)
    page.get_by_role("searchbox").fill("soap")
    expect(page.locator(".tiles h2")).to_have_text(["Slipway soap"])
    page.get_by_label("About Slipway soap").click()
    page.get_by_role("button", name="Archive", exact=True).click()
    expect(page.get_by_role("link", name="Archived: 1")).to_be_visible()
    assert Experiment.objects.get(title="Slipway soap").archived_at is not None
    page.wait_for_load_state("load")
    page.get_by_label("in order of").select_option("title")
    expect(page.locator(".tiles h2").first).to_have_text("Lantern cell")
    assert violations(page) == []
