"""Stacks and sheets under the hands: gestures, axes, notes, undo; and what is drawn is right."""

import re

import pytest
from playwright.sync_api import expect

from galena.desk.models import Note
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from galena.instruments.protocols.line_v1 import ChannelFacts
from galena.shell.marks import mark_of
from tests import making
from tests.browser.at_desk import (
    box_of,
    colour_at,
    colour_of,
    drag,
    open_axis,
    pixel,
    shown,
    until_shown,
)
from tests.browser.late import Late
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True

AIR = ChannelFacts("p", "air pressure", "p", "hPa", 900.0, 1100.0, 0.1, 100.0)
LIGHT = ChannelFacts("E", "illuminance", "E", "lx", 0.0, 5000.0, 0.1, 100.0)


@pytest.fixture
def stack(page, ada):
    """The Desk with three stacked graphs of known readings."""
    made = experiment_flows.create(ada, "Three in a stack", [("pump", "mL/s")])
    making.run(made, [5.0 + 2.0 * t for t in range(21)], rate=1.0, conditions=["40"])
    making.run(made, [1000.0 + t for t in range(21)], rate=1.0, facts=AIR)
    making.run(made, [10.0 * 1.3**t for t in range(21)], rate=1.0, facts=LIGHT)
    sheet = sheet_flows.first_sheet(made)
    for symbol in ("p", "E"):
        sheet_flows.add_graph(sheet, made.quantities.get(symbol=symbol))
    page.made = made
    page.goto(f"{page.room.url}/experiments/{made.pk}/desk")
    until_shown(page, "s.runs === 3 && s.graphs.length === 3")
    return page


def test_a_stack_of_three_shares_x_and_one_cursor_reads_all(stack):
    boxes = [graph["box"] for graph in shown(stack)["graphs"]]
    assert len({(box["left"], box["right"]) for box in boxes}) == 1
    assert boxes[0]["bottom"] < boxes[1]["top"] < boxes[1]["bottom"] < boxes[2]["top"]
    for graph, y in enumerate((5 + 2.0 * 7, 1000.0 + 7, 10 * 1.3**7)):
        assert colour_at(stack, 7, y, graph=graph) == mark_of(graph + 1).colour
    stack.mouse.move(*pixel(stack, 12.3, 1010, graph=1))
    reading = stack.locator(".reading")
    expect(reading).to_have_text(
        re.compile(r"t\s+12 s\s+h\s+run 1\s+29\.0 mm\s+p\s+run 2\s+1012\.0 hPa\s+E\s+run 3")
    )
    assert violations(stack) == []


def test_a_third_axis_stands_beside_the_right_one_and_is_zoomed_alone(stack):
    h, p, light = (stack.made.quantities.get(symbol=one) for one in ("h", "p", "E"))
    graph = sheet_flows.first_sheet(stack.made).graphs.first()
    sheet_flows.show(graph, {h: "left", p: "right", light: "third"})
    stack.reload()
    until_shown(stack, "s.runs === 3 && s.graphs[0].third[1] > 100")
    labels = [stack.locator(f".axis-label.{side}:visible").first.bounding_box()["x"]
              for side in ("right", "third")]  # fmt: skip
    assert labels[0] + 20 < labels[1]
    before, box = shown(stack)["graphs"][0], stack.locator(".stack").bounding_box()
    stack.mouse.move(labels[1] + 4, box["y"] + (before["box"]["top"] + before["box"]["bottom"]) / 2)
    stack.mouse.wheel(0, -240)
    until_shown(stack, f"s.graphs[0].third[1] < {before['third'][1]}")
    after = shown(stack)["graphs"][0]
    assert (after["left"], after["right"]) == (before["left"], before["right"])
    assert violations(stack) == []


def test_the_edge_between_two_graphs_is_moved_by_mouse_and_keyboard(stack):
    edge = stack.get_by_role("separator").first
    before = shown(stack)["graphs"]
    at = box_of(edge)
    middle = (at["x"] + 30, at["y"] + at["height"] / 2)
    drag(stack, middle, (middle[0], middle[1] + 60))
    until_shown(stack, f"s.graphs[0].box.bottom > {before[0]['box']['bottom'] + 40}")
    expect(stack.locator("[data-act=undo]")).to_have_attribute("title", re.compile("heights"))
    lower = shown(stack)["graphs"][0]["box"]["bottom"]
    stack.get_by_role("separator").first.focus()
    stack.keyboard.press("ArrowUp")
    until_shown(stack, f"s.graphs[0].box.bottom < {lower - 5}")


