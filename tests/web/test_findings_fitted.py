"""Models fitted to a span: by hand, held, shared, weighted, compared."""

import pytest
from django.urls import reverse

from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.models import Finding
from galena.experiments.quantity_flows import set_rule
from tests.web.decays import answer, asked, post, values


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


def test_units_that_do_not_fit_a_typed_model_are_said(span):
    told = answer(asked(span, "model", formula="a*x + 3")[0])
    assert "units do not fit" in " ".join(told.remarks)
    good = answer(asked(span, "model", formula="a*exp(-b*x)")[0])
    assert [one.unit_text for one in good.estimates] == ["mm", "s⁻¹"]


def test_comparing_is_offered_from_two_models_of_the_same_readings_on(as_ada, decays, span):
    page = reverse("desk", args=[decays.pk])
    offered = reverse("compare", args=[decays.pk, span.pk])
    asked(span, "decay_constant")  # one model, of three runs
    assert offered not in as_ada.get(page).text
    asked(span, "line")
    assert offered in as_ada.get(page).text
