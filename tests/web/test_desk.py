import json
import struct
import xml.etree.ElementTree as ET

import numpy as np
import pytest
from django.urls import reverse
from scipy.signal import lfilter

from galena.core.fits import fit
from galena.core.statistics import effective_count
from galena.desk.annotations import flows
from galena.desk.drawing import figure, paper, window
from galena.desk.findings import flows as finding_flows
from galena.desk.ledger import cards
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import shown_runs
from galena.experiments.flows import remove
from galena.experiments.models import SeriesChunk
from galena.instruments.protocols.line_v1 import ChannelFacts
from tests import making
from tests.addresses import address

AIR = ChannelFacts("p", "air pressure", "p", "hPa", 900.0, 1100.0, 0.1, 100.0)


@pytest.fixture
def run(experiment):
    return making.run(experiment, making.ramp(), conditions=["40", "closed"])


@pytest.fixture
def sheet(run):
    return sheet_flows.first_sheet(run.experiment)


def post(client, name, *args, **fields):
    return client.post(address(name, *args), fields)


def unpack(packed):
    """Give the head of a window, and for each trace its arrays in units of the readings."""
    size = struct.unpack("<I", packed[:4])[0]
    head, place, traces = json.loads(packed[4 : 4 + size]), 4 + size, []

    def row(count):
        nonlocal place
        place += 4 * count
        return np.frombuffer(packed, "<f4", count, place - 4 * count).astype(float)

    for trace in head["traces"]:
        n = trace["n"]
        if trace["kind"] == "columns":
            lows, highs = (row(n) * trace["ys"] + trace["y0"] for _ in range(2))
            traces.append((lows, highs))
            if "apart" in trace:
                row(2 * trace["apart"]["n"])
            continue
        x, y = row(n) * trace["xs"] + trace["x0"], row(n) * trace["ys"] + trace["y0"]
        traces.append((x, y, *(row(n) for name in ("u_y", "u_x") if name in trace)))
    assert place == len(packed)
    return head, traces


def window_of(client, experiment, **query):
    return unpack(client.get(address("desk-data", experiment.pk), query).content)


def test_a_span_is_marked_off_asked_moved_and_taken_away(as_ada, experiment, sheet):
    at = experiment.pk
    assert "Span A" in post(as_ada, "add-span", at, lo="5", hi="15").text
    span = sheet.spans.get()
    asked = post(as_ada, "ask", at, span.pk, kind="line").text
    assert "h = slope · t + intercept" in asked
    (row,) = cards.rows(sheet)
    slope, intercept = row.answer.estimates
    assert slope.value == pytest.approx(2.0, abs=4 * slope.uncertainty)
    assert (slope.unit_text, intercept.unit_text) == ("mm/s", "mm")
    assert slope.text in asked
    moved = post(as_ada, "change-span", at, span.pk, lo="5", hi="10").text
    (after,) = cards.rows(sheet)
    assert after.answer.estimates[0].uncertainty > slope.uncertainty
    assert after.answer.estimates[0].text in moved
    assert "Span A" not in post(as_ada, "change-span", at, span.pk, remove="1").text
    assert "Span B" in post(as_ada, "add-span", at, lo="1", hi="2").text


def test_a_question_is_asked_of_every_shown_run_and_kept_once(as_ada, experiment, sheet):
    making.run(experiment, making.ramp(slope=3.5))
    hidden = making.run(experiment, making.ramp(slope=9))
    hidden.shown = False
    hidden.save()
    span = flows.add_span(sheet, 2, 12)
    for _ in range(2):
        post(as_ada, "ask", experiment.pk, span.pk, kind="mean")
    assert [row.finding.run.number for row in cards.rows(sheet)] == [1, 2]
    finding = cards.rows(sheet)[0].finding
    post(as_ada, "drop-finding", experiment.pk, finding.pk)
    assert [row.finding.run.number for row in cards.rows(sheet)] == [2]
    again = post(as_ada, "drop-finding", experiment.pk, finding.pk)
    assert "taken away in the meantime" in again.text