def test_axes_take_gestures_typed_limits_and_logarithms(stack):
    at = pixel(stack, 10, 1010, graph=1)
    left = (stack.locator(".stack").bounding_box()["x"] + 45, at[1])
    before = shown(stack)
    stack.mouse.move(*left)
    stack.mouse.wheel(0, -200)
    until_shown(stack, f"s.graphs[1].left[0] > {before['graphs'][1]['left'][0]}")
    after = shown(stack)
    assert after["x"] == before["x"]
    assert after["graphs"][0] == before["graphs"][0]
    drag(stack, left, (left[0], left[1] + 40))
    until_shown(stack, f"s.graphs[1].left[0] > {after['graphs'][1]['left'][0]}")
    moved = shown(stack)["graphs"][1]["left"]
    wide = after["graphs"][1]["left"]
    assert moved[1] - moved[0] == pytest.approx(wide[1] - wide[0])

    open_axis(stack, ".along")
    stack.get_by_label("from").fill("2,5")
    stack.get_by_label("to", exact=True).fill("1")
    stack.get_by_role("button", name="Apply").click()
    expect(stack.get_by_role("alert")).to_contain_text("first end is the smaller one")
    stack.get_by_label("to", exact=True).fill("17.5")
    stack.keyboard.press("Enter")
    until_shown(stack, "s.x[0] === 2.5 && s.x[1] === 17.5")

    stack.locator(".axis-label.left").nth(2).click()
    stack.get_by_label("logarithmic").check()
    stack.get_by_role("button", name="Apply").click()
    until_shown(stack, "s.graphs[2].log.left === true && s.graphs[2].left[1] > 1900")
    one = shown(stack)["graphs"][2]
    lo, hi = one["left"]
    assert lo < 10 < 10 * 1.3**20 < hi
    stack.reload()
    until_shown(stack, "s.runs === 3 && s.x[0] === 2.5 && s.graphs[2].log.left === true")
    stack.locator(".stack").focus()
    stack.keyboard.press("0")
    until_shown(stack, "s.x[0] < 0 && s.x[1] > 20")


def test_an_axis_is_moved_alone_by_its_keys_and_shows_all_from_zero(stack):
    label = stack.locator(".axis-label.left").nth(1)
    before = shown(stack)
    label.focus()
    stack.keyboard.press("+")
    until_shown(stack, f"s.graphs[1].left[0] > {before['graphs'][1]['left'][0]}")
    stack.keyboard.press("ArrowUp")
    until_shown(stack, "s.graphs[1].left[0] !== 0")
    assert shown(stack)["x"] == before["x"]
    assert shown(stack)["graphs"][0] == before["graphs"][0]
    stack.keyboard.press("Shift+Digit0")
    until_shown(stack, "s.graphs[1].left[0] === 0")
    stack.keyboard.press("Enter")
    stack.get_by_role("button", name="Show all", exact=True).click()
    until_shown(stack, f"s.graphs[1].left[0] === {before['graphs'][1]['left'][0]}")
    stack.locator(".axis-label.along").focus()
    stack.keyboard.press("ArrowRight")
    until_shown(stack, f"s.x[0] > {before['x'][0]}")
    stack.locator(".stack").focus()
    stack.keyboard.press("PageUp")
    until_shown(stack, f"s.x[0] < {before['x'][0]}")


def test_what_two_fingers_hold_stays_between_them(page, ada, chromium):
    made = experiment_flows.create(ada, "Pinched")
    making.run(made, [5.0 + 2.0 * t for t in range(21)], rate=1.0)
    page.goto(f"{page.room.url}/experiments/{made.pk}/desk")
    until_shown(page, "s.runs === 1")
    before = shown(page)
    points = [pixel(page, 8, 25), pixel(page, 12, 25)]
    page.evaluate(
        """([[x1, y], [x2]]) => {
        const stack = document.querySelector(".stack");
        stack.setPointerCapture = () => {};
        const send = (kind, id, x) => stack.dispatchEvent(new PointerEvent(kind,
          { pointerId: id, clientX: x, clientY: y, bubbles: true, isPrimary: id === 1 }));
        send("pointerdown", 1, x1); send("pointerdown", 2, x2);
        for (let i = 1; i <= 20; i++) { send("pointermove", 1, x1 - 4 * i);
          send("pointermove", 2, x2 + 4 * i); }
        send("pointerup", 1, x1 - 80); send("pointerup", 2, x2 + 80); }""",
        points,
    )
    until_shown(page, f"s.x[0] > {before['x'][0]}")
    assert pixel(page, 10, 25)[0] == pytest.approx((points[0][0] + points[1][0]) / 2, abs=2)
    assert pixel(page, 8, 25)[0] == pytest.approx(points[0][0] - 80, abs=6)
    assert page.get_by_role("region", name="Span A").count() == 0


