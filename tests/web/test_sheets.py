import json

import numpy as np
import pytest
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.classroom.models import Person
from galena.core.axes import Axis
from galena.desk import history
from galena.desk.annotations import flows
from galena.desk.drawing import figure, paper, window
from galena.desk.errors import DeskError
from galena.desk.ledger import cards
from galena.desk.models import Change, Finding, Graph, Note, Sheet, Trace
from galena.desk.sheets import flows as sheet_flows
from galena.desk.sheets import x_places
from galena.desk.traces import readout
from galena.desk.traces.drawn import shown_runs
from galena.experiments.models import Run
from galena.instruments.protocols.line_v1 import ChannelFacts
from galena.shell.marks import QUANTITY_DASHES, dash_text
from tests import making
from tests.addresses import address
from tests.web.test_desk import window_of

LIGHT = ChannelFacts("E", "illuminance", "E", "lx", 0.0, 5000.0, 0.1, 100.0)
AIR = ChannelFacts("p", "air pressure", "p", "hPa", 900.0, 1100.0, 0.1, 100.0)


@pytest.fixture
def both(experiment):
    """An experiment with a run of a level and one of a pressure."""
    making.run(experiment, making.ramp(), conditions=["40"])
    making.run(experiment, 1000 + making.ramp(slope=1), facts=AIR)
    return experiment


def quantity(experiment, symbol):
    return experiment.quantities.get(symbol=symbol)


def first(experiment):
    return sheet_flows.first_sheet(experiment)


def test_graphs_are_stacked_moved_resized_and_taken_away(as_ada, both):
    as_ada.post(address("add-graph", both.pk), {"y": quantity(both, "p").pk})
    sheet = first(both)
    assert str(sheet) == "h, p over t"
    above, below = sheet.graphs.all()
    as_ada.post(reverse("change-graph", args=[both.pk, below.pk]), {"move": "up"})
    assert str(first(both)) == "p, h over t"
    shares = json.dumps({str(above.pk): 2.5, str(below.pk): 0.5})
    as_ada.post(address("change-sheet", both.pk), {"shares": shares})
    assert {graph.pk: graph.share for graph in first(both).graphs.all()} == {
        above.pk: 2.5,
        below.pk: 0.5,
    }
    too_low = as_ada.post(address("change-sheet", both.pk), {"shares": f'{{"{above.pk}": 0.01}}'})
    assert "needs some height" in too_low.text
    as_ada.post(reverse("change-graph", args=[both.pk, above.pk]), {"remove": "1"})
    assert str(first(both)) == "p over t"
    last = as_ada.post(reverse("change-graph", args=[both.pk, below.pk]), {"remove": "1"})
    assert "only graph of its sheet" in last.text
    gone = as_ada.post(reverse("change-graph", args=[both.pk, above.pk]), {"remove": "1"})
    assert "taken away in the meantime" in gone.text


def test_a_second_sheet_leaves_the_first_and_stands_beside_it(as_ada, both):
    fields = {"x": quantity(both, "h").pk, "y": [quantity(both, "p").pk], "title": "p against h"}
    text = as_ada.post(reverse("add-sheet", args=[both.pk]), fields).text
    one, two = sheet_flows.sheets_of(both)
    assert (str(one), str(two), two.suggested) == ("h over t", "p against h", "p over h")
    assert f'data-front="{two.pk}"' in text
    beside = as_ada.post(reverse("change-sheet", args=[both.pk, one.pk]), {"beside": "yes"}).text
    assert 'data-count="2"' in beside
    page = as_ada.get(reverse("desk", args=[both.pk])).text
    assert page.count('class="stack"') == 2
    as_ada.post(reverse("change-sheet", args=[both.pk, two.pk]), {"remove": "1"})
    assert [str(sheet) for sheet in sheet_flows.sheets_of(both)] == ["h over t"]
    last = as_ada.post(reverse("change-sheet", args=[both.pk, one.pk]), {"remove": "1"})
    assert "only sheet" in last.text
    none = as_ada.post(reverse("add-sheet", args=[both.pk]), {"x": ""})
    assert "Choose at least one quantity" in none.text


