"""From readings that were just typed to a straight line, its law and the reason, in a few acts."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from galena.core.formats.pasted import pasted
from galena.desk.findings.answers import RELATED, answers
from galena.desk.models import Finding
from galena.experiments import flows as experiment_flows
from galena.experiments import table_flows
from tests.browser.test_accessibility import violations

WITHOUT_RIG = True
OVERHANG = np.linspace(0.2, 1.1, 10)
SCATTER = np.array([0.6, -1.1, 0.9, -0.4, 0.3, -0.9, 1.2, -0.7, 0.4, -0.3])


@pytest.fixture
def desk(page, ada):
    """The Desk with a typed table of ten readings."""
    experiment = experiment_flows.create(ada, "Gangway")
    run = table_flows.new_table(experiment, ada)
    sag = 41.0 * OVERHANG**3 * (1 + 0.005 * SCATTER)
    lines = [f"{a:.2f}\t{b:.4g}" for a, b in zip(OVERHANG, sag, strict=True)]
    table_flows.paste(run, 0, 0, pasted("\n".join(["overhang L / m\tsag s / mm", *lines])), ada)
    page.goto(f"{page.room.url}/experiments/{experiment.pk}/desk")
    expect(page.locator(".stack")).to_have_attribute("data-shown", re.compile('"runs":1'))
    return page


def test_a_curve_becomes_a_law_in_five_acts(desk):
    desk.get_by_role("link", name="straighten…").click()
    desk.get_by_role("link", name="rises evenly").click()
    expect(desk.get_by_text("these readings rise ever faster")).to_be_visible()
    desk.get_by_role("link", name="rises ever faster").click()
    expect(desk.get_by_text("Kept below: what rises ever faster")).to_be_visible()
    desk.get_by_role("link", name="power").click()
    expect(desk.get_by_text("The exponent agrees with 3")).to_be_visible()
    expect(desk.get_by_text("Both agree.")).to_be_visible()
    assert violations(desk) == []
    desk.get_by_label("why should it be so?").fill("It is clamped at one end.")
    desk.get_by_role("button", name="Make the second sheet").click()
    expect(desk.locator(".stack[data-shown]")).to_have_count(2)
    card = desk.get_by_role("region", name="Span A")
    expect(card).to_contain_text("is proportional to a power of")
    laws = list(Finding.objects.filter(kind="law").select_related(*RELATED))
    found = {one.key: one for one in answers(laws)[0].estimates}
    assert abs(found["n"].value - 3) < 2 * found["n"].uncertainty
    assert laws[0].why == "It is clamped at one end."
    desk.get_by_role("button", name="Undo").click()
    expect(desk.locator(".stack")).to_have_count(1)


def test_the_chosen_card_comes_into_sight_and_keys_reach_all(desk):
    desk.get_by_role("link", name="straighten…").click()
    last = desk.get_by_role("link", name="own formulas")
    last.focus()
    desk.keyboard.press("Enter")
    expect(last).to_have_attribute("aria-current", "true")
    expect(last).to_be_in_viewport()
    desk.get_by_label("across").fill("L^3")
    desk.get_by_role("button", name="Plot it").click()
    expect(desk.get_by_text("is proportional to")).to_be_visible()
    desk.get_by_label("across").fill("L^(")
    desk.get_by_role("button", name="Plot it").click()
    expect(desk.get_by_role("alert").first).to_contain_text("What is plotted across")
    expect(desk.get_by_label("across")).to_have_value("L^(")


def test_a_shape_comes_first_where_the_teacher_wants_it(desk):
    desk.get_by_role("link", name="straighten…").click()
    expect(desk.get_by_text("straight within the scatter").first).to_be_attached()
    desk.get_by_label("choose a shape first").check()
    expect(desk.get_by_text("straight within the scatter")).to_have_count(0)
    desk.get_by_role("link", name="rises ever faster").click()
    expect(desk.get_by_text("straight within the scatter").first).to_be_attached()