def lay_beside(stack):
    """Make a second sheet, of E alone, and lay the first beside it; gives both."""
    stack.get_by_role("button", name="+ sheet").click()
    form = stack.locator("#new-sheet")
    form.get_by_role("checkbox", name="h water").uncheck()
    form.get_by_role("checkbox", name="E illuminance").check()
    form.get_by_role("button", name="Make the sheet").click()
    expect(stack.get_by_role("button", name="E over t", exact=True)).to_have_attribute(
        "aria-current", "true"
    )
    until_shown(stack, "s.graphs.length === 1 && s.runs === 1")
    stack.get_by_role("button", name="Sheet", exact=True).click()
    stack.locator("#sheet-tools").get_by_role("button", name="h, p, E over t").click()
    expect(stack.locator(".stack")).to_have_count(2)
    until_shown(stack, "s.graphs.length === 3 && s.runs === 3")
    until_shown(stack, "s.graphs.length === 1 && s.runs === 1", sheet=1)
    return sheet_flows.sheets_of(stack.made)


def test_two_sheets_stand_side_by_side_and_each_has_its_ledger(stack):
    first, second = lay_beside(stack)
    assert colour_at(stack, 7, 10 * 1.3**7, sheet=1) == mark_of(3).colour
    assert colour_at(stack, 7, 19.0) == mark_of(1).colour
    stack.mouse.click(*pixel(stack, 6, 20))
    expect(stack.get_by_role("region", name="Marker 1")).to_contain_text("17.0")
    assert (first.markers.count(), second.markers.count()) == (1, 0)
    expect(stack.locator("#ledger")).to_have_attribute("data-sheet", str(first.pk))
    stack.locator(".stack").last.focus()
    expect(stack.locator("#ledger")).to_have_attribute("data-sheet", str(second.pk))
    assert violations(stack) == []


def test_a_late_answer_of_one_sheet_leaves_the_ledger_to_the_sheet_that_is_active(stack):
    first, second = lay_beside(stack)
    ledger = stack.locator("#ledger")
    late = Late(stack, "**/markers")
    with stack.expect_request("**/markers"):
        stack.mouse.click(*pixel(stack, 6, 20))
    stack.locator(".stack").last.focus()
    expect(ledger).to_have_attribute("data-sheet", str(second.pk))
    with stack.expect_response(f"**/sheets/{second.pk}/ledger"):
        late.let_go()
    expect(ledger).to_have_attribute("data-sheet", str(second.pk))
    stack.locator(".stack").first.focus()
    expect(ledger).to_have_attribute("data-sheet", str(first.pk))
    expect(stack.get_by_role("region", name="Marker 1")).to_be_visible()


def test_a_quantity_goes_to_the_right_axis_and_limits_are_its_own(stack):
    open_axis(stack, ".left")
    stack.get_by_role("radio", name="p right").check()
    stack.get_by_role("button", name="Apply").click()
    until_shown(stack, "s.graphs[0].right[0] > 900")
    assert shown(stack)["graphs"][0]["left"][1] < 60
    x, y = pixel(stack, 9, 1009, side="right")
    assert colour_of(stack, (x + 3, y + 3)) == mark_of(2).colour
    assert colour_of(stack, (x, y)) == "#ffffff"  # the bright core of what goes by the right axis
    assert violations(stack) == []


