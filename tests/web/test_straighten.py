"""From a curve to a straight line on the page, to a second sheet, and back by one undo."""

import numpy as np
import pytest
from django.urls import reverse

from galena.desk.findings.answers import RELATED, answers
from galena.desk.models import Finding
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.flows import create
from galena.experiments.models import Quantity
from galena.straighten.models import Guidance
from tests import making
from tests.web.test_table import change

DISTANCE = [0.20, 0.25, 0.30, 0.35, 0.40, 0.50, 0.60, 0.80, 1.00, 1.20]
SCATTER = np.array([0.6, -1.1, 0.9, -0.4, 0.3, -0.9, 1.2, -0.7, 0.4, -0.3])


def table_of(client, experiment, heads, x, y):
    client.post(reverse("begin-table", args=[experiment.pk]))
    run = experiment.runs.last()
    lines = [heads, *(f"{a:.6g}\t{b:.8g}" for a, b in zip(x, y, strict=True))]
    change(client, run, act="paste", row=0, place=0, text="\r\n".join(lines))
    return sheet_flows.first_sheet(experiment)


@pytest.fixture
def lamp(ada, as_ada):
    """A typed table of ten readings of a lamp with a little light in the room."""
    light = 32.0 / np.square(DISTANCE) + 6 + 0.3 * SCATTER
    return table_of(as_ada, create(ada, "Lamp"), "distance d / m\tE / lx", DISTANCE, light)


def page(client, sheet, **chosen):
    return client.get(reverse("straighten", args=[sheet.experiment_id, sheet.pk]), chosen)


def keep(client, sheet, **chosen):
    address = reverse("keep-straight", args=[sheet.experiment_id, sheet.pk])
    return client.post(address, chosen)


def kept(sheet):
    return {
        finding.kind: answer
        for finding, answer in (
            (one, answers([one])[0])
            for one in Finding.objects.filter(sheet=sheet).select_related(*RELATED)
        )
    }


def test_what_could_be_plotted_stands_in_the_order_of_how_much_it_claims(as_ada, lamp):
    text = page(as_ada, lamp).text
    names = ["no dependence", "linear", "proportional", "square root", "inverse square", "power"]
    places = [text.index(f"<b>{name}</b>") for name in names]
    assert places == sorted(places)
    assert text.count("small-graph") == text.count('class="relation"')
    assert "straight within the scatter" in text and "still a curve" in text
    assert "R²" not in text


def test_a_shape_keeps_the_relations_that_can_have_it(as_ada, lamp):
    fades = page(as_ada, lamp, shape="falls_slower").text
    assert "<b>inverse square</b>" in fades and "<b>square root</b>" not in fades
    assert "Look from left" not in fades
    assert "these readings fall ever more slowly" in page(as_ada, lamp, shape="rises_evenly").text


def test_where_a_shape_comes_first_nothing_is_said_before(as_ada, lamp):
    address = reverse("straighten-guidance", args=[lamp.experiment_id, lamp.pk])
    as_ada.post(address, {"shape_first": "on"})
    before = page(as_ada, lamp, relation="inverse_square").text
    assert "straight within" not in before and "If this is so" not in before
    assert "left-over" not in before
    assert "straight within" in page(as_ada, lamp, shape="falls_slower").text
    as_ada.post(address)
    assert not Guidance.objects.get().shape_first


def test_the_claim_says_what_the_intercept_allows(as_ada, lamp):
    text = page(as_ada, lamp, relation="inverse_square").text
    assert "is inversely proportional to the square of" in text and "plus a constant" in text
    assert "is not open to you" in text and "both are one fit" in text
    assert "Make the second sheet" in text
    wrong = page(as_ada, lamp, relation="exponential_decay").text
    assert "This does not make a straight line" in wrong and "law-symbolic" not in wrong


