import io
import re
import subprocess
import zipfile
from xml.etree import ElementTree

import pytest
from django.urls import reverse
from django.utils import timezone
from django.utils.html import escape, strip_tags

from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.sheets import flows as sheet_flows
from galena.exchange import package
from galena.exchange.duplicating import duplicate
from galena.instruments.protocols.line_v1 import ChannelFacts
from galena.reports import flows, printing
from galena.reports.marked_up import marked_up
from galena.reports.models import Opening, Report
from galena.reports.openings import OPENINGS
from galena.reports.setting import set_page
from galena.reports.source import Source
from galena.reports.views import choices_of
from galena.shell.worker import WORKERS, WorkerError
from tests import making
from tests.pages import in_one_line
from tests.random_experiments import Maker


@pytest.fixture
def report(experiment):
    run = making.run(experiment, making.ramp(), conditions=["40", "closed"])
    sheet = sheet_flows.first_sheet(experiment)
    finding_flows.ask(annotation_flows.add_span(sheet, 5, 15), "line", sheet.quantity, [run])
    return flows.report_of(experiment)


@pytest.fixture
def sheet(report):
    return sheet_flows.first_sheet(report.experiment)


def page_of(report, text, *, on_paper=False, **how):
    return set_page(text, Source(report.experiment, on_paper=on_paper), **how)


def in_words(page):
    return in_one_line(strip_tags(page.body))


def test_a_reference_is_shown_with_its_value_and_follows_the_desk(report, sheet):
    slope = cards.rows(sheet)[0].answer.estimates[0]
    page = page_of(report, "It rises by {A.line.1.slope}.")
    assert f"{slope.text} mm/s" in page.body
    assert (page.quoted, page.unknown) == (1, [])
    span = sheet.spans.get()
    annotation_flows.move_span(span, 5, 7)
    moved = cards.rows(sheet)[0].answer.estimates[0]
    assert moved.text != slope.text
    assert f"{moved.text} mm/s" in page_of(report, "{A.line.1.slope}").body


def test_a_reference_to_nothing_is_told(report, sheet):
    page = page_of(report, "{B.mean.1.mean} and {A.line.1.slope}")
    assert "no finding B.mean.1.mean" in page.body
    assert (page.quoted, page.unknown) == (1, ["no finding B.mean.1.mean"])


def test_text_is_markdown_and_nothing_else(report, sheet):
    text = "## Heading\n\n*so* **much**\n\n<script>alert(1)</script> [x](javascript:alert(1))"
    page = page_of(report, text)
    assert '<h2 data-line="0">Heading</h2>' in page.body
    assert "<em>so</em> <strong>much</strong>" in page.body
    assert "<script" not in page.body
    assert "href" not in page.body


def test_the_graph_comes_as_a_vector_figure_with_a_caption(report):
    page = page_of(report, "Look:\n\n{graph}\n\nDone.")
    assert page.body.count('<figure class="whole"><svg') == 1
    body = in_one_line(page.body)
    assert "Figure 1. Water level against time" in body
    assert "run 1, pump 40 mL/s · drain closed" in body
    assert "span A (5.00 to 15.00 s)" in body


def test_the_readings_of_a_figure_with_three_axes_are_attached_under_their_own_heads(experiment):
    for place, (symbol, unit) in enumerate((("h", "mm"), ("p", "kPa"), ("E", "lx"))):
        facts = ChannelFacts(symbol, f"quantity {symbol}", symbol, unit, -500.0, 500.0, 0.1, 1000.0)
        making.run(experiment, making.ramp(20) + place, facts=facts)
    sheet = sheet_flows.first_sheet(experiment)
    sides = ("left", "right", "third")
    shown = dict(zip(experiment.measured, sides, strict=True))
    sheet_flows.show(sheet.graphs.get(), shown)
    (placed,) = set_page("{graph}", Source(experiment)).placed
    heads = [
        line for line in placed.piece.readings().decode().splitlines() if line.startswith("run")
    ]
    assert heads == ["run,t / s,h / mm,set aside", "run,t / s,p / kPa,set aside",
                     "run,t / s,E / lx,set aside"]  # fmt: skip


