"""Work that stays: limits, choices, what is open, the focus, other windows, a replay that ends."""

import re

import pytest
from playwright.sync_api import expect

from galena.desk.models import Span
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from tests import making
from tests.browser.at_desk import drag, open_axis, pixel, until_shown
from tests.browser.late import Late, Slow
from tests.browser.test_desk_stack import AIR
from tests.waiting import until

WITHOUT_RIG = True


@pytest.fixture
def desk(page, ada):
    """The Desk with two stacked graphs."""
    made = experiment_flows.create(ada, "Two in a stack", [])
    making.run(made, [5.0 + 2.0 * t for t in range(21)], rate=1.0)
    making.run(made, [1000.0 + t for t in range(21)], rate=1.0, facts=AIR)
    sheet = sheet_flows.first_sheet(made)
    sheet_flows.add_graph(sheet, made.quantities.get(symbol="p"))
    page.made, page.sheet = made, sheet
    page.address = f"{page.room.url}/experiments/{made.pk}/desk"
    page.goto(page.address)
    until_shown(page, "s.runs === 2 && s.graphs.length === 2")
    return page


def ledger(desk):
    return desk.locator("#ledger")


def test_from_zero_begins_at_zero_and_what_is_typed_wins(desk):
    open_axis(desk, ".along")
    desk.get_by_role("button", name="From zero").last.click()
    until_shown(desk, "s.x[0] === 0 && s.x[1] > 20")
    open_axis(desk, ".along")
    desk.get_by_label("to", exact=True).fill("12.5")
    desk.locator("#axis-form").get_by_role("button", name="From zero").click()
    until_shown(desk, "s.x[0] === 0 && s.x[1] === 12.5")
    desk.reload()
    until_shown(desk, "s.x[0] === 0 && s.x[1] === 12.5")


def test_what_is_typed_wins_over_limits_that_are_still_on_their_way(desk):
    view = Slow(desk, "**/view")
    open_axis(desk, ".along")
    desk.get_by_role("button", name="From zero").last.click()
    view.until_asked()
    open_axis(desk, ".along")
    desk.get_by_label("from").fill("3")
    desk.get_by_label("to", exact=True).fill("12.5")
    desk.get_by_role("button", name="Apply").click()
    view.let_go()
    until_shown(desk, "s.x[0] === 3 && s.x[1] === 12.5")
    desk.reload()
    until_shown(desk, "s.x[0] === 3 && s.x[1] === 12.5")


def test_what_is_undone_is_what_was_done_last(desk):
    open_axis(desk, ".along")  # the first act of all, at once
    desk.get_by_role("button", name="From zero").last.click()
    until_shown(desk, "s.x[0] === 0")
    desk.keyboard.press("Control+z")
    until_shown(desk, "s.x[0] < 0")
    desk.mouse.click(*pixel(desk, 10, 40))
    expect(ledger(desk).get_by_role("region", name="Marker 1")).to_be_visible()
    marks = Slow(desk, "**/spans")
    drag(desk, pixel(desk, 4, 14), pixel(desk, 12, 22))
    marks.until_asked()
    desk.keyboard.press("Control+z")
    marks.let_go()
    expect(desk.get_by_role("button", name="Redo")).to_be_enabled()
    assert not Span.objects.exists()
    expect(ledger(desk).get_by_role("region", name="Marker 1")).to_be_visible()
    open_axis(desk, ".along")  # limits that a hand moved just now are undone as well
    desk.get_by_role("button", name="From zero").last.click()
    until_shown(desk, "s.x[0] === 0")
    desk.locator(".stack").focus()
    desk.keyboard.press("Control+z")
    until_shown(desk, "s.x[0] < 0")
    expect(ledger(desk).get_by_role("region", name="Marker 1")).to_be_visible()


def test_what_is_said_of_an_act_is_seen_though_its_part_comes_anew_meanwhile(desk, window):
    drag(desk, pixel(desk, 4, 14), pixel(desk, 12, 22))
    span = ledger(desk).get_by_label("Span A", exact=True)
    span.get_by_label("About span A").click()
    span.get_by_label("from").fill("here")
    renewed = Late(desk, re.compile(r"/ledger$"))
    told = Late(desk, re.compile(r"/spans/\d+$"))
    span.get_by_role("button", name="Move", exact=True).click()
    told.until_asked()
    other = window()
    other.goto(desk.address)
    until_shown(other, "s.runs === 2")
    other.mouse.click(*pixel(other, 10, 40))
    renewed.let_go()
    desk.evaluate("new Promise((told) => requestAnimationFrame(() => setTimeout(told, 50)))")
    told.let_go()
    expect(ledger(desk)).to_contain_text("“here” is not a number")
    expect(ledger(desk).get_by_role("region", name="Marker 1")).to_be_visible()


def test_sheets_do_not_come_anew_under_a_hand(desk, window):
    renewed = Late(desk, re.compile(r"/desk/sheets$"))
    other = window()
    other.goto(desk.address)
    until_shown(other, "s.runs === 2 && s.graphs.length === 2")
    open_axis(other, ".along")
    other.get_by_role("button", name="From zero").last.click()
    until(lambda: desk.evaluate("true") and renewed.held, "the sheets to be asked for")
    start, end = pixel(desk, 4, 14), pixel(desk, 12, 22)
    desk.mouse.move(*start)
    desk.mouse.down()
    desk.mouse.move(end[0], start[1])
    renewed.let_go()
    desk.evaluate("new Promise((told) => requestAnimationFrame(() => setTimeout(told, 50)))")
    desk.mouse.up()
    expect(ledger(desk).get_by_role("region", name="Span A")).to_be_visible()
    until_shown(desk, "s.x[0] === 0")