def test_two_quantities_stand_on_a_left_and_a_right_axis(as_ada, both):
    graph = first(both).graphs.get()
    h, p = quantity(both, "h"), quantity(both, "p")
    url = reverse("y-axis", args=[both.pk, graph.pk, "left"])
    assert "air pressure" in as_ada.get(url).text
    as_ada.post(url, {f"side-{h.pk}": "left", f"side-{p.pk}": "right", "title": "both"})
    graph = first(both).graphs.get()
    assert [(trace.quantity.symbol, trace.side) for trace in graph.traces.all()] == [
        ("h", "left"),
        ("p", "right"),
    ]
    assert graph.title == "both"
    head, _ = window_of(as_ada, both)
    assert head["graphs"][0]["right"][0] > 990
    assert head["graphs"][0]["left"][1] < 60
    nothing = as_ada.post(url, {"title": ""})
    assert nothing.status_code == 422
    assert "A graph shows at least one quantity" in nothing.text


@pytest.mark.parametrize(
    ("fields", "words"),
    [
        ({"lo": "5", "hi": "2"}, "first end is the smaller"),
        ({"lo": "abc", "hi": "2"}, "“abc” is not a number"),
        ({"lo": "3"}, "Give both ends"),
        ({"lo": "-1", "hi": "2", "log": "on"}, "begins above zero"),
    ],
)
def test_limits_that_cannot_be_stay_typed_with_the_reason(as_ada, both, fields, words):
    answer = as_ada.post(address("x-axis", both.pk), fields)
    assert answer.status_code == 422
    assert words in answer.text
    assert f'value="{fields["lo"]}"' in answer.text
    assert first(both).x_view == Axis()


def test_typed_limits_and_those_of_a_hand_are_remembered(as_ada, both):
    as_ada.post(address("x-axis", both.pk), {"lo": "2,5", "hi": "7.5"})
    assert first(both).x_view.limits == (2.5, 7.5)
    graph = first(both).graphs.get()
    view = {"x": [1, 3], "graphs": {str(graph.pk): {"left": [0, 99], "right": None}}}
    kept = as_ada.post(address("keep-view", both.pk), {"view": json.dumps(view)})
    assert "limits of h over t" in kept.text
    sheet = first(both)
    assert sheet.x_view.limits == (1, 3)
    assert sheet.graphs.get().view("left").limits == (0, 99)
    only_y = {"graphs": {str(graph.pk): {"left": [5, 6]}}}
    as_ada.post(address("keep-view", both.pk), {"view": json.dumps(only_y)})
    assert first(both).x_view.limits == (1, 3)  # what was not moved is not touched
    assert first(both).graphs.get().view("left").limits == (5, 6)
    for wrong in ("", "[]", '{"x": [3, 1], "graphs": {}}', '{"x": ["a", "b"], "graphs": {}}'):
        assert as_ada.post(address("keep-view", both.pk), {"view": wrong}).status_code == 422


def test_a_logarithmic_axis_says_how_many_readings_it_cannot_show(as_ada, experiment):
    making.run(experiment, [-1.0, 0.0, 0.1, 1.0, 10.0, 1000.0])
    graph = first(experiment).graphs.get()
    sheet_flows.set_axis(graph, "left", Axis(log=True))
    head, ((_, ys),) = window_of(as_ada, experiment)
    assert head["traces"][0]["unseen"] == 2
    assert np.isnan(ys[:2]).all()
    assert ys[2:] == pytest.approx([-1, 0, 1, 3], abs=1e-6)  # decadic logarithms
    lo, hi = head["graphs"][0]["left"]
    assert 0 < lo < 0.1
    assert hi > 1000
    sheet_flows.set_axis(first(experiment), "x", Axis(log=True))
    head, ((xs, _),) = window_of(as_ada, experiment)
    assert head["lo"] > 0
    assert np.nanmax(xs) == pytest.approx(np.log10(0.5))


