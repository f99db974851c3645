"""Findings of all kinds: asked over the web, built on others, refitted, shown, undone."""

import math
import re

import numpy as np
import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from galena.bench import flows as bench_flows
from galena.core import units
from galena.desk import history
from galena.desk.annotations import flows
from galena.desk.errors import DeskError
from galena.desk.findings import answers as findings
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.questions import FITS, QUESTIONS
from galena.desk.ledger import cards
from galena.desk.ledger.overlay import overlay
from galena.desk.models import Finding, Graph, Note
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import drawn, shown_runs
from galena.experiments.quantity_flows import add_derived, save_given, set_rule
from tests import making

T = np.arange(0.0, 20.0, 0.1)


def curve(number):
    """An exponential decay with a little noise, as each run has it."""
    noise = np.random.default_rng(number).normal(0, 0.1, T.size)
    return 50.0 * np.exp(-T / 4.0) + 10.0 * number + noise


@pytest.fixture
def decays(experiment):
    """Three runs of a decay that rest at 10, 20 and 30 mm."""
    for number in (1, 2, 3):
        making.run(experiment, curve(number), conditions=[str(10 * number)])
    return experiment


@pytest.fixture
def sheet(decays):
    return sheet_flows.first_sheet(decays)


@pytest.fixture
def span(sheet):
    return flows.add_span(sheet, 0.0, 19.0)


def runs(sheet):
    return [one.run for one in shown_runs(sheet)]


def asked(span, kind, **details):
    return finding_flows.ask(span, kind, span.sheet.quantity, runs(span.sheet), details)


def answer(finding):
    return findings.answers([Finding.objects.select_related(*findings.RELATED).get(pk=finding.pk)])[
        0
    ]


def values(finding):
    told = answer(finding)
    assert told.trouble == ""
    return {one.key: one.value for one in told.estimates}


def post(client, name, pk, experiment, **fields):
    return client.post(reverse(name, args=[experiment.pk, pk]), fields)


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


def test_a_finding_is_put_on_the_graph_from_its_row(as_ada, decays, span):
    (lowest, *_) = asked(span, "extremes")
    fields = {"act": "graph", "shown": "1", "stay": "1"}
    page = as_ada.post(reverse("change-finding", args=[decays.pk, lowest.pk]), fields)
    assert 'id="sheets"' in page.text and 'aria-pressed="true"' in page.text
    assert lowest.notes.get().y == pytest.approx(60, abs=1)
    del fields["shown"]
    as_ada.post(reverse("change-finding", args=[decays.pk, lowest.pk]), fields)
    assert not lowest.notes.exists()


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


def test_one_parameter_is_worked_out_from_every_reading(decays, sheet, span):
    first = asked(span, "decay_constant")[0]
    each = finding_flows.build(sheet, "each", [first.pk], {"parameter": "a"})
    told = answer(each)
    assert told.estimates[0].value == pytest.approx(50.0, abs=1.0)
    assert "left out, where the model hardly depends on a" in told.remark
    assert "from each of " in told.remark
    assert (
        "no parameter"
        in answer(finding_flows.build(sheet, "each", [first.pk], {"parameter": "z"})).trouble
    )


def test_a_model_is_laid_by_hand_moved_and_fitted(as_ada, decays, span):
    page = post(as_ada, "ask", span.pk, decays, kind="decay_constant", by_hand="on")
    assert "Fit it" in page.text and "by hand, not fitted" in page.text
    finding = Finding.objects.filter(run__number=1).get()
    fields = {"a": "40", "τ": "5", "c": "11"}
    shown = as_ada.get(reverse("preview", args=[decays.pk, finding.pk]), fields).json()
    assert "residuals" in shown["text"] and len(shown["parts"]) == 3
    still = as_ada.get(reverse("preview", args=[decays.pk, finding.pk]), fields | {"τ": "0"})
    assert still.status_code == 422
    assert "With τ = 0 the model gives no numbers: it divides by τ." in still.json()["trouble"]
    wrong = as_ada.get(reverse("preview", args=[decays.pk, finding.pk]), fields | {"a": "x"})
    assert wrong.status_code == 422 and "not a number" in wrong.json()["trouble"]
    typed = {f"p-{name}": value for name, value in fields.items()}
    post(as_ada, "change-finding", finding.pk, decays, act="lay", **typed)
    laid = answer(finding)
    assert laid.by_hand and laid.fit.params == {"a": 40.0, "τ": 5.0, "c": 11.0}
    assert laid.estimates[0].text == "40"
    fitted = post(as_ada, "change-finding", finding.pk, decays, act="fit", **typed)
    assert "Move by hand" in fitted.text
    assert values(finding)["τ"] == pytest.approx(4.0, abs=0.1)