def test_limits_typed_together_with_a_new_quantity_are_kept(desk):
    open_axis(desk, ".along")
    desk.locator("#axis-x").select_option(label="h water level / mm")
    desk.get_by_label("from").fill("8")
    desk.get_by_label("to", exact=True).fill("30")
    desk.get_by_role("button", name="Apply").click()
    until_shown(desk, "s.x[0] === 8 && s.x[1] === 30")


def test_a_span_is_asked_of_the_graph_on_which_it_was_drawn(desk):
    drag(desk, pixel(desk, 4, 1004, graph=1), pixel(desk, 12, 1012, graph=1))
    card = ledger(desk).get_by_role("region", name="Span A")
    expect(card.get_by_label("of which quantity").locator("option:checked")).to_have_text("p")
    card.get_by_role("button", name="mean", exact=True).click()
    expect(card).to_contain_text("hPa")
    card.get_by_text("more…").click()
    card.get_by_label("of which quantity").select_option(label="h")
    card.get_by_role("button", name="peak", exact=True).click()
    expect(card.locator(".asked")).to_have_count(2)
    expect(card.get_by_label("of which quantity").locator("option:checked")).to_have_text("h")
    expect(card.get_by_label("crossing of")).to_be_visible()  # more… is still open
    expect(card.get_by_role("button", name="peak", exact=True).last).to_be_focused()


def test_the_focus_comes_back_to_what_a_panel_was_about(desk):
    drag(desk, pixel(desk, 4, 14), pixel(desk, 12, 22))
    card = ledger(desk).get_by_role("region", name="Span A")
    card.get_by_role("button", name="mean", exact=True).focus()
    desk.keyboard.press("Enter")
    expect(card.locator(".asked")).to_have_count(1)
    expect(card.get_by_role("button", name="mean", exact=True).last).to_be_focused()
    card.locator(".ask-about").focus()
    desk.keyboard.press("Enter")
    expect(ledger(desk)).to_have_attribute("data-panel", re.compile(r"\d+"))
    expect(ledger(desk)).to_be_focused()
    ledger(desk).get_by_role("button", name="← all findings").focus()
    desk.keyboard.press("Enter")
    expect(ledger(desk).locator(".ask-about")).to_be_focused()


def test_a_click_that_closes_a_pop_up_does_nothing_else(desk):
    open_axis(desk, ".along")
    desk.mouse.click(*pixel(desk, 10, 40))
    expect(desk.locator("#axis-form")).to_be_hidden()
    assert not desk.sheet.markers.exists()
    desk.mouse.click(*pixel(desk, 10, 40))
    expect(ledger(desk).get_by_role("region", name="Marker 1")).to_be_visible()


def test_a_new_column_has_the_focus(desk):
    desk.get_by_role("button", name="Readings", exact=True).click()
    desk.get_by_role("button", name="New typed table").click()
    expect(desk.locator("#drawer .head")).to_have_count(2)
    desk.get_by_role("button", name="+ column").click()
    expect(desk.locator("#drawer .head")).to_have_count(3)
    expect(desk.locator("#drawer .head").last).to_be_focused()


def test_what_is_made_in_one_window_appears_in_the_other(desk, window):
    other = window()
    other.goto(desk.address)
    until_shown(other, "s.runs === 2 && s.graphs.length === 2")
    graphs = other.locator(".stack").element_handle()
    drag(desk, pixel(desk, 4, 14), pixel(desk, 12, 22))
    card = other.locator("#ledger").get_by_role("region", name="Span A")
    expect(card).to_be_visible()
    ledger(desk).get_by_role("button", name="mean", exact=True).click()
    expect(card.locator(".asked")).to_have_count(1)
    desk.mouse.click(*pixel(desk, 15, 40))
    expect(other.locator("#ledger").get_by_role("region", name="Marker 1")).to_be_visible()
    assert graphs.evaluate("graphs => graphs.isConnected")  # the ledger alone came anew
    other.locator(".axis-label.left").nth(1).click()
    other.get_by_role("button", name="Remove this graph").click()
    until_shown(desk, "s.graphs.length === 1")
    until(lambda: Span.objects.count() == 1, "the span")


def test_r_replays_and_nothing_of_a_closed_replay_stays(desk):
    desk.goto(desk.address.replace("/desk", "/record"))
    bar = desk.locator("#replay")
    expect(bar).to_be_visible()
    expect(bar.get_by_role("button", name="Replay")).to_contain_text("R")
    desk.keyboard.press("r")
    expect(bar.get_by_role("button", name=re.compile("Pause|Replay"))).to_be_visible()
    expect(desk.locator("main.record")).to_have_attribute("data-replaying", re.compile(r"\d"))
    desk.locator("#replay-close").click()
    expect(bar).to_be_hidden()
    assert desk.locator(".rig-then, #numbers .then").count() == 0
    assert desk.locator("#replay-status").inner_text() == ""
    assert desk.locator("main.record").get_attribute("data-replaying") is None
