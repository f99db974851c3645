"""A further kind of run needs one file: it is then in table, graph, formula, file and replay."""

import math

import numpy as np
import pytest
from django.urls import reverse
from django.utils import timezone

from galena.desk.sheets import flows as sheet_flows
from galena.experiments import columns, quantity_flows
from galena.experiments.models import Quantity, Run
from galena.experiments.runs import KINDS
from tests.recipes import recipes


@pytest.fixture
def marked(monkeypatch, experiment):
    """A run of five marks, of the kind that docs/adding.md shows."""
    kind = {}
    exec(recipes()["A kind of run"][0].text, kind)
    monkeypatch.setitem(KINDS, "marked", kind["Marked"]())
    Quantity.objects.create(
        experiment=experiment, name="place of the float", symbol="s", unit="cm", decimals=1,
        kind="marked",
    )  # fmt: skip
    quantity_flows.add_derived(experiment, "rate(s)", "speed", "v")
    now = timezone.now()
    return Run.objects.create(
        experiment=experiment, number=1, place=1, plan="marked", state=Run.State.FINISHED,
        started_at=now, ended_at=now, started_by=experiment.owner,
        details={"places": [0.0, 0.2, 0.4, 0.6, 0.8]},
    )  # fmt: skip


def test_a_further_kind_of_run_is_in_the_rail_and_its_facts_say_what_it_is(as_ada, marked):
    page = as_ada.get(reverse("record", args=[marked.experiment_id])).text
    assert "5 readings" in page
    facts = as_ada.get(reverse("run-facts", args=[marked.experiment_id, 1])).text
    assert "marked every 0.04 s" in facts


def test_a_further_kind_of_run_is_in_the_table_and_may_not_be_typed_over(as_ada, marked):
    place = [marked.experiment_id, 1]
    shown = as_ada.get(reverse("rows", args=place)).json()
    assert shown["count"] == 5
    assert [row[:2] for row in shown["rows"][:2]] == [["0.00", "0.0"], ["0.04", "0.2"]]
    s = Quantity.objects.get(symbol="s")
    fields = {"act": "cell", "column": s.pk, "row": 1, "text": "9"}
    assert as_ada.post(reverse("change-table", args=place), fields).status_code == 422
    fields = {"act": "aside", "row": 4, "reason": "hidden behind the rail"}
    assert as_ada.post(reverse("change-table", args=place), fields).status_code == 200
    again = columns.of_run(Run.objects.get(pk=marked.pk))
    assert again.column(s).readings.counted.y.size == 4


def test_a_further_kind_of_run_is_drawn_with_its_formula(as_ada, marked):
    experiment = marked.experiment
    sheet = sheet_flows.first_sheet(experiment)
    assert sheet.quantity.symbol == "s"
    v = Quantity.objects.get(symbol="v")
    sheet_flows.show(sheet.graphs.get(), {sheet.quantity: "left", v: "right"})
    data = as_ada.get(reverse("desk-data", args=[experiment.pk, sheet.pk]))
    assert data.status_code == 200
    length = int.from_bytes(data.content[:4], "little")
    head = data.content[4 : 4 + length].decode()
    assert head.count('"n": 5') == 2
    speeds = columns.of_run(marked).column(v).readings.y
    assert speeds == pytest.approx(np.full(5, 5.0))
    at = as_ada.get(reverse("desk-at", args=[experiment.pk, sheet.pk]), {"x": "0.08"}).json()
    assert math.isclose(at["rows"][0]["y"], 0.4)


def test_a_further_kind_of_run_goes_out_as_a_file(as_ada, marked):
    text = as_ada.get(reverse("run-file", args=[marked.experiment_id, 1, "csv"])).content.decode(
        "utf-8-sig"
    )
    lines = [line for line in text.splitlines() if line and not line.startswith("#")]
    assert lines[0].split(",")[:2] == ["t / s", "s / cm"]
    assert len(lines) == 6 and lines[2].startswith("0.04")
    assert "marked every 0.04 s" in text


def test_a_further_kind_of_run_is_replayed(as_ada, marked):
    replay = as_ada.get(reverse("replay", args=[marked.experiment_id, 1])).json()
    assert (replay["from"], replay["until"]) == (0.0, pytest.approx(0.16))
    (stream,) = replay["streams"]
    assert stream["rows"][1] == [0.0, 0.2, 0.4, 0.6, 0.8]
    assert stream["decimals"] == 2