def test_the_mean_has_its_standard_error(sheet, experiment):
    still = making.run(experiment, making.ramp(slope=0.0))
    span = flows.add_span(sheet, 0, 9.95)
    finding_flows.ask(span, "mean", sheet.quantity, [still])
    (estimate,) = cards.rows(sheet)[0].answer.estimates
    part = making.ramp(slope=0.0)[:100]
    assert estimate.value == pytest.approx(part.mean())
    assert estimate.uncertainty == pytest.approx(part.std(ddof=1) / 10)
    assert cards.rows(sheet)[0].answer.remark.startswith("100 readings, standard deviation")


def test_readings_that_follow_each_other_count_as_fewer(sheet, experiment):
    gusts = lfilter([1.0], [1.0, -0.9], np.random.default_rng(4).normal(0, 1, 700))[300:]
    windy = making.run(experiment, 50 + gusts)
    span = flows.add_span(sheet, 0, 39.95)
    for kind in ("mean", "spread", "line"):
        finding_flows.ask(span, kind, sheet.quantity, [windy])
    answers = {row.finding.kind: row.answer for row in cards.rows(sheet)}
    mean, spread, line = (answers[kind] for kind in ("mean", "spread", "line"))
    count = effective_count(gusts)
    assert count < 60
    said = f"readings follow each other: 400 count as {round(count)}"
    assert said in mean.remark and said in spread.remark
    assert mean.estimates[0].uncertainty == pytest.approx(gusts.std(ddof=1) / np.sqrt(count))
    assert "readings follow each other: 400 count as " in line.remark
    plain = fit("line", np.arange(400) / 10, 50 + gusts)
    slope = next(one for one in line.estimates if one.key == "slope")
    assert slope.value == pytest.approx(plain.params["slope"])
    assert slope.uncertainty > 2 * plain.uncertainties["slope"]


def test_a_finding_of_a_removed_run_is_gone_from_the_ledger(sheet, run):
    finding_flows.ask(flows.add_span(sheet, 2, 12), "line", sheet.quantity, [run])
    remove(run)
    assert cards.rows(sheet) == []


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"lo": "5", "hi": "5"}, "This span is empty: its ends lie at the same place"),
        ({"lo": "9", "hi": "5"}, "This span is empty"),
        ({"lo": "abc", "hi": "5"}, "The place (lo): “abc” is not a number"),
        ({"lo": "5"}, "The place (hi): it is empty"),
        ({"lo": "nan", "hi": "5"}, "“nan” is not a number"),
    ],
)
def test_a_span_that_cannot_be_is_explained(as_ada, experiment, sheet, fields, words):
    assert words in post(as_ada, "add-span", experiment.pk, **fields).text
    assert sheet.spans.count() == 0


def test_a_span_without_readings_and_one_with_one_say_so(as_ada, experiment, sheet, run):
    empty, one = flows.add_span(sheet, 500, 600), flows.add_span(sheet, 4.96, 5.04)
    text = post(as_ada, "ask", experiment.pk, empty.pk, kind="mean").text
    assert "No reading of the shown runs lies in this span. Move it, or make it wider." in text
    assert "A mean needs at least one reading; here there is none." in text
    text = post(as_ada, "ask", experiment.pk, one.pk, kind="line").text
    assert "A fit (line) needs at least 3 readings; here there is only one." in text
    text = post(as_ada, "ask", experiment.pk, one.pk, kind="mean").text
    assert "one reading" in text


def test_what_cannot_be_asked_is_told(as_ada, experiment, sheet, run):
    span = flows.add_span(sheet, 2, 5)
    assert (
        "There is no question “magic”"
        in post(as_ada, "ask", experiment.pk, span.pk, kind="magic").text
    )
    run.shown = False
    run.save()
    answer = post(as_ada, "ask", experiment.pk, span.pk, kind="mean")
    assert "No run is shown, so there is nothing to ask" in answer.text
    assert "taken away in the meantime" in post(as_ada, "ask", experiment.pk, 999, kind="mean").text
    gone = post(as_ada, "change-span", experiment.pk, 999, lo="1", hi="2")
    assert "taken away in the meantime" in gone.text