@pytest.mark.many
@pytest.mark.parametrize(
    "y",
    [
        [],
        [3.0],
        [5.0] * 20,
        [float("nan")] * 5,
        [1.0, float("nan"), 3.0],
        [-1e300, 1e300],
        [1e-300, -1e-300, 0.0],
        [1e300] * 3,
        [float("inf"), -float("inf"), 2.0],
    ],
)
@pytest.mark.parametrize("log", [False, True])
def test_any_readings_give_a_graph_with_limits(as_ada, experiment, y, log):
    making.run(experiment, y)
    graph = first(experiment).graphs.get()
    sheet_flows.set_axis(graph, "left", Axis(log=log))
    head, traces = window_of(as_ada, experiment)
    lo, hi = head["graphs"][0]["left"]
    assert np.isfinite([lo, hi]).all()
    assert lo < hi
    for _, ys in traces:
        known = [value for value in y if np.isfinite(value) and (value > 0 or not log)]
        assert np.isfinite(ys).sum() == len(known)
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200


@pytest.mark.many
def test_five_hundred_runs_are_one_window(as_ada, experiment, django_assert_max_num_queries):
    for seed in range(500):
        making.run(experiment, making.ramp(5, seed=seed))
    sheet = first(experiment)
    with django_assert_max_num_queries(12):
        window.encode(sheet, None, None, 800)
    head, traces = window_of(as_ada, experiment)
    assert len(traces) == len(head["runs"]) == 500
    assert as_ada.get(reverse("desk", args=[experiment.pk])).status_code == 200


def test_a_measured_quantity_may_stand_on_x(both):
    making.run(both, making.ramp(60, slope=-2))
    run = both.runs.get(number=1)
    sheet = sheet_flows.add_sheet(both, quantity(both, "h"), [quantity(both, "h")])
    (found, _) = shown_runs(Sheet.objects.get(pk=sheet.pk))
    assert found.run == run
    assert (np.diff(found.readings.t) >= 0).all()
    assert found.readings.t == pytest.approx(np.sort(making.ramp()))
    assert found.readings.y == pytest.approx(found.readings.t)
    at = readout.at(sheet, 20.0)
    assert at["x"] == pytest.approx(20.0, abs=0.3)
    assert at["rows"][0]["row"] == int(np.argmin(abs(making.ramp() - at["x"])))


def test_the_cursor_reads_every_graph_and_stands_between_readings(both):
    sheet_flows.add_graph(first(both), quantity(both, "p"))
    found = readout.at(first(both), 5.02)
    assert [(row["symbol"], row["number"]) for row in found["rows"]] == [("h", 1), ("p", 2)]
    free = readout.at(first(both), 5.04, free=True)
    assert (free["x"], free["text"]) == (5.04, "5.04")
    y = making.ramp()
    expected = y[50] + 0.4 * (y[51] - y[50])
    assert free["rows"][0]["y"] == pytest.approx(expected, abs=0.051)  # and its calibrated step
    assert x_places.hours(7510.26, 1) == "2:05:10.3"
    assert x_places.hours(-59.99, 1) == "\u22120:01:00.0"


def test_a_note_is_tied_to_the_data_and_typeset(as_ada, both):
    graph = first(both).graphs.get()
    url = reverse("add-note", args=[both.pk, graph.pk])
    text = as_ada.post(url, {"x": "5", "y": "15", "text": "v_0 is 2 m s^-1 <b>"}).text
    assert "<sub>0</sub>" in text
    assert "<sup>\u22121</sup>" in text
    assert "&lt;b&gt;" in text
    note = Note.objects.get()
    change = reverse("change-note", args=[both.pk, note.pk])
    as_ada.post(change, {"dx": "-4", "dy": "1.5"})
    as_ada.post(change, {"text": "another word"})
    note.refresh_from_db()
    assert (note.x, note.y, note.dx, note.dy, note.text) == (5, 15, -4, 1.5, "another word")
    assert "The note is empty" in as_ada.post(change, {"text": "  "}).text
    assert "Keep the note to 300" in as_ada.post(change, {"text": "x" * 301}).text
    as_ada.post(change, {"remove": "1"})
    assert not Note.objects.exists()
    assert "taken away in the meantime" in as_ada.post(change, {"text": "late"}).text


