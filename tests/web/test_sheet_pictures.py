"""A sheet taken along as a picture: what stands in it, its limits, its fonts."""

from xml.etree import ElementTree

import numpy as np
import pytest
from django.urls import reverse

from galena.core.axes import Axis
from galena.desk.annotations import flows as annotations
from galena.desk.drawing import figure, picture
from galena.desk.findings import flows as findings
from galena.desk.page import picture_views
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.quantity_flows import add_derived
from tests import making

SVG = "{http://www.w3.org/2000/svg}"


@pytest.fixture
def sheet(experiment):
    making.run(experiment, making.ramp(60), conditions=["40", "closed"])
    making.run(experiment, making.ramp(400, seed=2))
    slope = add_derived(experiment, "rate(h)", "rate of rise", "w")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.add_graph(sheet, slope)
    level = experiment.quantities.get(symbol="h")
    span = annotations.add_span(sheet_flows.first_sheet(experiment), 1.0, 4.0, level)
    findings.ask(span, "line", level, list(experiment.runs.all()))
    return sheet_flows.first_sheet(experiment)


def test_all_graphs_stand_in_it_with_title_runs_and_fits(sheet):
    sheet.title = "Level & its rate"
    svg, width, height = picture.of_sheet(sheet)
    root = ElementTree.fromstring(svg)
    assert (root.get("width"), root.get("height")) == (str(width), str(height))
    texts = ["".join(one.itertext()) for one in root.iter(f"{SVG}text")]
    assert "Level & its rate" in texts
    assert "run 1: pump 40 mL/s · drain closed" in texts
    assert "run 2" in texts
    assert texts.count("h / mm") == 1
    assert texts.count("A") == 1  # the letter of the span stands once
    assert texts.count("t / s") == 2
    assert "@font-face" in svg
    assert "@font-face" not in picture.of_sheet(sheet, fonts=False)[0]


def test_it_has_the_limits_that_a_hand_has_set(sheet):
    first, second = figure.stack(sheet)
    assert first.x_limits == second.x_limits
    assert first.uprights["left"].limits[1] > 20
    sheet_flows.set_axis(sheet.graphs.first(), "left", Axis(0.0, 20.0))
    limited = figure.stack(sheet_flows.first_sheet(sheet.experiment))[0]
    assert limited.uprights["left"].limits == (0.0, 20.0)


def test_it_is_taken_along_as_svg_and_as_pdf(as_ada, sheet, monkeypatch):
    monkeypatch.setattr(picture_views.WORKERS, "do", lambda work, *given: work(*given))
    of = [sheet.experiment_id, sheet.pk]
    svg = as_ada.get(reverse("sheet-svg", args=of))
    assert svg["Content-Type"] == "image/svg+xml"
    assert "Tide%20tank" in svg["Content-Disposition"] or "Tide tank" in svg["Content-Disposition"]
    pdf = as_ada.get(reverse("sheet-pdf", args=of))
    assert pdf["Content-Type"] == "application/pdf"
    assert pdf.content.startswith(b"%PDF")


def test_a_sheet_without_readings_is_drawn_empty(as_ada, experiment):
    empty = sheet_flows.first_sheet(experiment)
    answer = as_ada.get(reverse("sheet-svg", args=[experiment.pk, empty.pk]))
    assert answer.status_code == 200
    ElementTree.fromstring(answer.content)


def test_nobody_takes_the_picture_of_another(sheet, tern, client):
    client.force_login(tern)
    for name in ("sheet-svg", "sheet-pdf"):
        assert client.get(reverse(name, args=[sheet.experiment_id, sheet.pk])).status_code == 404


def test_a_long_run_is_drawn_by_what_can_be_seen(experiment):
    making.run(experiment, np.sin(np.arange(100_000) / 500), rate=1000.0, chunk=50_000)
    svg, _, _ = picture.of_sheet(sheet_flows.first_sheet(experiment), fonts=False)
    assert len(svg) < 60_000
