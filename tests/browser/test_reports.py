"""The report is written in Chromium: beside its page, by two at once, out of what was found."""

import re
import subprocess

import pytest
from playwright.sync_api import expect

from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import quantity_flows
from galena.reports import flows
from tests import making
from tests.browser.test_accessibility import violations
from tests.waiting import until

WITHOUT_RIG = True


@pytest.fixture
def report(page, experiment):
    run = making.run(experiment, making.ramp(), conditions=["40", "closed"])
    sheet = sheet_flows.first_sheet(experiment)
    finding_flows.ask(annotation_flows.add_span(sheet, 5, 15), "line", sheet.quantity, [run])
    report = flows.report_of(experiment)
    flows.begin_anew(report, "Our tank", "## What we did\n\nWe waited.", experiment.owner)
    return report


@pytest.fixture
def writing(page, report):
    page.goto(f"{page.room.url}/experiments/{report.experiment_id}/report")
    expect(page.locator("#paper")).to_contain_text("We waited.")
    return page


def at_end(page):
    page.get_by_label("Text in Markdown").focus()
    page.keyboard.press("Control+End")


def kept(page):
    expect(page.locator("#kept")).to_have_text("kept")


def test_a_report_is_written_out_of_what_was_found(writing, report):
    paper = writing.locator("#paper")
    at_end(writing)
    writing.keyboard.type("\n\nIt rises by {slo")
    expect(writing.get_by_role("option")).to_have_count(1)
    assert violations(writing) == []
    writing.keyboard.press("Enter")
    writing.keyboard.type(", as $h = v t$ says.\n\n")
    expect(paper.locator(".quoted")).to_have_text(re.compile(r"[\d.]+ ± [\d.]+ mm/s"))
    expect(paper.locator("math")).to_have_count(1)
    writing.get_by_role("button", name="h over t", exact=True).click()
    expect(paper.locator("figure svg").first).to_be_visible()
    expect(paper.locator("figcaption")).to_contain_text("Figure 1. Water level against time")
    writing.keyboard.type("\n\n{B.mean.9.mean}")
    expect(writing.locator("#state")).to_contain_text("no finding B.mean.9.mean")
    kept(writing)
    report.refresh_from_db()
    assert "{A.line.1.slope}" in report.text
    writing.reload()
    expect(writing.get_by_label("Text in Markdown")).to_have_value(report.text)