def test_nothing_is_put_in_inside_of_code_or_behind_a_stroke(report):
    page = page_of(report, "`{A.line.1.slope}` and \\{graph} and\n\n    {graph}\n\ncost $5 or $6")
    assert page.placed == []
    assert "<code>{A.line.1.slope}</code>" in page.body
    assert "cost $5 or $6" in page.body


def test_figures_and_tables_stand_side_by_side_and_are_referred_to(report):
    text = (
        "{graph h over t | half | as pool} {graph h over t | x 5..10 | half | caption: The *rise*.}"
        "\n\n{table run 1 | t, h | rows 2-4}\n\nSee {see pool}, {Figure 2} and {Table 1}."
    )
    page = page_of(report, text)
    assert page.unknown == []
    assert page.body.count('<figure class="half">') == 2
    words = in_words(page)
    assert "Figure 2. The *rise*." in words
    assert "See Figure 1, Figure 2 and Table 1." in words
    assert "3 of 200 rows are printed." in words
    cells = re.findall(r"<td>(.*?)</td>", page.body)
    assert len(cells) == 6
    assert cells[0] == "0.1"


@pytest.mark.parametrize(("asked", "words"), [
    ("{graph nowhere}", "there is no sheet “nowhere”"),
    ("{graph h over t | graph 7}", "has 1 graphs, no graph 7"),
    ("{graph | x 9..2}", "is no part of a graph"),
    ("{table run 9}", "there is no run 9"),
    ("{table run 1 | mass}", "run 1 has no column mass"),
    ("{table run 1 | rows 1-9999999}", "at most 1000 rows"),
    ("{table calibrations}", "no run uses a calibration"),
    ("{fit A.peak.1}", "no fit A.peak.1"), ("{facts run 4}", "there is no run 4"),
    ("{clip picture 3}", "There is no such clip"), ("{clip dance 3}", "there is no picture"),
    ("{remark 1 run 1 | our answer: so}", "run 1 has no remark 1"),
    ("{see pool}", "nothing is put in as “pool”"), ("{Figure 3}", "there is no Figure 3"),
    ("{k_spring}", "no finding k_spring"),
    ("$\\frac{1}$", "mathematics"), ("$\\nonsense x$", "is no command"),
])  # fmt: skip
def test_what_is_not_there_is_said_at_its_place_and_in_a_list(report, asked, words):
    page = page_of(report, f"Before.\n\n{asked}\n\nAfter.")
    assert any(words in one for one in page.unknown), page.unknown
    assert 'class="unknown"' in page.body
    assert "After." in page.body


def test_a_graph_in_the_middle_of_words_is_told_to_stand_alone(report):
    assert "put this on a line of its own" in in_words(page_of(report, "Look {graph} here."))


def test_what_can_be_offered_can_be_set(as_ada, experiment, film, at_once):
    maker = Maker(experiment, 11, film)
    maker.do(["steady", "stepwise", "typed", "span", *["ask"] * 6, "harvest", "calibrated", "clip"])
    sheet = sheet_flows.first_sheet(experiment)
    run = making.run(experiment, making.ramp())
    level = run.streams.get().series.exclude(quantity=None).get().quantity
    finding_flows.ask(annotation_flows.add_span(sheet, 5, 15), "line", level, [run])
    listed = [choice for _, choices in choices_of(Source(experiment)) for choice in choices]
    assert {one.text.split(" ")[0].strip("{}").split(".")[0] for one in listed} >= {
        "graph", "table", "fit", "facts", "clip"}  # fmt: skip
    page = set_page("\n\n".join(one.text for one in listed), Source(experiment))
    assert page.unknown == []
    assert len(page.placed) == len(listed) > 15
    shown = as_ada.get(reverse("report", args=[experiment.pk])).text
    assert all(escape(one.text) in shown for one in listed)


def test_facts_say_how_a_run_was_recorded(report):
    run = report.experiment.runs.get()
    series = run.streams.get().series.exclude(quantity=None).get()
    series.zero = 2.2
    series.save()
    assert in_words(page_of(report, "{facts run 1}")).strip() == (
        "10 readings a second for 20 s with level gauge LG-1 0007 (water level: zero at 2.2 mm raw)"
    )