def test_the_second_sheet_has_line_law_and_reason_and_is_undone_at_once(as_ada, lamp):
    experiment = lamp.experiment
    answer = keep(as_ada, lamp, relation="inverse_square", why="Light spreads over a sphere.")
    assert answer.status_code == 302
    first, second = sheet_flows.sheets_of(experiment)
    assert first.beside and second.x.symbol == "d⁻²" and second.x.unit == "m⁻²"
    assert second.x.formula == "1/d^2" and second.x.name == "inverse square of distance"
    span = second.spans.get()
    assert (span.lo, span.hi) == pytest.approx((1 / 1.2**2, 25))
    found = kept(second)
    law = {one.key: (one.value, one.uncertainty, one.unit_text) for one in found["law"].estimates}
    assert law["k"][0] == pytest.approx(32, abs=3 * law["k"][1]) and law["k"][2] == "lx·m²"
    assert law["c"][0] == pytest.approx(6, abs=4 * law["c"][1]) and law["c"][2] == "lx"
    assert "plus a constant" in found["law"].remark
    assert Finding.objects.get(kind="law").why == "Light spreads over a sphere."
    assert Finding.objects.get(kind="law").of == [Finding.objects.get(kind="line").pk]
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200
    as_ada.post(reverse("undo", args=[experiment.pk]))
    assert sheet_flows.sheets_of(experiment) == [first]
    assert not experiment.derived.exists() and not Finding.objects.exists()
    as_ada.post(reverse("redo", args=[experiment.pk]))
    assert kept(sheet_flows.sheets_of(experiment)[1])["law"].estimates


def test_a_power_agrees_with_three_through_the_line_and_through_the_curve(as_ada, ada):
    overhang = np.array(DISTANCE)
    sag = 40 * overhang**3 * (1 + 0.004 * SCATTER)
    sheet = table_of(as_ada, create(ada, "Gangway"), "overhang L / m\tsag s / mm", overhang, sag)
    text = page(as_ada, sheet, relation="power").text
    assert "The exponent agrees with 3" in text and "Both agree." in text
    held = page(as_ada, sheet, relation="power", exponent="3").text
    assert "The exponent is held at 3" in held
    keep(as_ada, sheet, relation="power", exponent="3")
    found = kept(sheet_flows.sheets_of(sheet.experiment)[1])
    assert {one.key: one.value for one in found["law"].estimates}["n"] == 3.0
    assert not any("zero" in remark for remark in found["line"].remarks)
    axes = sheet.experiment.derived.values_list("symbol", "unit")
    assert sorted(axes) == [("ln(L/m)", ""), ("ln(s/mm)", "")]


@pytest.mark.parametrize(("relation", "law", "heads"), [
    ("square_root", lambda x: 2.006 * np.sqrt(x), "length l / m\tT / s"),
    ("square", lambda x: 4.905 * x**2, "t_f / s\tdrop h / m"),
    ("inverse", lambda x: 12 / x, "volume V / mL\tp / kPa"),
])  # fmt: skip
def test_laws_are_kept_with_their_units(as_ada, ada, relation, law, heads):
    values = law(np.array(DISTANCE))
    values = values + 0.001 * values.min() * SCATTER
    sheet = table_of(as_ada, create(ada, "Law"), heads, DISTANCE, values)
    assert "straight within the scatter" in page(as_ada, sheet, relation=relation).text
    assert keep(as_ada, sheet, relation=relation).status_code == 302
    found = kept(sheet_flows.sheets_of(sheet.experiment)[1])["law"]
    (k, *_) = found.estimates
    assert k.value == pytest.approx(law(np.array([1.0]))[0], rel=0.01)
    assert "proportional" in found.remark


def test_a_second_click_makes_nothing_twice(as_ada, lamp):
    for _ in range(2):
        assert keep(as_ada, lamp, relation="inverse_square").status_code == 302
    _, second = sheet_flows.sheets_of(lamp.experiment)
    assert second.spans.count() == 1 and Finding.objects.filter(sheet=second).count() == 2


def test_a_wrong_guess_can_be_kept(as_ada, lamp):
    assert keep(as_ada, lamp, relation="exponential_decay").status_code == 302
    law = kept(sheet_flows.sheets_of(lamp.experiment)[1])["law"]
    assert law.remark.startswith("This does not make a straight line")


def test_several_runs_each_have_their_law(as_ada, experiment):
    t = np.arange(0.1, 8, 0.1)
    for half, seed in ((1.0, 1), (2.0, 2)):
        noise = np.random.default_rng(seed).normal(0, 0.003, t.size)
        making.run(experiment, 40 * np.exp(-t / half) * (1 + noise))
    sheet = sheet_flows.first_sheet(experiment)
    text = page(as_ada, sheet, relation="exponential_decay").text
    assert text.count("<tr>") >= 4
    keep(as_ada, sheet, relation="exponential_decay", why="in proportion to what is left")
    laws = Finding.objects.filter(kind="law").select_related(*RELATED)
    found = [{one.key: one.value for one in told.estimates}["tau"] for told in answers(list(laws))]
    assert found == pytest.approx([1.0, 2.0], rel=0.02)