def test_a_marker_reads_all_shown_runs(as_ada, experiment, sheet):
    making.run(experiment, making.ramp(100, slope=3))
    text = post(as_ada, "add-marker", experiment.pk, x="5.0").text
    assert f"{making.ramp()[50]:.1f}" in text
    assert f"{making.ramp(100, slope=3)[50]:.1f}" in text
    marker = sheet.markers.get()
    text = post(as_ada, "change-marker", experiment.pk, marker.pk, x="15.0").text
    assert text.count('class="value"') == 1  # the second run ended at 10 s
    assert (
        "Marker 1" not in post(as_ada, "change-marker", experiment.pk, marker.pk, remove="1").text
    )
    assert "Marker 2" in post(as_ada, "add-marker", experiment.pk, x="1").text
    assert "taken away" in post(as_ada, "change-marker", experiment.pk, marker.pk, x="1").text


def test_a_window_holds_what_can_be_seen(as_ada, experiment):
    y = making.ramp(50_000, rate=1000.0)
    making.run(experiment, y, rate=1000.0, chunk=250)
    answer = as_ada.get(address("desk-data", experiment.pk), {"columns": "500"})
    head, ((lows, highs),) = unpack(answer.content)
    assert head["traces"][0]["inside"] == y.size
    assert len(answer.content) < 6_000
    assert (np.nanmin(lows), np.nanmax(highs)) == pytest.approx((y.min(), y.max()), abs=1e-4)
    head, ((xs, ys),) = window_of(as_ada, experiment, lo="10", hi="10.1", columns="500")
    assert xs == pytest.approx(np.arange(9_999, 10_102) / 1000, abs=1e-5)
    assert ys == pytest.approx(y[9_999:10_102], abs=1e-4)
    wrong = as_ada.get(address("desk-data", experiment.pk), {"lo": "x"})
    assert wrong.status_code == 422


def test_each_column_of_very_many_readings_has_their_extremes(as_ada, experiment):
    y = making.ramp(40_000, rate=1000.0)
    y[5_000:5_300] = np.nan
    making.run(experiment, y, rate=1000.0, chunk=4000)
    head, ((lows, highs),) = window_of(as_ada, experiment, lo="1.5", hi="31.5", columns="20")
    parts = y[1500:31_500].reshape(20, -1)
    assert lows[:-1] == pytest.approx(np.nanmin(parts, axis=1)[:-1], abs=1e-4)
    assert highs[:-1] == pytest.approx(np.nanmax(parts, axis=1)[:-1], abs=1e-4)
    assert head["traces"][0]["gaps"] == 300


def test_the_margins_keep_every_reading_off_the_edge(sheet):
    limits = window.limits(shown_runs(sheet), sheet)
    y = making.ramp()
    assert limits["x"][0] < 0 < 19.9 < limits["x"][1]
    assert limits["y"][0] < y.min() < y.max() < limits["y"][1]


def test_the_cursor_snaps_to_readings_and_steps(as_ada, experiment, run):
    url = address("desk-at", experiment.pk)
    found = as_ada.get(url, {"x": "5.04"}).json()
    assert (found["text"], found["x"]) == ("5.0", 5.0)
    assert found["rows"][0]["text"] == f"{making.ramp()[50]:.1f}"
    assert as_ada.get(url, {"x": "5.0", "step": "3"}).json()["x"] == pytest.approx(5.3)
    assert as_ada.get(url, {"x": "999", "step": "1"}).json()["x"] == pytest.approx(19.9)
    assert as_ada.get(url, {"x": "abc"}).status_code == 422
    remove(run)
    assert "No run is shown" in as_ada.get(url, {"x": "5"}).json()["trouble"]


