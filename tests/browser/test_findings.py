"""Models laid by hand, fitted, compared and harvested with mouse and keyboard."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import flows as experiment_flows
from tests import making
from tests.browser.at_desk import drag, pixel, shown
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True

T = np.arange(0.0, 20.0, 0.2)


@pytest.fixture
def desk(page, ada):
    """The Desk with two decays to 10 and 20 mm, and a span over them."""
    experiment = experiment_flows.create(ada, "Known decays", [("pump", "mL/s")])
    for number in (1, 2):
        noise = np.random.default_rng(number).normal(0, 0.05, T.size)
        readings = 50 * np.exp(-T / 4) + 10 * number + noise
        making.run(experiment, readings, rate=5.0, conditions=[str(10 * number)])
    page.experiment = experiment
    page.span = flows.add_span(sheet_flows.first_sheet(experiment), 0.0, 19.0)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    page.wait_for_load_state("load")
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":2'))
    return page


def ledger(desk):
    return desk.locator("#ledger")


def press(desk, name, within=None):
    (within or ledger(desk)).get_by_role("button", name=name, exact=True).first.click()


def lay_on(desk, model):
    desk.locator(f"#drawer [data-model={model}]").click()


def laid(desk, count):
    desk.wait_for_function(
        "(count) => document.querySelector('.stack').dataset.laid === String(count)", arg=count
    )


def test_pointing_focusing_and_typing_lay_a_model_over_the_readings(desk):
    press(desk, "model…")
    gallery = desk.locator("#drawer [data-gallery]")
    gallery.locator("[data-model=decay_constant]").hover()
    laid(desk, 2)
    before = picture(desk)
    gallery.locator("[data-model=sine]").focus()
    desk.wait_for_function(
        "(before) => document.querySelector('.plots').toDataURL() !== before", arg=before
    )
    desk.mouse.move(5, 5)
    laid(desk, 2)  # what has the focus lies on still
    gallery.get_by_label("or type one").focus()
    laid(desk, 0)
    desk.keyboard.type("a*exp(-x/b) +")
    expect(gallery.get_by_role("status")).to_contain_text("The formula stops after “+”.")
    desk.keyboard.type(" c")
    laid(desk, 2)
    gallery.get_by_label("of which runs").select_option("2")
    expect(ledger(desk).locator(".asked")).to_have_count(0)
    assert violations(desk) == []
    desk.keyboard.press("Enter")
    expect(ledger(desk).locator(".asked")).to_have_count(1)
    desk.keyboard.press("Escape")
    laid(desk, 0)
    expect(desk.locator("#drawer")).to_be_hidden()
    expect(ledger(desk).get_by_role("button", name="model…")).to_be_focused()


def picture(desk):
    return desk.evaluate("() => document.querySelector('.plots').toDataURL()")


def test_a_model_is_laid_on_by_hand_moved_and_fitted(desk):
    press(desk, "model…")
    desk.get_by_label("lay it on by hand first").check()
    lay_on(desk, "decay_constant")
    expect(desk.get_by_role("button", name="Fit it")).to_be_visible()
    press(desk, "Residuals")
    expect(desk.locator(".graph-title:visible")).to_contain_text("residuals of exponential decay")
    assert len(shown(desk)["graphs"]) == 2
    said = ledger(desk).locator("[data-shown=residuals]")
    before = said.text_content()
    slider = ledger(desk).get_by_role("slider", name="slide τ")
    slider.focus()
    for _ in range(25):
        desk.keyboard.press("ArrowRight")
    expect(said).not_to_have_text(before)
    expect(desk.locator(".graph-title:visible")).to_contain_text("residuals by hand")
    ledger(desk).locator("input[name='p-τ']").fill("5")
    assert float(slider.input_value()) == pytest.approx(5, abs=0.05)
    press(desk, "Fit it")
    expect(desk.get_by_role("button", name="Move by hand")).to_be_visible()
    expect(ledger(desk)).to_contain_text("no pattern")
    expect(ledger(desk)).to_contain_text("95 %:")
    assert violations(desk) == []
    press(desk, "Show on graph")
    expect(desk.locator(".note.finding")).to_contain_text("h = a · exp(-t/τ) + c")
    press(desk, "← all findings")
    expect(ledger(desk).get_by_role("region", name="Span A")).to_be_visible()


def test_what_stands_on_the_graph_follows_its_span(desk):
    press(desk, "mean")
    ledger(desk).locator(".ask-about").first.click()
    press(desk, "Show on graph")
    note = desk.locator(".note.finding")
    before = note.text_content()
    press(desk, "← all findings")
    box = desk.locator(".stack").bounding_box()
    edge = pixel(desk, 19.0, 30)[0]
    drag(desk, (edge, box["y"] + 12), (edge - 200, box["y"] + 12))
    expect(note).not_to_have_text(before)


def test_models_are_compared_in_the_drawer(desk):
    press(desk, "model…")
    for model in ("line", "decay_constant"):
        lay_on(desk, model)
        expect(ledger(desk).locator(".asked")).to_have_count(1 if model == "line" else 2)
    press(desk, "compare")
    drawer = desk.locator("#drawer")
    expect(drawer).to_contain_text("Its extra parameter earns its place: AICc falls by")
    expect(drawer).to_contain_text("one sign for")
    assert violations(desk) == []
    drawer.get_by_role("button", name="say why").first.click()
    desk.get_by_label("Why should it be so?").fill("Each part loses the same share.")
    with desk.expect_response(re.compile("/change$")):
        press(desk, "Save the reason")
    assert Finding.objects.exclude(why="").count() == 1


def test_a_harvest_is_a_table_and_a_graph(desk):
    runs = list(desk.experiment.runs.all())
    finding_flows.ask(desk.span, "decay_constant", desk.span.sheet.quantity, runs)
    desk.reload()
    desk.wait_for_load_state("load")
    ledger(desk).get_by_text("harvest…").click()
    press(desk, "over all runs")
    table = desk.locator("#table")
    expect(table).to_contain_text("run 2, A")
    expect(desk.locator("#rail")).to_contain_text("harvest of A")
    assert violations(desk) == []


def test_a_marker_gives_slopes_and_differences(desk):
    for x in (2.0, 6.0):
        desk.mouse.click(*pixel(desk, x, 45))
        expect(ledger(desk).locator(".badge-box.marker").last).to_be_visible()
        expect(ledger(desk).get_by_role("region", name=re.compile("Marker"))).to_have_count(
            1 if x == 2.0 else 2
        )
    first = ledger(desk).get_by_role("region", name="Marker 1")
    press(desk, "slope", first)
    expect(first).to_contain_text("line through 7 readings about it")
    press(desk, "change to marker 2", ledger(desk).get_by_role("region", name="Marker 1"))
    expect(first).to_contain_text("average rate")
    ledger(desk).get_by_text("formula…").click()
    ledger(desk).get_by_role("button", name="slope_m11").click()
    line = ledger(desk).locator("#built-formula")
    line.press_sequentially("*2 s")
    ledger(desk).get_by_label("symbol").fill("Q")
    press(desk, "Save", ledger(desk).get_by_role("region", name="Built of findings"))
    built = ledger(desk).get_by_role("region", name="Built of findings")
    expect(built.get_by_role("button", name="Q", exact=True)).to_be_visible()