def test_parameters_are_held_and_shared(as_ada, decays, span):
    found = asked(span, "decay_constant")
    held = {"act": "hold", "held": "c", "p-c": "12"}
    page = post(as_ada, "change-finding", found[0].pk, decays, **held)
    assert "held" in page.text and values(found[0])["c"] == 12.0
    lines = [line for one in cards.of_sheet(span.sheet).spans[0].groups for line in one.lines]
    assert [line.text for line in lines if line.is_held] == ["12"]
    all_held = post(as_ada, "change-finding", found[0].pk, decays, act="hold",
                    held=["a", "τ", "c"], **{"p-a": "1", "p-τ": "1", "p-c": "1"})  # fmt: skip
    assert "nothing is left to be fitted" in all_held.text
    post(as_ada, "change-finding", found[0].pk, decays, act="hold")
    post(as_ada, "change-finding", found[0].pk, decays, act="share", shared="τ")
    taus = [values(one)["τ"] for one in found]
    assert taus[0] == taus[1] == taus[2] == pytest.approx(4.0, abs=0.1)
    assert "τ shared by all runs" in answer(found[1]).remark


def test_weights_are_used_only_when_chosen_and_said(as_ada, decays, span):
    (found, *_) = asked(span, "line")
    page = post(as_ada, "change-finding", found.pk, decays, act="weighted", weighted="on")
    assert "Nothing is known of the uncertainties" in page.text
    set_rule(span.sheet.quantity, "absolute", "0.1")
    told = answer(found)
    assert "weighted by uncertainty" in told.remark and told.fit.weighted
    assert "scatter more than their uncertainties say" in " ".join(told.remarks)


def test_residuals_stand_under_the_graph_and_follow_the_fit(as_ada, decays, sheet, span):
    found = asked(span, "line")[0]
    page = post(as_ada, "change-finding", found.pk, decays, act="residuals", shown="1")
    graph = Graph.objects.get(residuals_of=found)
    assert f'data-graph="{graph.pk}"' in page.text
    sheet = sheet_flows.sheets_of(decays)[0]
    (left,) = [one for one in drawn(sheet) if one.trace.graph_id == graph.pk]
    assert left.read.readings.y.sum() == pytest.approx(0, abs=1e-6)
    title = overlay(cards.of_sheet(sheet))["titles"][graph.pk]
    assert title.startswith("residuals of line, run 1: one sign for")
    flows.move_span(span, 10.0, 19.0)
    (moved,) = [one for one in drawn(sheet) if one.trace.graph_id == graph.pk]
    assert len(moved.read.readings) < len(left.read.readings)
    assert as_ada.get(reverse("desk-data", args=[decays.pk, sheet.pk])).status_code == 200
    history.undo(decays, decays.owner)
    assert not Graph.objects.filter(residuals_of=found).exists()


def test_a_finding_stands_on_the_graph_and_follows(as_ada, decays, sheet, span):
    found = asked(span, "line")[0]
    post(as_ada, "change-finding", found.pk, decays, act="graph", shown="1")
    note = Note.objects.get(finding=found)
    (drawn,) = overlay(cards.of_sheet(sheet))["notes"]
    assert drawn["id"] == note.pk and drawn["text"].startswith("run 1: h = slope · t + intercept")
    flows.move_span(span, 10.0, 19.0)
    (moved,) = overlay(cards.of_sheet(sheet))["notes"]
    assert moved["text"] != drawn["text"] and moved["x"] != drawn["x"]
    post(as_ada, "change-finding", found.pk, decays, act="graph")
    assert not Note.objects.exists()


def test_models_are_compared_and_the_reason_is_kept(as_ada, decays, span):
    for kind in ("line", "decay_constant"):
        asked(span, kind)
    reason = "Each part loses the same share."
    found = Finding.objects.filter(kind="decay_constant", run__number=1).get()
    post(as_ada, "change-finding", found.pk, decays, act="why", why=reason)
    page = as_ada.get(reverse("compare", args=[decays.pk, span.pk])).text
    assert page.count("<table") == 3
    assert "earns its place: AICc falls by" in page and reason in page
    assert page.index("line") < page.index("exponential decay plus constant")


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


