"""Stepwise runs: each reading the mean of what was sampled, none ever thrown away."""

import numpy as np
import pytest
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.core.formats.heads import head
from galena.core.plans import StepwisePlan
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import beside_flows
from galena.experiments import flows as experiment_flows
from galena.experiments.columns import over
from galena.experiments.data.readings import raw_of
from galena.experiments.errors import CannotType
from galena.experiments.models import Entry, Run, Step
from galena.experiments.runs.stepwise import tables
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from galena.recording.errors import AlreadyRecording, NothingToRecord
from galena.recording.stepwise import stepper
from tests import making, recording_now
from tests.addresses import address
from tests.waiting import until


def gauge():
    return next(one for one in BENCH.live_channels() if one.symbol == "h")


@pytest.fixture
def depth(experiment):
    return experiment_flows.add_entered(experiment, "depth", "d", "m", "3")


def take(experiment, quantity, text, average=0.05):
    wish = Wish(experiment, [gauge().pk], {}, "", experiment.owner)
    return stepper.take(RECORDER, wish, StepwisePlan(average), [quantity], {quantity.pk: text})


def table_of(experiment):
    run = experiment.runs.get()
    return tables([run])[run.pk]


def test_a_reading_is_the_mean_of_what_was_sampled_after_it_was_asked_for(room, experiment, depth):
    take(experiment, depth, "0.2")
    take(experiment, depth, "0,25")
    table = table_of(experiment)
    (level,) = table.measured
    run = experiment.runs.get()
    series = run.streams.get().series.get(quantity=level)
    raw = raw_of([series])[series.pk]
    assert raw.size == 100  # 0.05 s at the gauge's highest rate, twice
    column = table.readings(level)
    assert column.y.tolist() == pytest.approx([raw[:50].mean(), raw[50:].mean()])
    assert column.u[0] == pytest.approx(raw[:50].std(ddof=1) / np.sqrt(50))
    assert table.readings(depth).y.tolist() == [0.2, 0.25]
    assert [row.entries[depth.pk].text for row in table.rows] == ["0.200", "0.250"]
    RECORDER.stop(experiment.pk, "Ada")
    run.refresh_from_db()
    assert (run.state, run.plan, run.rate) == (Run.State.FINISHED, "stepwise", None)
    assert BENCH.feed_of(gauge().pk)[0].link.stream.rate == 20


def test_taken_again_it_stands_in_its_place_and_the_old_one_is_kept(room, experiment, depth):
    for text in ("0.1", "0.2", "0.3"):
        take(experiment, depth, text)
    run = experiment.runs.get()
    before = table_of(experiment).rows[1].taken.step
    stepper.take_again(RECORDER, run, 2, experiment.owner)
    row = table_of(experiment).rows[1]
    assert row.taken.step != before
    assert [one.step for one in row.earlier] == [before]
    assert row.entries[depth.pk].text == "0.200"
    assert len(table_of(experiment).rows) == 3
    with pytest.raises(NothingToRecord, match="Row 9 is not there any more"):
        stepper.take_again(RECORDER, run, 9, experiment.owner)
    RECORDER.stop(experiment.pk, "Ada")
    with pytest.raises(NothingToRecord, match="Run 1 is not being recorded. Go on with it first"):
        stepper.take_again(RECORDER, run, 2, experiment.owner)


def test_a_run_is_gone_on_with_on_another_day(room, experiment, depth):
    take(experiment, depth, "0.1")
    RECORDER.stop(experiment.pk, "Ada")
    run = experiment.runs.get()
    stepper.go_on(RECORDER, run, experiment.owner)
    take(experiment, depth, "0.2")
    RECORDER.close()  # the server is shut down
    run.refresh_from_db()
    assert "the run can be continued" in run.ending
    RECORDER.open()
    run.refresh_from_db()
    assert run.state == Run.State.FINISHED
    table = table_of(experiment)
    assert [row.number for row in table.rows] == [1, 2]
    assert run.streams.count() == 2
    assert np.isfinite(table.readings(table.measured[0]).y).all()
    timed = making.run(experiment, making.ramp(50))
    with pytest.raises(NothingToRecord, match="Run 2 was not taken step by step"):
        stepper.go_on(RECORDER, timed, experiment.owner)


def test_what_cannot_be_taken_keeps_nothing(room, experiment, depth):
    for text, words in (("", "depth: it is empty"), ("near", "depth: “near” is not a number")):
        with pytest.raises(CannotType, match=words):
            take(experiment, depth, text)
    with pytest.raises(CannotType, match="add a typed setting"):
        stepper.take(
            RECORDER,
            Wish(experiment, [gauge().pk], {}, "", experiment.owner),
            StepwisePlan(1),
            [],
            {},
        )
    assert Run.objects.count() == 0
    assert recording_now.stepping() is None
    take(experiment, depth, "0.1")
    stepping = recording_now.stepping()
    with stepping.busy, pytest.raises(AlreadyRecording, match="A reading is being taken just now"):
        take(experiment, depth, "0.2")
    room.rig.stop()
    until(lambda: not BENCH.live_channels(), "the loss to be noticed")
    with pytest.raises(NothingToRecord, match="No reading was taken: water level gave too few"):
        stepper._take(stepping, experiment.owner, {}, None)
    assert len(table_of(experiment).rows) == 1


