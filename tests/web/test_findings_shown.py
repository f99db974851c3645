"""What the ledger and the graphs show of findings."""

import re

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from galena.desk import history
from galena.desk.annotations import flows
from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.ledger.overlay import overlay
from galena.desk.models import Graph, Note
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import drawn
from tests.web.decays import answer, asked, post, runs, values


def test_a_finding_is_put_on_the_graph_from_its_row(as_ada, decays, span):
    (lowest, *_) = asked(span, "extremes")
    fields = {"act": "graph", "shown": "1", "stay": "1"}
    page = as_ada.post(reverse("change-finding", args=[decays.pk, lowest.pk]), fields)
    assert 'id="sheets"' in page.text and 'aria-pressed="true"' in page.text
    assert lowest.notes.get().y == pytest.approx(60, abs=1)
    del fields["shown"]
    as_ada.post(reverse("change-finding", args=[decays.pk, lowest.pk]), fields)
    assert not lowest.notes.exists()


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
    (told,) = card.agreements
    assert told.startswith("exponential decay plus constant: the 3 runs agree in a (run ")
    assert " and τ (run " in told and ", but do not agree in c (run " in told
    assert "of its uncertainty off)" in told and told.endswith("farthest, far off)")


def test_hidden_runs_have_no_say_in_how_runs_agree(sheet, span, decays):
    asked(span, "mean")
    (card,) = cards.of_sheet(sheet).spans
    assert "the 3 runs" in " ".join(card.agreements)
    decays.runs.filter(number=3).update(shown=False)
    (card,) = cards.of_sheet(sheet).spans
    (told,) = card.agreements
    assert "run 1 and run 2 agree in mean (" in told
    assert "of their uncertainties apart)" in told


def test_numbers_quoted_in_a_report_stay_those_of_their_finding(decays, sheet, span):
    from galena.reports.source import Source

    first = asked(span, "line")[0]
    _, name = cards.rows(sheet)[0].references[0]
    assert name == "A.line.1.slope"
    finding_flows.ask(span, "model", sheet.quantity, runs(sheet)[:1], {"formula": "a*x + b"})
    finding_flows.ask(span, "model", sheet.quantity, runs(sheet)[:1], {"formula": "a*x^2 + b"})
    references = Source(decays).references
    names = [one.name for one in references]
    assert len(set(names)) == len(names)
    known = {one.name: one for one in references}
    assert known["A.line.1.slope"].always == f"A.line.1#{first.pk}.slope"


def test_a_remark_names_its_question_its_quantity_and_its_run(as_ada, decays, sheet, span):
    asked(span, "line")
    page = as_ada.get(reverse("desk", args=[decays.pk])).text
    remark = page[page.index("<b>Second look</b>") :].partition("</p>")[0]
    label = re.sub(r"<[^>]+>", " ", remark.partition(": ")[0])
    assert " ".join(label.split()) == "Second look line of h"
    assert "<svg" in remark.partition(": ")[0]  # the mark of its run
    assert "do not lie on a straight line" in remark