def test_mathematics_is_mathml_on_the_screen_and_drawn_on_paper(report):
    text = "So $x = \\frac{1}{d}$ and\n\n$$ k = 2 $$\n"
    try:
        screen, paper = page_of(report, text), page_of(report, text, on_paper=True)
    finally:
        WORKERS.close()
    assert "<mfrac>" in screen.body
    assert screen.body.count("<math") == 2
    assert "<math" not in paper.body
    assert "<math" in page_of(report, "{fit A.line.1}").body
    assert "h = " in page_of(report, "{fit A.line.1}", on_paper=True).body
    assert "<math" not in page_of(report, "{fit A.line.1}", on_paper=True).body
    assert paper.body.count('role="math"') == 2
    assert 'class="formula"' in paper.body


def test_kept_numbers_stay_while_the_desk_goes_on(as_ada, report, sheet):
    flows.begin_anew(report, "Tank", "It rises by {A.line.1.slope}.", report.experiment.owner)
    before = in_words(page_of(report, report.text))
    as_ada.post(reverse("freeze-report", args=[report.experiment_id]))
    annotation_flows.move_span(sheet.spans.get(), 5, 7)
    report.refresh_from_db()
    assert in_words(page_of(report, report.text, frozen=report.frozen)) == before
    assert "are kept as they were on" in as_ada.get(address(report)).text
    as_ada.post(reverse("freeze-report", args=[report.experiment_id]), {"thaw": "yes"})
    assert before not in in_one_line(strip_tags(as_ada.get(address(report)).text))


def test_what_changed_since_it_was_taken_along_is_shown(as_ada, report, sheet):
    flows.begin_anew(report, "Tank", "It rises by {A.line.1.slope}.", report.experiment.owner)
    assert as_ada.get(reverse("report-markdown", args=[report.experiment_id])).status_code == 200
    assert "other than when it was" not in as_ada.get(address(report)).text
    annotation_flows.move_span(sheet.spans.get(), 5, 7)
    assert "1 number is other than when it was last taken along" in as_ada.get(address(report)).text


def address(report):
    return reverse("report", args=[report.experiment_id])


def write(client, report, text, base, version, **more):
    fields = {"title": "Tank", "text": text, "base": base, "base_title": "Tank", "version": version}
    return client.post(reverse("write-report", args=[report.experiment_id]), fields | more).json()


def test_writing_is_kept_and_its_page_follows(as_ada, report):
    answer = write(
        as_ada, report, "{A.line.1.slope}", report.text, report.version, title=" Our  tank "
    )
    assert "The one number of the ledger in the text is as at the Desk" in in_one_line(
        answer["state"]
    )
    assert 'class="quoted"' in answer["page"]
    report.refresh_from_db()
    assert (report.title, report.text, report.version) == ("Our tank", "{A.line.1.slope}", 2)
    same = write(as_ada, report, report.text, report.text, 2, title="Our tank")
    assert (same["version"], same["versions"]) == (2, 1)


def test_two_people_who_write_at_once_lose_nothing(as_ada, report):
    base = "one\n\ntwo\n\nthree"
    flows.begin_anew(report, "Tank", base, report.experiment.owner)
    version = report.version
    write(as_ada, report, "one by Gannet\n\ntwo\n\nthree", base, version)
    answer = write(as_ada, report, "one\n\ntwo\n\nthree by Puffin", base, version)
    assert answer["text"] == "one by Gannet\n\ntwo\n\nthree by Puffin"
    assert (answer["by_others"], answer["both"]) == (True, 0)
    clash = write(as_ada, report, "one by Puffin\n\ntwo\n\nthree", base, version)
    assert clash["both"] == 1
    assert clash["text"].startswith("one by Puffin\n\none by Gannet\n\ntwo")
    seen = as_ada.get(reverse("report-now", args=[report.experiment_id]), {"version": version})
    assert seen.json()["text"] == clash["text"]
    now = {"version": clash["version"]}
    assert as_ada.get(reverse("report-now", args=[report.experiment_id]), now).status_code == 204


@pytest.mark.parametrize(("fields", "words"), [
    ({"title": " ", "text": "x"}, "Give the report a title"),
    ({"title": "t" * 201, "text": "x"}, "longer than a report can be"),
    ({"title": "t", "text": "x" * 100_001}, "longer than a report can be"),
])  # fmt: skip
def test_what_cannot_be_kept_is_said_and_changes_nothing(as_ada, report, fields, words):
    answer = write(
        as_ada, report, fields["text"], report.text, report.version, title=fields["title"]
    )
    assert words in answer["trouble"]
    report.refresh_from_db()
    assert report.version == 1


