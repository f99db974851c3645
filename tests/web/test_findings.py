"""Findings of all kinds: asked over the web, built on others, undone."""

import math

import numpy as np
import pytest
from django.urls import reverse

from galena.bench import flows as bench_flows
from galena.core import units
from galena.desk.annotations import flows
from galena.desk.errors import DeskError
from galena.desk.findings import answers as findings
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.questions import FITS, QUESTIONS
from galena.desk.ledger import cards
from galena.desk.ledger.overlay import overlay
from galena.desk.models import Finding
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import shown_runs
from galena.experiments.quantity_flows import add_derived, save_given
from tests import making
from tests.web.decays import answer, asked, post, values

FEW = ("mean", "crossing", "line", "model")  # questions that are tried also while one works


@pytest.mark.parametrize("kind", [
    pytest.param(key, marks=[] if key in FEW else [pytest.mark.many])
    for key, question in QUESTIONS.items() if question.of == "span"
])  # fmt: skip
def test_every_question_of_a_span_is_answered_for_every_run(as_ada, decays, span, kind):
    fields = {"kind": kind, "level": "25", "formula": "a*exp(-x/b) + c"}
    page = post(as_ada, "ask", span.pk, decays, **fields)
    assert page.status_code == 200
    found = list(Finding.objects.filter(kind=kind))
    assert [one.run.number for one in found] == [1, 2, 3]
    for told in findings.answers(list(Finding.objects.select_related(*findings.RELATED))):
        assert told.trouble.endswith(".") if told.trouble else told.estimates
        for one in told.estimates:
            assert math.isfinite(one.value)
    again = post(as_ada, "ask", span.pk, decays, **fields)
    assert again.status_code == 200 and Finding.objects.count() == 3


def test_a_change_has_both_differences_and_their_ratio(span):
    (change, *_) = asked(span, "change")
    told = {one.key: one for one in answer(change).estimates}
    assert (told["dx"].value, told["dx"].unit_text) == (pytest.approx(19.0), "s")
    fall = 50 * (math.exp(-19 / 4) - 1)
    assert told["dy"].value == pytest.approx(fall, abs=4 * told["dy"].uncertainty)
    assert told["rate"].value == pytest.approx(told["dy"].value / told["dx"].value)
    assert told["rate"].uncertainty == pytest.approx(told["dy"].uncertainty / 19.0)
    assert told["rate"].unit_text == "mm/s"
    spread = {one.key: one for one in answer(asked(span, "spread")[0]).estimates}
    mean = values(asked(span, "mean")[0])["mean"]
    assert spread["relative"].value == pytest.approx(100 * spread["sd"].value / mean)
    assert spread["relative"].unit_text == "%"


def test_what_is_asked_of_a_stretch_is_right(span):
    first = asked(span, "decay_constant")[0]
    told = {one.key: one for one in answer(first).estimates}
    assert told["τ"].value == pytest.approx(4.0, abs=4 * told["τ"].uncertainty)
    assert (told["a"].unit_text, told["τ"].unit_text) == ("mm", "s")
    (crossing, *_) = asked(span, "crossing", level=25.0)
    assert values(crossing)["x"] == pytest.approx(4 * math.log(50 / 15), abs=0.05)
    (area, *_) = asked(span, "area", baseline=10.0)
    assert values(area)["area"] == pytest.approx(200 * (1 - math.exp(-19 / 4)), rel=0.01)
    assert answer(area).estimates[0].unit_text == "mm·s"
    (width, *_) = asked(span, "duration")
    assert values(width) == {"width": 19.0, "reach": pytest.approx(19.0), "count": 191}


def test_an_area_of_volts_over_seconds_is_in_webers():
    from galena.desk.findings.questions.stretch import named_product

    for x, y, name, factor in (("s", "V", "Wb", 1), ("s", "mV", "mWb", 1), ("ms", "V", "mWb", 1)):
        unit, size = named_product(units.parse(x), units.parse(y))
        assert (str(unit), size) == (name, pytest.approx(factor))


def test_markers_have_slopes_readings_and_differences(as_ada, decays, sheet):
    one, two = flows.add_marker(sheet, 2.0), flows.add_marker(sheet, 6.0)
    for kind, more in (
        ("slope", {"count": "15", "order": "2"}),
        ("value", {}),
        ("pair", {"second": two.pk}),
    ):
        page = post(as_ada, "ask-marker", one.pk, decays, kind=kind, **more)
        assert page.status_code == 200
    told = {str(found): values(found) for found in Finding.objects.filter(run__number=1)}
    exact = -12.5 * math.exp(-0.5)
    assert told["m1.slope.1"]["slope"] == pytest.approx(exact, abs=0.3)
    assert told["m1.value.1"]["value"] == pytest.approx(50 * math.exp(-0.5) + 10, abs=0.4)
    assert told["m1m2.pair.1"]["dx"] == 4.0
    assert told["m1m2.pair.1"]["rate"] == pytest.approx(
        50 * (math.exp(-1.5) - math.exp(-0.5)) / 4, abs=0.1
    )
    drawn = overlay(cards.of_sheet(sheet))["curves"]
    assert len(drawn) == 6 and all(len(one["parts"][1][0]) == 2 for one in drawn)
    few = post(as_ada, "ask-marker", one.pk, decays, kind="slope", count="2")
    assert "from 3 to 9999 readings" in few.text


