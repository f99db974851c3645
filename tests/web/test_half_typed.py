"""Half-typed formulas survive an error, a missing given and a reload."""

import re

import numpy as np
import pytest
from django.urls import reverse

from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Given
from galena.instruments.protocols.line_v1 import ChannelFacts
from tests import making


@pytest.fixture
def asked(as_ada, experiment):
    run = making.run(experiment, making.ramp(), conditions=["40"])
    sheet = sheet_flows.first_sheet(experiment)
    span = flows.add_span(sheet, 2.0, 15.0)
    finding_flows.ask(span, "line", sheet.quantity, [run])
    return sheet


def value(page, name, tag="input"):
    for field in page.text.split(f"<{tag} ")[1:]:
        said = field.partition(">")[0]
        if f'name="{name}"' in said:
            yield said.partition('value="')[2].partition('"')[0]


def test_a_formula_over_findings_stands_again_with_its_error(as_ada, asked):
    address = reverse("build", args=[asked.experiment_id, asked.pk])
    typed = {"kind": "formula", "name": "q", "formula": "slope_A1*("}
    page = as_ada.post(address, typed)
    assert list(value(page, "formula"))[-1] == "slope_A1*(" and "q" in value(page, "name")
    assert (
        'aria-describedby="built-wrong"' in page.text
        and '<details class="asks-more" open>' in page.text
    )
    assert asked.findings.filter(kind="formula").count() == 0


def test_what_is_missing_can_be_made_a_given_at_the_formula(as_ada, asked):
    address = reverse("build", args=[asked.experiment_id, asked.pk])
    typed = {"kind": "formula", "name": "q", "formula": "k*slope_A1"}
    page = as_ada.post(address, typed)
    assert "There is no k among the findings, conditions and givens." in page.text
    assert 'name="given" value="k"' in page.text
    wrong = as_ada.post(address, typed | {"given": "k", "given_value": "two", "given_unit": "s"})
    assert not Given.objects.exists() and list(value(wrong, "given_value")) == ["two"]
    assert 'name="given" value="k"' in wrong.text
    as_ada.post(address, typed | {"given": "k", "given_value": "2.0 ± 0.1", "given_unit": "s"})
    made = asked.findings.get(kind="formula")
    assert str(made) and Given.objects.get().symbol == "k"


def test_the_list_of_symbols_names_findings_conditions_and_givens(as_ada, asked):
    experiment = asked.experiment
    condition = experiment.conditions.first()
    condition.symbol = "Q"
    condition.save()
    as_ada.post(reverse("keep-given", args=[experiment.pk]),
                {"symbol": "k", "value": "2.0", "unit": "s", "name": "a while"})  # fmt: skip
    page = as_ada.get(reverse("symbols", args=[experiment.pk, asked.pk]))
    for symbol, said in (("slope_A1", "line"), ("Q", "condition"), ("k", "a while: 2.0")):
        assert f'data-inserts="{symbol}"' in page.text and said in page.text


def test_a_formula_on_the_page_of_quantities_survives_a_given_and_a_reload(as_ada, asked):
    pk = asked.experiment_id
    page = as_ada.post(reverse("keep-formula", args=[pk]), {"formula": "k*h", "symbol": "E"})
    assert page.status_code == 422 and 'data-makes-given="k"' in page.text
    assert list(value(page, "formula")) == ["k*h"]
    again = as_ada.get(reverse("quantities", args=[pk]) + "?of=new")
    assert list(value(again, "formula")) == ["k*h"]
    draft = {"draft-formula": "k*h + 2", "draft-symbol": "E", "draft-unit": "mm"}
    wrong = as_ada.post(reverse("keep-given", args=[pk]), {"symbol": "k", "value": "x"} | draft)
    assert wrong.status_code == 422 and list(value(wrong, "formula")) == ["k*h + 2"]
    kept = as_ada.post(reverse("keep-given", args=[pk]), {"symbol": "k", "value": "3"} | draft,
                       follow=True)  # fmt: skip
    assert list(value(kept, "formula")) == ["k*h + 2"]
    as_ada.post(reverse("keep-formula", args=[pk]), {"formula": "k*h", "symbol": "E"})
    fresh = as_ada.get(reverse("quantities", args=[pk]) + "?of=new")
    assert list(value(fresh, "formula")) == [""]


def test_differences_of_temperatures_are_in_kelvins_everywhere(as_ada, experiment):
    facts = ChannelFacts("T", "temperature", "T", "°C", -20.0, 120.0, 0.1, 100.0)
    y = 60 * np.exp(-np.arange(200) / 60) + 20 + np.random.default_rng(1).normal(0, 0.2, 200)
    run = making.run(experiment, y, facts=facts)
    quantity = experiment.quantities.get(symbol="T")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, quantity)
    span = flows.add_span(sheet, 0.0, 20.0)
    for kind in ("line", "decay_constant"):
        (one,) = finding_flows.ask(span, kind, quantity, [run])
    pk = experiment.pk
    panel = as_ada.get(reverse("finding", args=[pk, one.pk])).text
    compared = as_ada.get(reverse("compare", args=[pk, span.pk])).text
    typed = as_ada.get(reverse("quantities", args=[pk]) + f"?of={quantity.pk}").text
    finding_flows.show_residuals(one, True)
    desk = as_ada.get(reverse("desk", args=[pk])).text
    assert re.search(r"residual standard deviation</td><td class=\"value\">0\.\d+ K", panel)
    assert re.search(r"class=\"number\">\s*\d+\.\d+ K", compared) and "°C</td>" not in compared
    assert "<span>K</span>" in typed
    assert "residual / K" in desk
