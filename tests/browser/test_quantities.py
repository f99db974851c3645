"""Formulas by hand: typed with what is offered, mended where units do not fit, shown, and live."""

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.experiments import flows as experiment_flows
from galena.experiments import quantity_flows as quantities
from galena.experiments.models import Condition, Experiment, Run
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from tests import making
from tests.browser.at_desk import until_shown
from tests.browser.at_record import begin, fill
from tests.browser.test_accessibility import violations
from tests.waiting import until

RANGER = Identity("Skerry Works", "Ranger RG-2", "0075", "1.3")
HEIGHT = ChannelFacts("y", "height", "y", "m", 0.15, 4.0, 0.0005, 50.0)
MASS, STIFFNESS, HOOK, PULL = 0.5, 9.6, 2.4, 0.12
ENERGIES = {
    "E_kin": ("0.5*m*v^2", "kinetic energy"),
    "E_pot": ("m*g_n*(y - y_0)", "potential energy"),
    "E_el": ("0.5*k*(y_0 - y)^2", "energy of the spring"),
    "E": ("E_kin + E_pot + E_el", "sum of the energies"),
}


@pytest.fixture
def spring(ada):
    """A weight that swings on the spring, without any loss."""
    made = experiment_flows.create(ada, "Shaft spring")
    experiment_flows.add_condition(made, "weight", Condition.Kind.NUMBER, "m", "kg")
    t = np.arange(300) / 50
    rest = HOOK - MASS * 9.80665 / STIFFNESS
    y = rest - PULL * np.cos(np.sqrt(STIFFNESS / MASS) * t)
    y += np.random.default_rng(4).normal(0, 0.0008, t.size)
    making.run(made, y, rate=50.0, conditions=["0.500 ± 0.001"], facts=HEIGHT, identity=RANGER)
    return made


def editor(page, experiment, of="new"):
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/quantities?of={of}")
    page.wait_for_load_state("load")
    return page.get_by_role("combobox", name="formula")


def keep(page, button="Save"):
    with page.expect_navigation():
        page.get_by_role("button", name=button, exact=True).first.click()


def test_the_energies_of_the_spring_from_nothing_to_their_sum(page, spring):
    page.goto(f"{page.room.url}/experiments/{spring.pk}/desk")
    page.get_by_role("link", name="Quantities").click()
    # The height gets an uncertainty, the spring its givens.
    page.locator(".known a", has_text="height").click()
    page.get_by_label("absolute The same").check()
    page.locator("#absolute").fill("0.0008")
    assert violations(page) == []
    keep(page)
    for symbol, value, unit in (("k", "9.60 ± 0.05", "N/m"), ("y_0", "2.400 ± 0.002", "m")):
        row = page.locator(".givens form").last
        row.get_by_label("symbol").fill(symbol)
        row.get_by_label("value").fill(value)
        row.get_by_label("unit").fill(unit)
        with page.expect_navigation():
            row.get_by_role("button", name="Add").click()
    # A formula is typed with what is offered; a unit that does not fit is explained in place.
    page.get_by_role("link", name="+ formula").click()
    page.wait_for_load_state("load")
    formula = page.get_by_role("combobox", name="formula")
    page.get_by_label("symbol", exact=True).first.fill("v")
    formula.press_sequentially("ra")
    expect(page.get_by_role("option").first).to_contain_text("rate")
    formula.press("ArrowDown")
    formula.press("Enter")
    formula.press_sequentially("y, t, 7) + hei")
    expect(page.get_by_role("option")).to_contain_text(["height"])
    formula.press("ArrowDown")
    formula.press("Tab")
    expect(formula).to_have_value("rate(y, t, 7) + y")
    expect(page.locator("#preview .notice")).to_have_text(
        "rate(y, t, 7) is in m/s and y in metres: they cannot be added."
    )
    expect(page.locator("#preview mark")).to_have_text("rate(y, t, 7) + y")
    assert violations(page) == []
    formula.fill("rate(y, t, 7)")
    expect(page.locator("#preview .result")).to_have_text("in m/s")
    keep(page)
    for symbol in ("E_pot", "E_el"):  # as the other two, but by other hands
        text, name = ENERGIES[symbol]
        quantities.add_derived(spring, text, name, symbol)
    for symbol in ("E_kin", "E"):
        text, name = ENERGIES[symbol]
        page.get_by_role("link", name="+ formula").click()
        page.wait_for_load_state("load")
        page.get_by_label("symbol", exact=True).first.fill(symbol)
        page.get_by_role("combobox", name="formula").fill(text)
        expect(page.locator("#preview .result")).to_have_text("in J")
        page.get_by_label("name", exact=True).first.fill(name)
        keep(page, "Save and show")
        if symbol == "E_kin":
            page.get_by_role("link", name="Quantities").click()
    page.wait_for_url("**/desk")
    until_shown(page, "s.graphs.length === 3 && s.runs === 1")
    sheet = spring.sheets.get()
    assert [str(graph) for graph in sheet.graphs.all()] == ["y", "E_kin", "E"]
    # The sum is constant within its uncertainty: read off at two places.
    page.locator(".stack").press("ArrowRight")
    total = page.locator(".reading .read").last
    expect(total).to_contain_text("±")
    first = total.inner_text()
    for _ in range(30):
        page.keyboard.press("ArrowRight")
    expect(total).not_to_have_text(first)
    values = [_value(text) for text in (first, total.inner_text())]
    (one, u), (other, _) = values
    assert abs(one - other) < 2 * u
    assert violations(page) == []