def test_findings_are_built_on_findings_and_follow_them(as_ada, decays, sheet, span):
    early, late = flows.add_span(sheet, 0.0, 1.0), flows.add_span(sheet, 12.0, 18.0)
    falling, level = asked(early, "line")[0], asked(late, "line")[0]
    met = finding_flows.build(sheet, "meet", [falling.pk, level.pk])
    at = finding_flows.build(sheet, "at_x", [falling.pk], {"x": 0.5})
    there = finding_flows.build(sheet, "at_y", [falling.pk], {"y": 55.0})
    assert finding_flows.build(sheet, "at_y", [falling.pk], {"y": 55.0}) == there
    line = values(falling)
    assert values(at)["value"] == pytest.approx(0.5 * line["slope"] + line["intercept"])
    assert values(there)["x"] == pytest.approx((55.0 - line["intercept"]) / line["slope"])
    before = values(met)["x"]
    flows.move_span(early, 0.0, 2.0)
    assert values(met)["x"] != before
    gone = post(as_ada, "drop-finding", falling.pk, decays)
    assert gone.status_code == 200
    assert "was taken away" in answer(met).trouble


def test_a_formula_counts_what_is_shared_once(decays, sheet, span):
    save_given(decays, None, "factor", "k_0", "2.00 ± 0.02", "")
    first, second = asked(span, "line")[:2]
    known = cards.symbols(cards.rows(sheet))
    assert {"slope_A1", "intercept_A1", "slope_A2"} <= set(known)
    symbols = {name: (row.finding.pk, one.key) for name, (row, one) in known.items()}

    def made(text, name):
        return answer(finding_flows.build_formula(sheet, text, name, symbols)).estimates[0]

    assert made("slope_A1 - slope_A1", "nil").uncertainty in (0.0, pytest.approx(0, abs=1e-12))
    line = {one.key: one for one in answer(first).estimates}
    there = answer(finding_flows.build(sheet, "at_x", [first.pk], {"x": 9.5})).estimates[0]
    same = made("slope_A1*9.5 s + intercept_A1", "mid")
    assert same.value == pytest.approx(there.value)
    assert same.uncertainty == pytest.approx(there.uncertainty)
    assert same.uncertainty < line["intercept"].uncertainty
    ratio = made("k_0*slope_A2/slope_A1", "ratio")
    two = answer(second).estimates[0]
    relative = math.hypot(0.01, line["slope"].uncertainty / line["slope"].value,
                          two.uncertainty / two.value)  # fmt: skip
    assert ratio.uncertainty / abs(ratio.value) == pytest.approx(relative, rel=1e-6)
    with pytest.raises(DeskError, match="symbols as they stand in the list"):
        finding_flows.build_formula(sheet, "2*3", "x_1", symbols)
    with pytest.raises(DeskError, match="name of another finding"):
        made("slope_A2", "mid")
    with pytest.raises(DeskError, match="cannot be added"):
        made("slope_A1 + intercept_A1", "bad")


def test_two_numbers_are_compared_in_percent_and_in_uncertainties(sheet, span):
    first, second = asked(span, "line")[:2]
    made = finding_flows.build(sheet, "difference", [[first.pk, "slope"], [second.pk, "slope"]])
    told = answer(made)
    one, two = (answer(each).estimates[0] for each in (first, second))
    u = math.hypot(one.uncertainty, two.uncertainty)
    found = {each.key: each for each in told.estimates}
    assert found["difference"].uncertainty == pytest.approx(u)
    assert found["percent"].value == pytest.approx(100 * (two.value / one.value - 1))
    assert found["apart"].value == pytest.approx(abs(two.value - one.value) / u)
    assert "they agree" in told.remark
    unlike = finding_flows.build(
        sheet, "difference", [[first.pk, "slope"], [first.pk, "intercept"]]
    )
    assert "different units" in answer(unlike).trouble


def test_another_quantity_is_read_where_a_finding_is(decays, sheet, span):
    rate = add_derived(decays, "rate(h, t, 9)", "speed", "v")
    sheet_flows.add_graph(sheet, rate)
    crossing = asked(span, "crossing", level=25.0)[0]
    there = finding_flows.build(sheet, "there", [crossing.pk], quantity=rate)
    assert values(there)["value"] == pytest.approx(-15.0 / 4, abs=0.3)