def test_the_page_takes_corrects_and_suggests(room, as_ada, experiment, depth):
    typed = {
        "plan": "stepwise", "kind-shown": "stepwise", "average": "0.05", "typed": str(depth.pk),
        "channel": str(gauge().pk), "note": "calm",
    }  # fmt: skip
    url = reverse("take-step", args=[experiment.pk])
    name = f"setting-{depth.pk}"
    wrong = as_ada.post(url, typed | {name: "near"})
    assert wrong.status_code == 422
    assert 'value="near"' in wrong.text
    assert "depth: “near” is not a number" in wrong.text
    as_ada.post(url, typed | {name: "0.1"})
    second = as_ada.post(url, {name: "0.2"})  # the run knows the rest
    assert f'name="{name}" value="0.300"' in second.text
    third = as_ada.post(url, {name: "0.2"})
    assert "0.200 was set already, in row 2; both readings are kept." in third.text
    cell = reverse("correct", args=[experiment.pk, 1, 3, depth.pk])
    assert "Row 3 was corrected." in as_ada.post(cell, {"value": "0.3"}).text
    assert "was 0.200" in as_ada.get(reverse("steps", args=[experiment.pk])).text
    assert "is not a number" in as_ada.post(cell, {"value": "x"}).text
    assert (
        "Row 9 has no depth"
        in as_ada.post(
            reverse("correct", args=[experiment.pk, 1, 9, depth.pk]), {"value": "1"}
        ).text
    )
    again = as_ada.post(reverse("again", args=[experiment.pk, 1, 1]))
    assert "Row 1 was taken again." in again.text
    status = as_ada.get(reverse("record-status", args=[experiment.pk])).json()
    assert (status["phase"], status["number"], status["version"]) == ("stepwise", 1, 5)
    page = as_ada.get(reverse("record", args=[experiment.pk])).text
    assert "run 1 in the making" in page
    as_ada.post(reverse("stop", args=[experiment.pk]))
    assert Entry.objects.filter(replaced_at=None).count() == 3
    assert Step.objects.count() == 4
    assert experiment.runs.get().note == "calm"
    assert "go on with it" in as_ada.get(reverse("steps", args=[experiment.pk])).text
    gone_on = as_ada.post(reverse("go-on", args=[experiment.pk, 1]), headers={"HX-Target": "steps"})
    assert "Run 1 in the making" in gone_on.text
    as_ada.post(reverse("stop", args=[experiment.pk]))


def test_a_stepwise_run_stands_at_the_desk_over_its_setting_and_in_files(
    room, as_ada, experiment, depth
):
    for text in ("0.3", "0.1", "0.2"):
        take(experiment, depth, text)
    RECORDER.stop(experiment.pk, "Ada")
    sheet = sheet_flows.first_sheet(experiment)
    assert str(sheet) == "h over d"
    read = as_ada.get(address("desk-at", experiment.pk), {"x": "0.19"}).json()
    assert read["x"] == 0.2
    assert "±" in read["rows"][0]["text"]
    span = annotation_flows.add_span(sheet, 0.05, 0.35)
    finding_flows.ask(span, "line", sheet.quantity, list(experiment.runs.all()))
    ledger = as_ada.get(address("ledger", experiment.pk)).text
    assert "0.0500 – 0.3500 m" in ledger
    assert "mm/m" in ledger
    refused = as_ada.post(address("x-axis", experiment.pk), {"x": ""})
    assert "Spans and markers lie on d. Take them away before the graphs go" in refused.text
    span.delete()
    as_ada.post(address("x-axis", experiment.pk), {"x": ""})
    assert str(sheet_flows.first_sheet(experiment)) == "h over t"
    lines = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"])).content.decode(
        "utf-8-sig"
    )
    rows = [line.split(",") for line in lines.splitlines() if not line.startswith("#")]
    assert rows[0] == ["d / m", "h / mm", "u(h) / mm"]
    assert [row[0] for row in rows[1:]] == ["0.300", "0.100", "0.200"]
    assert "# Plan: stepwise, each reading the mean of 0.05 s" in lines
    found = as_ada.get(reverse("rows", args=[experiment.pk, 1])).json()
    assert [row[0] for row in found["rows"]] == ["0.300", "0.100", "0.200"]
    changed = {"act": "cell", "row": "1", "column": depth.pk, "text": "0.15"}
    as_ada.post(reverse("change-table", args=[experiment.pk, 1]), changed)
    found = as_ada.get(reverse("rows", args=[experiment.pk, 1])).json()
    assert [row[0] for row in found["rows"]] == ["0.300", "0.150", "0.200"]
    as_ada.post(reverse("undo", args=[experiment.pk]))
    assert as_ada.get(reverse("rows", args=[experiment.pk, 1])).json()["rows"][1][0] == "0.100"
    told = as_ada.get(reverse("replay", args=[experiment.pk, 1])).json()
    assert len(told["streams"][0]["rows"]) == 3
    picture = as_ada.get(reverse("picture", args=[experiment.pk])).text
    assert picture.count("<path transform") == 3


def test_a_typed_column_stands_beside_what_was_taken(room, experiment, depth, ada):
    take(experiment, depth, "0.2")
    take(experiment, depth, "0,25")
    RECORDER.stop(experiment.pk, "Ada")
    run = experiment.runs.get()
    typed = beside_flows.add_beside(run, None, ada, head("mass m / g"))
    run.kind.type_cell(run, 1, typed.quantity, "12,5", ada)
    mass, level = (experiment.quantities.get(symbol=one) for one in ("m", "h"))
    over_depth = over(depth, [(run, mass), (run, level)])
    assert over_depth[run.pk, mass.pk].readings.y.tolist() == pytest.approx(
        [np.nan, 12.5], nan_ok=True
    )
    assert len(over_depth[run.pk, level.pk].readings) == 2
    run.kind.type_cell(run, 0, depth, "0.3", ada)  # what was entered is still corrected
    assert Entry.objects.get(run=run, row=1, replaced_at=None).text == "0.300"