def test_everything_is_undone_and_done_again(as_ada, ada, both):
    sheet = first(both)
    acts = [
        ("add-span", {"lo": "2", "hi": "8"}),
        ("add-marker", {"x": "5"}),
        ("add-graph", {"y": quantity(both, "p").pk}),
        ("change-sheet", {"lines": "off", "size": "1.5", "plain": "on"}),
        ("x-axis", {"lo": "1", "hi": "9"}),
    ]
    states = [_state(both)]
    for name, fields in acts:
        as_ada.post(address(name, both.pk), fields)
        states.append(_state(both))
    span = sheet.spans.get()
    as_ada.post(reverse("ask", args=[both.pk, span.pk]), {"kind": "mean"})
    as_ada.post(reverse("change-span", args=[both.pk, span.pk]), {"remove": "1"})
    assert not Finding.objects.exists()
    assert len({json.dumps(state) for state in states}) == len(states)
    undo, redo = reverse("undo", args=[both.pk]), reverse("redo", args=[both.pk])
    as_ada.post(undo)  # the span is back with what was asked of it
    assert cards.rows(sheet)[0].finding.span_id == span.pk
    as_ada.post(undo)
    for state in reversed(states[:-1]):
        as_ada.post(undo)
        assert _state(both) == state
    assert "nothing of yours to undo" in as_ada.post(undo).text
    for state in states[1:]:
        as_ada.post(redo)
        assert _state(both) == state
    as_ada.post(address("add-marker", both.pk), {"x": "1"})
    assert "nothing of yours to do again" in as_ada.post(redo).text


def test_other_windows_are_told_whether_more_than_a_ledger_has_changed(
    as_ada, both, monkeypatch, django_capture_on_commit_callbacks
):
    told = []
    monkeypatch.setattr(BENCH.hub, "tell", lambda topic, event, message: told.append(message))
    sheet = first(both)
    beside = sheet_flows.add_sheet(both, None, [quantity(both, "p")])
    span = flows.add_span(sheet, 2, 8)
    acts = [
        ("add-marker", [both.pk, beside.pk], {"x": "5"}, beside.pk),
        ("change-span", [both.pk, span.pk], {"lo": "1", "hi": "7"}, sheet.pk),
        ("ask", [both.pk, span.pk], {"kind": "line"}, sheet.pk),
        ("undo", [both.pk], {}, sheet.pk),
        ("x-axis", [both.pk, sheet.pk], {"lo": "1", "hi": "9"}, None),
        ("undo", [both.pk], {}, None),
    ]
    with django_capture_on_commit_callbacks(execute=True):
        for name, keys, fields, _ in acts:
            as_ada.post(reverse(name, args=keys), fields)
    assert [message["ledger"] for message in told] == [act[-1] for act in acts]


def _state(experiment):
    rows = [
        *Sheet.objects.filter(experiment=experiment).values("x_axis", "look", "title"),
        *Graph.objects.filter(sheet__experiment=experiment).values("id", "axes", "share"),
        *Trace.objects.filter(graph__sheet__experiment=experiment).values("id", "quantity"),
        *first(experiment).spans.values("id", "letter", "lo", "hi"),
        *first(experiment).markers.values("id", "number", "x"),
    ]
    return [dict(row) for row in rows]


def test_each_person_undoes_their_own_and_not_what_another_built_on(both, ada):
    tern = Person.objects.create_user("tern", first_name="Tern")
    sheet = first(both)
    with history.changing(both, ada, "new span"):
        span = flows.add_span(sheet, 1, 5)
    with history.changing(both, tern, "new marker"):
        flows.add_marker(sheet, 3)
    assert history.undo(both, ada) == "new span"
    assert (sheet.spans.count(), sheet.markers.count()) == (0, 1)
    history.redo(both, ada)
    span = sheet.spans.get(pk=span.pk)
    with history.changing(both, tern, "move span A"):
        flows.move_span(span, 2, 6)
    with pytest.raises(history.HistoryError, match="somebody has changed the same thing"):
        history.undo(both, ada)
    assert sheet.spans.get().lo == 2
    with pytest.raises(DeskError), history.changing(both, ada, "empty span"):
        flows.add_span(sheet, 5, 5)
    assert not Change.objects.filter(label="empty span").exists()


def test_a_wheel_that_is_turned_on_is_one_act(as_ada, ada, both):
    graph = first(both).graphs.get()
    for hi in (50, 40, 30):
        view = {"x": [0, hi], "graphs": {str(graph.pk): {"left": [0, hi]}}}
        as_ada.post(address("keep-view", both.pk), {"view": json.dumps(view)})
    assert Change.objects.count() == 1
    history.undo(both, ada)
    assert first(both).x_view.limits is None