@pytest.mark.many
def test_wrong_wishes_are_answered_and_change_nothing(as_ada, decays, sheet, span):
    for fields, said in (
        ({"kind": "model", "formula": "a*exp(-"}, "stops"),
        ({"kind": "model", "formula": ""}, "Type the model as a formula of x"),
        ({"kind": "model", "formula": "a*Q(x)"}, "Q"),
        ({"kind": "crossing", "level": "high"}, "not a number"),
        ({"kind": "slope"}, "There is no question"),
        ({"kind": "nonsense"}, "There is no question"),
    ):
        page = post(as_ada, "ask", span.pk, decays, **fields)
        assert said in page.text, fields
        assert not Finding.objects.exists()
    none = asked(span, "crossing", level=900.0)[0]
    assert "does not cross h = 900 mm" in answer(none).trouble
    narrow = flows.add_span(sheet, 2.95, 3.05)
    for kind in FITS:
        told = answer(asked(narrow, kind, formula="a*x + b")[0])
        assert "at least" in told.trouble or "only one" in told.trouble
    for kind in ("meet", "difference", "each", "formula", "at_x"):
        page = post(as_ada, "build", sheet.pk, decays, kind=kind, of="999999")
        assert 'role="alert"' in page.text


def test_every_run_is_asked_in_one_step(as_ada, decays, span):
    decays.runs.filter(number=3).update(shown=False)
    post(as_ada, "ask", span.pk, decays, kind="mean")
    assert Finding.objects.count() == 2
    post(as_ada, "ask", span.pk, decays, kind="mean", runs="every")
    assert Finding.objects.count() == 3


def test_the_zero_is_an_error_that_all_readings_after_it_share(experiment, ada):
    bench_flows.zero([(making.channel(), 3.0, 0.5)], ada)
    rng = np.random.default_rng(13)
    run = making.run(experiment, 50 + rng.normal(0, 0.2, 200), rate=10.0)
    sheet = sheet_flows.first_sheet(experiment)
    (shown,) = shown_runs(sheet)
    assert shown.readings.u_zero == 0.5
    assert shown.readings.combined is None  # it alone would make a reading look far too good
    spans = [flows.add_span(sheet, lo, lo + 9.0) for lo in (0.0, 10.0)]
    means = [finding_flows.ask(one, "mean", sheet.quantity, [run])[0] for one in spans]
    for one in means:
        assert answer(one).estimates[0].uncertainty == pytest.approx(0.5, rel=0.01)
        assert "0.50 mm of ± is shared by all readings" in answer(one).remark
    apart = finding_flows.build(sheet, "difference", [[one.pk, "mean"] for one in means])
    assert answer(apart).estimates[0].uncertainty < 0.05
    (line,) = finding_flows.ask(spans[0], "line", sheet.quantity, [run])
    intercept = next(one for one in answer(line).estimates if one.key == "intercept")
    assert intercept.uncertainty > 0.5


def test_numbers_made_of_the_same_readings_carry_their_correlation(experiment):
    rng = np.random.default_rng(13)
    run = making.run(experiment, 100 + rng.normal(0, 2.0, 300), rate=10.0)
    sheet = sheet_flows.first_sheet(experiment)
    wide, part = flows.add_span(sheet, -0.05, 19.95), flows.add_span(sheet, 9.95, 29.95)
    means = [finding_flows.ask(one, "mean", sheet.quantity, [run])[0] for one in (wide, part)]
    line = finding_flows.ask(wide, "line", sheet.quantity, [run])[0]
    apart = finding_flows.build(sheet, "difference", [[one.pk, "mean"] for one in means])
    own = [answer(one).estimates[0].uncertainty for one in means]
    # 100 of 200 readings are in both: r = 1/2, so that u² = u_1² + u_2² - u_1 u_2.
    expected = np.sqrt(own[0] ** 2 + own[1] ** 2 - own[0] * own[1])
    assert answer(apart).estimates[0].uncertainty == pytest.approx(expected, rel=1e-6)
    # The height of the line at the middle of its span is the mean: nothing is left over.
    middle = {"m": (means[0].pk, "mean"), "a": (line.pk, "intercept"), "b": (line.pk, "slope")}
    nothing = finding_flows.build_formula(sheet, "a + b*(9.95 s) - m", "nothing", middle)
    left = answer(nothing).estimates[0]
    assert left.value == pytest.approx(0.0, abs=1e-9)
    assert left.uncertainty < 0.02 * own[0]


def test_strangers_see_and_change_no_findings(client, tern, decays, span):
    found = asked(span, "line")[0]
    client.force_login(tern)
    for name, pk in (("finding", found.pk), ("preview", found.pk), ("compare", span.pk)):
        assert client.get(reverse(name, args=[decays.pk, pk])).status_code in (403, 404)
    for name, pk in (("ask", span.pk), ("change-finding", found.pk), ("harvest", span.pk)):
        assert client.post(reverse(name, args=[decays.pk, pk])).status_code in (403, 404)