def test_versions_are_looked_at_and_gone_back_to(as_ada, report):
    write(as_ada, report, "first thoughts", report.text, 1)
    write(as_ada, report, "first thoughts, longer", "first thoughts", 2)
    assert report.versions.count() == 1  # one stretch of writing is one version
    report.versions.update(begun_at=timezone.now() - flows.ONE_VERSION)
    write(as_ada, report, "second thoughts", "first thoughts, longer", 3)
    listed = reverse("report-versions", args=[report.experiment_id])
    first, second = report.versions.all()
    assert "2 words" in as_ada.get(listed).text
    assert "first thoughts, longer" in as_ada.get(listed, {"shown": first.pk}).text
    as_ada.post(reverse("report-back", args=[report.experiment_id, first.pk]))
    report.refresh_from_db()
    assert report.text == "first thoughts, longer"
    assert [one.text for one in report.versions.all()][1] == second.text == "second thoughts"


def test_a_report_begins_with_an_opening_shipped_or_of_one_s_own(as_ada, report):
    begin = reverse("begin-report", args=[report.experiment_id])
    as_ada.post(begin, {"opening": "poster"})
    report.refresh_from_db()
    assert "## Our question" in report.text
    assert report.versions.count() == 2  # what was there before is one
    as_ada.post(reverse("keep-opening", args=[report.experiment_id]), {"name": "Ours"})
    as_ada.post(begin, {"opening": "note"})
    own = Opening.objects.get()
    as_ada.post(begin, {"opening": own.pk})
    report.refresh_from_db()
    assert "## Our question" in report.text
    for one in OPENINGS.values():
        assert page_of(report, one.text).unknown in ([], ["no run uses a calibration"])
    as_ada.post(reverse("keep-opening", args=[report.experiment_id]), {"drop": own.pk})
    assert not Opening.objects.exists()


def test_nobody_else_sees_or_writes_it(client, tern, report):
    client.force_login(tern)
    for name in ("report", "report-now", "report-versions", "pdf", "report-html", "report-odt"):
        assert client.get(reverse(name, args=[report.experiment_id])).status_code == 404
    for name in ("write-report", "freeze-report", "begin-report", "keep-opening"):
        assert client.post(reverse(name, args=[report.experiment_id])).status_code == 404


def test_references_that_last_name_the_copies_in_a_copy_and_in_a_file(report, ada):
    (reference, *_) = Source(report.experiment).references
    flows.begin_anew(report, "Tank", f"It rises by {{{reference.always}}}.", ada)
    file = io.BytesIO()
    package.write(report.experiment, file)
    for again in (duplicate(report.experiment, ada, runs=True), package.read(file, ada)):
        copied = Report.objects.get(experiment=again)
        assert copied.text != report.text
        assert set_page(copied.text, Source(again)).unknown == []


def test_it_leaves_as_one_html_file_and_as_markdown_with_pictures(as_ada, report):
    text = "Rise {A.line.1.slope}\n\n{graph}\n\n{table run 1 | rows 1-2}\n\n`{graph}`"
    flows.begin_anew(report, "Our tank", text, report.experiment.owner)
    page = as_ada.get(reverse("report-html", args=[report.experiment_id]))
    assert 'filename="Our tank.html"' in page["Content-Disposition"]
    html = page.content.decode()
    assert html.count("<svg") >= 1
    assert not re.search(r'(src|href)="(?!#)', html)
    assert "font/woff2;base64" in html
    zipped = as_ada.get(reverse("report-markdown", args=[report.experiment_id]))
    with zipfile.ZipFile(io.BytesIO(zipped.content)) as file:
        words = file.read("report.md").decode()
        assert {"pictures/figure-1.svg", "readings/figure-1.csv"} <= set(file.namelist())
        ElementTree.fromstring(file.read("pictures/figure-1.svg"))
        rows = file.read("readings/figure-1.csv").decode().splitlines()
    assert words.startswith("# Our tank\n\nRise ")
    assert "](pictures/figure-1.svg)" in words
    assert "| t / s | h / mm |" in words
    assert words.endswith("`{graph}`\n")
    assert rows[0] == "run,t / s,h / mm,set aside"
    assert len(rows) == 201