def test_a_span_and_a_marker_come_to_rest_on_readings_and_take_names(as_ada, both):
    as_ada.post(address("add-span", both.pk), {"lo": "2.04", "hi": "8.07", "snap": "1"})
    span = first(both).spans.get()
    assert (span.lo, span.hi) == pytest.approx((2.0, 8.1))
    text = as_ada.post(reverse("change-span", args=[both.pk, span.pk]), {"name": "rise"}).text
    assert "rise" in text
    assert " 62 readings inside" in text  # from 2.0 to 8.1, both ends counted
    url = reverse("change-span", args=[both.pk, span.pk])
    assert "2.04" in as_ada.post(url, {"lo": "2.04", "hi": "8.07"}).text
    assert "Keep the name to 40" in as_ada.post(url, {"name": "x" * 41}).text


def test_another_mark_of_a_run_is_used_everywhere(as_ada, both):
    as_ada.post(reverse("describe-run", args=[both.pk, 1]), {"mark": "4", "name": "", "note": ""})
    assert Run.objects.get(experiment=both, number=1).mark.shape == "diamond"
    head, _ = window_of(as_ada, both)
    assert head["runs"][0]["marked"] == 4
    for name in ("desk", "record", "report"):
        assert 'aria-label="diamond"' in as_ada.get(reverse(name, args=[both.pk])).text
    as_ada.post(reverse("describe-run", args=[both.pk, 1]), {"mark": "99"})
    assert Run.objects.get(experiment=both, number=1).marked == 4


def test_three_quantities_have_an_axis_each_on_screen_and_on_paper(as_ada, both):
    run = making.run(both, making.ramp(60, slope=0.5), facts=LIGHT)
    h, p, light = (quantity(both, one) for one in ("h", "p", "E"))
    graph = first(both).graphs.get()
    url = reverse("y-axis", args=[both.pk, graph.pk, "third"])
    assert "beside the right" in as_ada.get(url).text
    sides = {h.pk: "left", p.pk: "right", light.pk: "third"}
    typed = {f"side-{pk}": side for pk, side in sides.items()} | {"lo": "-5", "hi": "50"}
    page = as_ada.post(url, typed)
    assert 'class="axis-label upright third"' in page.text
    graph.refresh_from_db()
    assert graph.view("third").limits == (-5, 50) and graph.view("right").limits is None
    head = as_ada.get(address("desk-data", both.pk)).content
    assert b'"third": [' in head and b'"side": "third"' in head
    drawing = figure.of_sheet(first(both))
    assert [one.labels[0][0] for one in drawing.uprights.values()] == ["h", "p", "E"]
    assert [(one.side, one.filling) for one in drawing.traces] == [
        ("left", 0), ("right", 1), ("third", 2)
    ]  # fmt: skip
    drawn = paper.draw(drawing)
    hollow = f'd="{drawing.traces[1].mark.path}" fill="{paper.WHITE}"'
    assert drawn.count(hollow) == paper.MARKS_A_LINE and "M-1.2 -7H1.2V7H-1.2Z" in drawn
    assert f'stroke-dasharray="{dash_text(QUANTITY_DASHES[1])}"' in drawn
    report = as_ada.get(reverse("report", args=[both.pk]))
    assert "(hollow marks, right axis)" in report.text and f"run {run.number}" in report.text


def test_one_quantity_alone_keeps_the_marks_and_dashes_of_its_runs(both):
    drawing = figure.of_sheet(first(both))
    assert [one.filling for one in drawing.traces] == [None]
    assert list(drawing.uprights) == ["left"] and figure.told_apart(first(both))[0][1] == ""


def test_a_page_that_still_asks_for_a_removed_sheet_gets_nothing_and_no_fault(
    as_ada, experiment, client, tern
):
    gone = sheet_flows.first_sheet(experiment).pk + 1  # as after an undo
    urls = [
        reverse(name, args=[experiment.pk, gone]) for name in ("desk-data", "desk-at", "ledger")
    ]
    for url in urls:
        answer = as_ada.get(url, {"x": "1"})
        assert (answer.status_code, answer.content) == (204, b"")
    client.force_login(tern)
    for url in urls:
        assert client.get(url).status_code == 404