def _value(text):
    """Read a value and its uncertainty as the strip shows them."""
    number, _, u = text.replace("\u2212", "-").replace("J", "").strip().rpartition("±")
    return float(number.split()[-1]), float(u.split()[0])


def test_everything_follows_a_given_that_is_changed(page, spring):
    quantities.save_given(spring, None, "origin", "y_0", "2.400", "m")
    made = quantities.add_derived(spring, "y - y_0", "depth", "d")
    editor(page, spring, made.pk)
    before = page.locator(".values td").first.inner_text()
    row = page.locator(".givens form").first
    row.get_by_label("value").fill("240 ± 1 cm")
    with page.expect_navigation():
        row.get_by_role("button", name="Save").click()
    expect(page.locator(".givens form").first.get_by_label("value")).to_have_value("2.40 ± 0.01")
    expect(page.locator(".values td").first).to_contain_text("± 0.010")
    assert page.locator(".values td").first.inner_text() != before
    # What a formula uses stays; the page says by what it is used.
    row = page.locator(".givens form").first
    with page.expect_navigation():
        row.get_by_role("button", name="Remove").click()
    expect(page.get_by_role("alert")).to_contain_text("y_0 is used by d = y - y_0")
    assert spring.givens.exists()


def test_what_is_inserted_goes_to_the_caret(page, spring):
    formula = editor(page, spring)
    formula.fill("2*")
    page.get_by_text("Constants ▾").click()
    page.get_by_role("button", name="standard acceleration").click()
    expect(formula).to_have_value("2*g_n")
    expect(formula).to_be_focused()
    formula.press("Home")
    page.get_by_text("Functions ▾").click()
    page.get_by_role("button", name="sqrt(x)").click()
    expect(formula).to_have_value("sqrt(2*g_n")
    expect(page.locator("#preview .notice")).to_contain_text("This bracket is never closed")
    formula.press("Escape")
    formula.press("End")
    formula.press_sequentially("*y)")
    expect(page.locator("#preview .result")).to_have_text("in m/s")


def test_a_rate_is_worked_out_while_a_run_is_recorded(page, ada):
    begin(page, "Tide tank", "", "Tide tank")
    made = Experiment.objects.get(title="Tide tank")
    fill(page, rate="20", duration="2")
    page.get_by_role("button", name="Record Space").click()
    until(lambda: Run.objects.filter(state=Run.State.FINISHED).exists(), "the first run")
    rise = quantities.add_derived(made, "rate(h, t, 11)", "rise", "r")
    page.reload()
    page.wait_for_load_state("load")
    fill(page, duration="30")
    page.locator(f"#also input[value='{rise.pk}']").check()
    page.get_by_role("slider", name="pump").fill("60")
    page.get_by_role("button", name="Record Space").click()
    expect(page.get_by_role("button", name="Stop")).to_be_visible()
    expect(page.locator(f"[data-formula='{rise.pk}'] .unit")).to_have_text("mm/s")
    expect(page.locator("canvas[aria-label='r over time']")).to_be_visible()
    # While it is recorded the tank rises by 3 mm in a second.
    page.wait_for_function(
        f"() => parseFloat(document.querySelector(\"[data-formula='{rise.pk}'] .text\")"
        ".textContent) > 0.8"
    )
    assert Run.objects.filter(state=Run.State.RECORDING).exists()
    assert violations(page) == []
    page.get_by_role("button", name="Stop").click()
    until(lambda: not Run.objects.filter(state=Run.State.RECORDING).exists(), "the end")