def test_units_that_do_not_fit_a_typed_model_are_said(span):
    told = answer(asked(span, "model", formula="a*x + 3")[0])
    assert "units do not fit" in " ".join(told.remarks)
    good = answer(asked(span, "model", formula="a*exp(-b*x)")[0])
    assert [one.unit_text for one in good.estimates] == ["mm", "s⁻¹"]


def test_every_run_is_asked_in_one_step(as_ada, decays, span):
    decays.runs.filter(number=3).update(shown=False)
    post(as_ada, "ask", span.pk, decays, kind="mean")
    assert Finding.objects.count() == 2
    post(as_ada, "ask", span.pk, decays, kind="mean", every="1")
    assert Finding.objects.count() == 3


def test_findings_follow_a_span_under_the_hand_and_nothing_is_kept(as_ada, decays, sheet, span):
    (first, *_) = asked(span, "line")
    url = reverse("peek", args=[decays.pk, span.pk])
    seen = as_ada.get(url, {"lo": "5", "hi": "12"}).json()
    assert [one["id"] for one in seen["curves"]] == [one.pk for one in span.findings.all()]
    assert answer(first).estimates[0].text not in seen["rows"]
    flows.move_span(span, 5.0, 12.0)
    assert answer(first).estimates[0].text in seen["rows"]
    assert as_ada.get(url, {"lo": "5", "hi": "x"}).status_code == 422
    with CaptureQueriesContext(connection) as counted:
        as_ada.get(url, {"lo": "5", "hi": "11"})
    assert len(counted) < 25


def test_it_is_said_how_runs_agree_in_their_uncertainties(sheet, span):
    first, second, _ = asked(span, "decay_constant")
    (card,) = cards.of_sheet(sheet).spans
    one, two = (values(each) for each in (first, second))
    assert one["c"] == pytest.approx(two["c"] - 10, abs=0.1)
    (told,) = [each for each in card.agreements if ", c:" in each]
    assert "the 3 runs do not agree; run " in told
    (told,) = [each for each in card.agreements if ", τ:" in each]
    assert "agree" in told


def test_hidden_runs_have_no_say_in_how_runs_agree(sheet, span, decays):
    asked(span, "mean")
    (card,) = cards.of_sheet(sheet).spans
    assert "the 3 runs" in " ".join(card.agreements)
    decays.runs.filter(number=3).update(shown=False)
    (card,) = cards.of_sheet(sheet).spans
    (told,) = card.agreements
    assert "run 1 and run 2 agree, " in told and "of their uncertainties apart" in told


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


def test_numbers_quoted_in_a_report_stay_those_of_their_finding(decays, sheet, span):
    from galena.reports import writing

    first = asked(span, "line")[0]
    _, name = cards.rows(sheet)[0].references[0]
    assert name == "A.line.1.slope"
    finding_flows.ask(span, "model", sheet.quantity, runs(sheet)[:1], {"formula": "a*x + b"})
    finding_flows.ask(span, "model", sheet.quantity, runs(sheet)[:1], {"formula": "a*x^2 + b"})
    names = [one.name for one in writing.references(sheet)]
    assert len(set(names)) == len(names)
    known = {one.name: one for one in writing.references(sheet)}
    assert known["A.line.1.slope"].always == f"A.line.1#{first.pk}.slope"


def test_a_remark_names_its_question_its_quantity_and_its_run(as_ada, decays, sheet, span):
    asked(span, "line")
    page = as_ada.get(reverse("desk", args=[decays.pk])).text
    remark = page[page.index("<b>Second look</b>") :].partition("</p>")[0]
    label = re.sub(r"<[^>]+>", " ", remark.partition(": ")[0])
    assert " ".join(label.split()) == "Second look line of h"
    assert "<svg" in remark.partition(": ")[0]  # the mark of its run
    assert "do not lie on a straight line" in remark


def test_comparing_is_offered_from_two_models_of_the_same_readings_on(as_ada, decays, span):
    page = reverse("desk", args=[decays.pk])
    offered = reverse("compare", args=[decays.pk, span.pk])
    asked(span, "decay_constant")  # one model, of three runs
    assert offered not in as_ada.get(page).text
    asked(span, "line")
    assert offered in as_ada.get(page).text