def test_what_lies_straight_already_is_kept_on_its_own_sheet(as_ada, ada):
    sheet = table_of(as_ada, create(ada, "Cell"), "I / A\tU / V", DISTANCE,
                     4.5 - 1.5 * np.array(DISTANCE) + 0.002 * SCATTER)  # fmt: skip
    text = page(as_ada, sheet, relation="linear").text
    assert "is not an inverse relation" in text and "Save line and law" in text
    keep(as_ada, sheet, relation="linear")
    assert len(sheet_flows.sheets_of(sheet.experiment)) == 1
    assert set(kept(sheet)) == {"line", "law"}


def test_a_sheet_that_is_straight_already_leads_back_to_the_law(as_ada, lamp):
    keep(as_ada, lamp, relation="inverse_square")
    Finding.objects.all().delete()
    second = sheet_flows.sheets_of(lamp.experiment)[1]
    span = second.spans.get()
    assert "plots E against 1/d² already" in page(as_ada, second, span=span.pk).text
    assert keep(as_ada, second, span=span.pk, back="on").status_code == 302
    law = kept(second)["law"]
    assert law.estimates[0].value == pytest.approx(32, rel=0.01)
    assert law.estimates[0].unit_text == "lx·m²"
    assert "as they are" in keep(as_ada, lamp, back="on").text


def test_own_formulas_and_a_typed_turning_point(as_ada, lamp):
    own = page(as_ada, lamp, relation="own", across="1/d^2", upwards="E").text
    assert "is linear in 1/" in own
    keep(as_ada, lamp, relation="own", across="1/d^2", upwards="E")
    assert sheet_flows.sheets_of(lamp.experiment)[1].x.formula == "1/d^2"
    wrong = page(as_ada, lamp, relation="own", across="1/(", upwards="E").text
    assert "What is plotted across" in wrong and 'value="1/("' in wrong
    about = page(as_ada, lamp, relation="turning_point", x_0="0.9 ± 0.1").text
    assert "0.90 ± 0.10" in about
    assert "turning point" in page(as_ada, lamp, relation="turning_point", x_0="far").text


def test_what_has_no_place_is_counted_and_nothing_breaks(as_ada, ada):
    x = [-1.0, 0.0, 1.0, 2.0, 3.0, 4.0]
    sheet = table_of(as_ada, create(ada, "Odd"), "a\tb", x, [0.0, 1.0, 1.0, 4.0, 9.0, 16.1])
    assert "have no place in these axes" in page(as_ada, sheet, relation="power").text
    flat = table_of(as_ada, create(ada, "Flat"), "a\tb", x, [2.0] * 6)
    assert "does not depend on" in page(as_ada, flat, relation="none").text
    three = table_of(as_ada, create(ada, "Three"), "a\tb", [1, 2, 3], [1, 4, 9])
    for relation in ("square", "power", "turning_point", "exponential_decay", "own"):
        assert page(as_ada, three, relation=relation).status_code == 200
    below = table_of(as_ada, create(ada, "Below"), "a\tb", [-3, -2, -1], [-1, -4, -9])
    text = page(as_ada, below, relation="power").text
    assert "3 of 3 readings have no place" in text
    assert keep(as_ada, below, relation="power").status_code == 422


def test_nonsense_is_answered(as_ada, client, lamp, tern):
    odd = {"relation": "x", "shape": "y", "span": "z", "run": "-1", "of": "1e9", "exponent": "q"}
    assert page(as_ada, lamp, **odd).status_code == 200
    assert "Choose first" in keep(as_ada, lamp, **odd).text
    assert "is not a number" in page(as_ada, lamp, relation="power", exponent="q").text
    assert "in the meantime" in page(as_ada, lamp, span="99999").text
    client.force_login(tern)
    assert page(client, lamp).status_code == 404
    assert keep(client, lamp, relation="square").status_code == 404
    assert not Quantity.objects.filter(kind="derived").exists()


def test_a_renamed_quantity_is_renamed_in_what_is_made_of_it(as_ada, lamp):
    keep(as_ada, lamp, relation="inverse_square")
    distance = lamp.experiment.quantities.get(symbol="d")
    fields = {"name": "distance", "symbol": "r", "decimals": "2", "rule": "scatter"}
    as_ada.post(reverse("keep-quantity", args=[lamp.experiment_id, distance.pk]), fields)
    derived = lamp.experiment.derived.get()
    assert (derived.formula, derived.symbol) == ("1/r^2", "r⁻²")