def test_it_leaves_as_a_text_document_that_libreoffice_opens(as_ada, report, tmp_path):
    text = "## What we found\n\nIt rises by **{A.line.1.slope}**, as $x = \\frac{1}{d}$.\n\n"
    text += "{graph}\n\n{table run 1 | t, h | rows 1-3}\n\n- one\n- two\n"
    flows.begin_anew(report, "Our tank", text, report.experiment.owner)
    try:
        answer = as_ada.get(reverse("report-odt", args=[report.experiment_id]))
    finally:
        WORKERS.close()
    file = tmp_path / "tank.odt"
    file.write_bytes(answer.content)
    with zipfile.ZipFile(file) as zipped:
        assert zipped.namelist()[0] == "mimetype"
        ElementTree.fromstring(zipped.read("content.xml"))
    home = f"-env:UserInstallation=file://{tmp_path}/office"
    convert = ["soffice", home, "--headless", "--convert-to", "pdf", "--outdir", tmp_path, file]
    subprocess.run(convert, capture_output=True, timeout=170, check=True)
    printed = subprocess.run(["pdftotext", "-layout", tmp_path / "tank.pdf", "-"],
                             capture_output=True, text=True).stdout  # fmt: skip
    slope = Source(report.experiment).references[0].estimate.text
    for words in ("Our tank", "What we found", f"It rises by {slope} mm/s", "Figure 1.", "Table 1.",
                  "h / mm", "two"):  # fmt: skip
        assert words in printed, words


OUT = ("pdf", "report-html", "report-markdown", "report-odt")


@pytest.mark.parametrize("name", [*OUT, "freeze-report"])
def test_a_report_is_printed_or_frozen_as_a_whole_or_not_at_all(as_ada, report, name, monkeypatch):
    text = "It rises by {A.line.1.slope} as $h/t$."
    flows.begin_anew(report, "Our tank", text, report.experiment.owner)
    flows.printed(report, {"A.line.1.slope": "1.2(3)"})

    def too_busy(work, *given, **how):
        raise WorkerError("This took too long and was given up.")

    monkeypatch.setattr(WORKERS, "do", too_busy)
    marked_up.cache_clear()
    address = reverse(name, args=[report.experiment_id])
    answer = (as_ada.post if name not in OUT else as_ada.get)(address)
    assert answer.status_code == 503
    assert "took too long" in answer.text
    report.refresh_from_db()
    assert (report.frozen, report.printed) == (None, {"A.line.1.slope": "1.2(3)"})
    shown = as_ada.get(reverse("report", args=[report.experiment_id])).text
    assert "took too long and was given up. Your text is kept as it is." in shown


def test_the_pdf_holds_text_numbers_and_figure(as_ada, report, sheet, tmp_path):
    text = "It rises by {A.line.1.slope}.\n\n{graph}"
    flows.begin_anew(report, "Our tank", text, report.experiment.owner)
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
    listed = subprocess.run(["pdfdetach", "-list", file], capture_output=True, text=True).stdout
    assert "figure-1.csv" in listed
    subprocess.run(["pdfdetach", "-saveall", "-o", tmp_path, file], check=True)
    again = package.read(
        io.BytesIO((tmp_path / "experiment.zip").read_bytes()), report.experiment.owner
    )
    assert again.runs.get().label == report.experiment.runs.get().label
    told = subprocess.run(["pdfinfo", file], capture_output=True, text=True).stdout
    assert re.search(r"Tagged:\s+yes", told)
    told = subprocess.run(["pdfinfo", "-meta", file], capture_output=True, text=True).stdout
    assert re.search(r"pdfaid:part\W+3", told)
    assert "The experiment is not attached" not in text
    assert re.search(r"pdfaid:conformance\W+A", told)


def test_a_large_experiment_is_not_attached_and_the_page_says_so(as_ada, report, monkeypatch):
    monkeypatch.setattr(printing, "MOST_ATTACHED", 10)
    made = []
    monkeypatch.setattr(
        WORKERS, "do", lambda work, html, attached, size: made.append((html, attached))
    )
    as_ada.get(reverse("pdf", args=[report.experiment_id]))
    ((html, attached),) = made
    assert "The experiment is not attached" in html
    assert [one.name for one in attached] == ["figure-1.csv"]
