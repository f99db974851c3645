import re
import subprocess

import pytest
from django.urls import reverse

from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.sheets import flows as sheet_flows
from galena.reports import flows, writing
from galena.shell.worker import WORKERS
from tests import making
from tests.pages import in_one_line


@pytest.fixture
def report(experiment):
    run = making.run(experiment, making.ramp(), conditions=["40", "closed"])
    sheet = sheet_flows.first_sheet(experiment)
    finding_flows.ask(annotation_flows.add_span(sheet, 5, 15), "line", sheet.quantity, [run])
    return flows.report_of(experiment)


@pytest.fixture
def sheet(report):
    return sheet_flows.first_sheet(report.experiment)


def page_of(report, sheet, text):
    report.text = text
    return writing.set_page(report, sheet, writing.references(sheet))


def test_a_reference_is_shown_with_its_value_and_follows_the_desk(report, sheet):
    slope = cards.rows(sheet)[0].answer.estimates[0]
    page = page_of(report, sheet, "It rises by {A.line.1.slope}.")
    assert f"{slope.text} mm/s" in page.body
    assert (page.quoted, page.unknown) == (1, [])
    span = sheet.spans.get()
    annotation_flows.move_span(span, 5, 7)
    moved = cards.rows(sheet)[0].answer.estimates[0]
    assert moved.text != slope.text
    assert f"{moved.text} mm/s" in page_of(report, sheet, "{A.line.1.slope}").body


def test_a_reference_to_nothing_is_told(report, sheet):
    page = page_of(report, sheet, "{B.mean.1.mean} and {A.line.1.slope}")
    assert "no finding B.mean.1.mean" in page.body
    assert (page.quoted, page.unknown) == (1, ["B.mean.1.mean"])


def test_text_is_markdown_and_nothing_else(report, sheet):
    text = "## Heading\n\n*so* **much**\n\n<script>alert(1)</script> [x](javascript:alert(1))"
    page = page_of(report, sheet, text)
    assert "<h2>Heading</h2>" in page.body
    assert "<em>so</em> <strong>much</strong>" in page.body
    assert "<script" not in page.body
    assert "href" not in page.body


def test_the_graph_comes_as_a_vector_figure_with_a_caption(report, sheet):
    page = page_of(report, sheet, "Look:\n\n{graph}\n\nDone.")
    assert page.body.count("<figure><svg") == 1
    body = in_one_line(page.body)
    assert "Figure 1. Water level against time" in body
    assert "run 1, pump 40 mL/s · drain closed" in body
    assert "span A (5.00 to 15.00 s)" in body


def test_writing_is_saved(as_ada, report):
    url = reverse("report", args=[report.experiment_id])
    fields = {"title": "  Our   tank ", "text": "{A.line.1.slope}", "version": report.version}
    answer = as_ada.post(url, fields, headers={"HX-Request": "true"})
    assert "The one number of the ledger in the text is as at the Desk now." in answer.text
    report.refresh_from_db()
    assert (report.title, report.text, report.version) == ("Our tank", "{A.line.1.slope}", 2)


def test_two_people_who_write_at_once_lose_nothing(as_ada, report):
    url = reverse("report", args=[report.experiment_id])
    first = {"title": "Tank", "text": "by Gannet", "version": report.version}
    second = {"title": "Tank", "text": "by Puffin", "version": report.version}
    assert as_ada.post(url, first).status_code == 200
    clash = as_ada.post(url, second)
    assert clash.status_code == 409
    assert "Someone else saved this report since you opened it" in clash.text
    assert "by Puffin</textarea>" in clash.text
    report.refresh_from_db()
    assert report.text == "by Gannet"
    again = as_ada.post(url, second | {"version": report.version})
    assert again.status_code == 200
    report.refresh_from_db()
    assert report.text == "by Puffin"


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"title": " ", "text": "x"}, "Give the report a title"),
        ({"title": "t" * 201, "text": "x"}, "longer than a report can be"),
        ({"title": "t", "text": "x" * 100_001}, "longer than a report can be"),
    ],
)
def test_a_report_that_cannot_be_saved_keeps_its_text_in_the_box(as_ada, report, fields, words):
    url = reverse("report", args=[report.experiment_id])
    answer = as_ada.post(url, fields | {"version": report.version})
    assert answer.status_code == 409
    assert words in answer.text
    assert fields["text"] in answer.text
    report.refresh_from_db()
    assert report.version == 1


def test_the_pdf_holds_text_numbers_and_figure(as_ada, report, sheet, tmp_path):
    flows.save(report, "Our tank", "It rises by {A.line.1.slope}.\n\n{graph}", report.version)
    slope = cards.rows(sheet)[0].answer.estimates[0]
    try:
        answer = as_ada.get(reverse("pdf", args=[report.experiment_id]))
    finally:
        WORKERS.close()
    assert answer.headers["Content-Type"] == "application/pdf"
    assert 'filename="Our tank.pdf"' in answer.headers["Content-Disposition"]
    file = tmp_path / "report.pdf"
    file.write_bytes(answer.content)
    text = subprocess.run(
        ["pdftotext", "-layout", file, "-"], capture_output=True, text=True
    ).stdout
    assert "Our tank" in text
    assert f"It rises by {slope.text} mm/s." in text
    assert re.search(r"\bt ?/ ?s\b", text)
    fonts = subprocess.run(["pdffonts", file], capture_output=True, text=True).stdout
    assert "Source-Sans" in fonts
    assert "STIX" in fonts
    images = subprocess.run(["pdfimages", "-list", file], capture_output=True, text=True).stdout
    assert len(images.splitlines()) == 2  # a head and no picture: the figure is drawn, not dotted