def test_from_an_empty_experiment_to_a_pdf_and_a_text_document(page, experiment, tmp_path):
    address = f"{page.room.url}/experiments/{experiment.pk}/report"
    page.goto(address)
    expect(page.get_by_text("Nothing is recorded yet.")).to_be_visible()
    for slope in (2.0, 3.0):
        making.run(experiment, making.ramp(slope=slope), conditions=[f"{20 * slope:.0f}"])
    sheet = sheet_flows.first_sheet(experiment)
    span = annotation_flows.add_span(sheet, 5, 15)
    lines = finding_flows.ask(span, "line", sheet.quantity, list(experiment.runs.all()))
    finding_flows.say_why(lines[0], "The pump brings the same in every second.")
    squared = quantity_flows.add_derived(experiment, "h^2", "level squared", "h_sq")
    sheet_flows.add_sheet(experiment, None, [squared], "straightened")

    page.goto(address)
    page.get_by_label("Title").fill("Two fillings")
    page.get_by_label("Text in Markdown").fill("")
    at_end(page)
    page.get_by_role("button", name="h over t", exact=True).click()
    page.keyboard.press("ArrowLeft")
    page.keyboard.type(" | half")
    page.keyboard.press("End")
    page.keyboard.type(" {graph straightened | half}\n\nThe levels rise by ")
    for number in (1, 2):
        page.get_by_role("button", name=f"slope, line of A, run {number}").click()
        page.keyboard.type(" from ")
        page.get_by_role("button", name=f"intercept, line of A, run {number}").click()
        page.keyboard.type(", ")
    page.keyboard.type("as {Figure 1} and {Table 1} show. ")
    page.get_by_role("button", name="line of A, run 1: equation and reason").click()
    page.keyboard.type("\n\n{table run 2 | t, h | rows 1-3}\n")
    paper = page.locator("#paper")
    expect(paper.locator("figure")).to_have_count(3)
    expect(paper.locator(".quoted")).to_have_count(4)
    boxes = [paper.locator("figure.half").nth(one).bounding_box() for one in (0, 1)]
    assert boxes[0]["y"] == pytest.approx(boxes[1]["y"], abs=2)
    assert boxes[1]["x"] > boxes[0]["x"] + boxes[0]["width"]
    kept(page)
    quoted = paper.locator(".quoted").all_inner_texts()
    page.context.set_default_timeout(170_000)
    words = {}
    for key in ("pdf", "odt"):
        file = tmp_path / f"report.{key}"
        file.write_bytes(page.request.get(f"{address}.{key}").body())
        if key == "odt":
            home = f"-env:UserInstallation=file://{tmp_path}/office"
            convert = ["soffice", home, "--headless", "--convert-to", "pdf:writer_pdf_Export"]
            subprocess.run([*convert, "--outdir", tmp_path / "odt", file], check=True, timeout=170,
                           capture_output=True)  # fmt: skip
            file = tmp_path / "odt" / "report.pdf"
        told = subprocess.run(["pdftotext", "-layout", file, "-"], capture_output=True, text=True)
        words[key] = " ".join(told.stdout.split())
    for text in words.values():
        assert "The pump brings the same in every second." in text
        assert "Figure 2." in text and "Table 1." in text
        assert all(one in text for one in quoted)
    listed = ["pdfdetach", "-list", tmp_path / "report.pdf"]
    attached = subprocess.run(listed, capture_output=True, text=True).stdout
    assert all(one in attached for one in ("figure-1.csv", "figure-2.csv", "experiment.zip"))


def test_a_click_on_the_page_goes_to_its_place_in_the_text_and_back(writing):
    at_end(writing)
    writing.keyboard.type("\n\nThen it rose.")
    rose = writing.locator("#paper p", has_text="Then it rose.")
    expect(rose).to_have_class(re.compile("here"))
    writing.locator("#paper h2").click()
    text = writing.get_by_label("Text in Markdown")
    expect(text).to_be_focused()
    assert text.evaluate("(box) => box.selectionStart") == 0
    expect(writing.locator("#paper h2")).to_have_class(re.compile("here"))


def test_two_windows_see_each_other_s_paragraphs(writing, window, report):
    other = window()
    other.goto(writing.url)
    expect(other.locator("#paper")).to_contain_text("We waited.")
    at_end(writing)
    writing.keyboard.type("\n\nGannet was here.")
    expect(other.locator("#paper")).to_contain_text("Gannet was here.")
    expect(other.get_by_label("Text in Markdown")).to_have_value(re.compile("Gannet was here"))
    other.get_by_label("Text in Markdown").focus()
    other.keyboard.press("Control+Home")
    other.keyboard.type("Puffin, too.\n\n")
    for page in (writing, other):
        expect(page.locator("#paper")).to_contain_text("Puffin, too.")
        expect(page.locator("#paper")).to_contain_text("Gannet was here.")


def test_what_is_typed_is_kept_though_the_server_does_not_answer_for_a_while(writing, report):
    writing.context.set_offline(True)
    at_end(writing)
    writing.keyboard.type(" Then we looked.")
    expect(writing.locator("#trouble")).to_contain_text("Your text is still in the box")
    writing.context.set_offline(False)
    kept(writing)
    until(lambda: "Then we looked." in flows.report_of(report.experiment).text, "the text")
    writing.get_by_role("link", name=re.compile("version")).click()
    expect(writing.get_by_role("heading", name="Versions of “Our tank”")).to_be_visible()
    assert violations(writing) == []