@pytest.mark.parametrize(
    ("lo", "hi"), [("-inf", "inf"), ("nan", "3"), ("5", "5"), ("9", "2"), ("1e400", "2")]
)
def test_a_window_that_cannot_be_shows_all(as_ada, experiment, run, lo, hi):
    head, ((xs, _),) = window_of(as_ada, experiment, lo=lo, hi=hi)
    assert [head["lo"], head["hi"]] == head["x"]
    assert xs.size == 200


def test_the_table_gives_its_rows_a_part_at_a_time(as_ada, experiment, run):
    making.run(experiment, making.ramp(450))
    assert "450 rows" in as_ada.get(reverse("readings", args=[experiment.pk, 2])).text
    url = reverse("rows", args=[experiment.pk, 2])
    found = as_ada.get(url, {"first": "400", "count": "100"}).json()
    assert (found["count"], len(found["rows"])) == (450, 50)
    assert found["rows"][0] == ["40.0", f"{making.ramp(450)[400]:.1f}"]
    assert as_ada.get(url, {"first": "9999"}).json()["rows"] == []
    assert as_ada.get(url, {"first": "abc"}).status_code == 422
    assert as_ada.get(reverse("rows", args=[experiment.pk, 9])).status_code == 404


def test_damaged_readings_are_told_and_the_page_still_comes(as_ada, experiment, run):
    SeriesChunk.objects.filter(first_index=100).update(crc32=1)
    answer = as_ada.get(address("desk-data", experiment.pk))
    assert answer.status_code == 409
    assert "Readings 101 to 200 are damaged on the disk" in answer.text
    page = as_ada.get(reverse("desk", args=[experiment.pk]))
    assert page.status_code == 200
    assert "Run 1: Readings 101 to 200 are damaged on the disk" in page.text
    for name, further, status in [("readings", [], 200), ("run-file", ["csv"], 409)]:
        answer = as_ada.get(reverse(name, args=[experiment.pk, 1, *further]))
        assert (answer.status_code, "are damaged" in answer.text) == (status, True)
    assert as_ada.get(reverse("picture", args=[experiment.pk])).status_code == 409
    report = as_ada.get(reverse("report", args=[experiment.pk]))
    assert "are damaged" in report.text
    making.run(experiment, making.ramp())
    as_ada.post(reverse("show-run", args=[experiment.pk, 1]))
    assert as_ada.get(address("desk-data", experiment.pk)).status_code == 200


def test_a_figure_shows_every_run_with_its_mark_and_its_fits(sheet, run):
    making.run(run.experiment, making.ramp(60, slope=3.5))
    span = flows.add_span(sheet, 1, 5)
    finding_flows.ask(span, "line", sheet.quantity, list(run.experiment.runs.all()))
    drawn = paper.draw(figure.of_sheet(sheet))
    root = ET.fromstring(drawn)
    texts = [text for text in root.itertext() if text.strip()]
    assert {"A", "t", " / s", "h", " / mm"} <= set(texts)
    paths = [path.get("d") for path in root.iter("{http://www.w3.org/2000/svg}path")]
    marks = [trace.mark.path for trace in figure.of_sheet(sheet).traces]
    assert paths.count(marks[0]) == paper.MARKS_A_LINE
    assert paths.count(marks[1]) == 60
    assert len(list(root.iter("{http://www.w3.org/2000/svg}polyline"))) == 1


def test_a_figure_of_nothing_is_still_a_figure(experiment):
    root = ET.fromstring(
        paper.draw(figure.of_sheet(sheet_flows.first_sheet(experiment), bare=True))
    )
    assert root.tag.endswith("svg")


def test_spans_are_lettered_on_beyond_the_alphabet(sheet):
    sheet.spans_made = 25
    sheet.save()
    letters = [flows.add_span(sheet, 1, 2).letter for _ in range(3)]
    assert letters == ["Z", "AA", "AB"]