def test_notes_are_written_moved_and_taken_away_by_keyboard(stack):
    stack.locator(".stack").focus()
    stack.keyboard.press("Home")
    stack.keyboard.press("ArrowRight")
    expect(stack.locator(".reading")).to_contain_text("1 s")
    stack.keyboard.press("n")
    stack.get_by_role("textbox", name="Note").fill("h_0 begins, 3 cm^2")
    stack.keyboard.press("Enter")
    note = stack.locator(".note")
    expect(note.locator("sub")).to_have_text("0")
    expect(note.locator("sup")).to_have_text("2")
    expect(note).to_be_visible()
    note.focus()
    stack.keyboard.press("ArrowRight")
    stack.keyboard.press("ArrowUp")
    expect(stack.locator("[data-act=undo]")).to_have_attribute("title", re.compile("a note"))
    moved = Note.objects.get()
    assert (moved.dx, moved.dy) == (3.5, 2.5)
    expect(stack.locator(".note")).to_be_visible()
    stack.locator(".note").focus()
    stack.keyboard.press("Delete")
    expect(stack.locator(".note")).to_have_count(0)


def test_undo_reaches_back_beyond_a_reload(stack):
    drag(stack, pixel(stack, 4, 20), pixel(stack, 12, 30))
    expect(stack.get_by_role("region", name="Span A")).to_be_visible()
    stack.locator(".stack").focus()
    stack.keyboard.press("m")
    expect(stack.get_by_role("region", name="Marker 1")).to_be_visible()
    stack.reload()
    until_shown(stack, "s.runs === 3")
    stack.locator(".stack").focus()
    stack.keyboard.press("Control+z")
    expect(stack.get_by_role("region", name="Marker 1")).to_have_count(0)
    stack.locator("[data-act=undo]").click()
    expect(stack.get_by_role("region", name="Span A")).to_have_count(0)
    stack.locator("[data-act=redo]").click()
    expect(stack.get_by_role("region", name="Span A")).to_be_visible()
    stack.reload()
    until_shown(stack, "s.runs === 3")
    stack.locator(".stack").focus()
    stack.keyboard.press("Control+Shift+z")
    expect(stack.get_by_role("region", name="Marker 1")).to_be_visible()


def test_the_legend_lies_where_the_data_is_not_and_is_moved(stack):
    legend = stack.locator(".legend")
    expect(legend).to_contain_text("run 1 · pump 40 mL/s")
    at = box_of(legend)
    for t in range(21):
        x, y = pixel(stack, t, 5 + 2.0 * t)
        assert not (at["x"] < x < at["x"] + at["width"] and at["y"] < y < at["y"] + at["height"])
    legend.focus()
    with stack.expect_response(lambda answer: "/desk/sheets/" in answer.url):
        stack.keyboard.press("ArrowDown")
    lower = box_of(legend)["y"]
    assert lower > at["y"]
    stack.reload()
    until_shown(stack, "s.runs === 3")
    expect(legend).to_be_visible()
    assert box_of(legend)["y"] == pytest.approx(lower, abs=2)


def test_black_and_white_and_the_dark_room(stack):
    stack.get_by_role("button", name="Sheet", exact=True).click()
    stack.get_by_label("black and white").check()
    expect(stack.locator("[data-act=undo]")).to_have_attribute("title", re.compile("look"))
    until_shown(stack, "s.runs === 3")
    assert colour_at(stack, 7, 19.0) == "#1f2830"
    stack.get_by_text("Ada ▾").click()
    stack.get_by_role("button", name="Dark room").click()
    until_shown(stack, "s.runs === 3")
    assert colour_at(stack, 7, 19.0) == "#f1ede3"
    assert violations(stack) == []


def test_everything_grows_on_a_projector(stack):
    label = stack.locator(".axis-label.along")
    before = box_of(label)["height"]
    stack.set_viewport_size({"width": 1920, "height": 1080})
    until_shown(stack, "s.graphs[0].box.right > 1200")
    assert box_of(label)["height"] > 1.2 * before
    assert stack.evaluate("document.documentElement.scrollHeight") == 1080


def test_names_in_any_script_and_of_any_length_stay_in_their_place(page, ada):
    made = experiment_flows.create(ada, "ש" * 200, [("🌊 תנאי", "mL/s")])
    making.run(made, making.ramp(), conditions=["40"], note="ל" * 150)
    sheet = sheet_flows.first_sheet(made)
    sheet_flows.retitle(sheet, "מים עולים 🌊 " + "very long " * 17)
    page.goto(f"{page.room.url}/experiments/{made.pk}/desk")
    until_shown(page, "s.runs === 1")
    assert page.evaluate("document.documentElement.scrollWidth") == 1280
    frame = page.locator(".stack").bounding_box()
    legend = box_of(page.locator(".legend"))
    assert legend["x"] >= frame["x"]
    assert legend["x"] + legend["width"] <= frame["x"] + frame["width"]
    assert violations(page) == []
