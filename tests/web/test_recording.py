from datetime import timedelta
from types import SimpleNamespace

import numpy as np
import pytest
from django.db import DatabaseError
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from galena.bench.live.bench import BENCH
from galena.core.errors import PlanError, SeriesError
from galena.core.plans import SteadyPlan
from galena.core.series import STAMPS, VALUES, assemble
from galena.experiments import flows as experiment_flows
from galena.experiments.data import readings as stored_readings
from galena.experiments.data.readings import readings
from galena.experiments.models import Run, Series, SeriesChunk
from galena.instruments.clock import ClockEstimate
from galena.instruments.errors import NoAnswer
from galena.instruments.link_state import LinkState, StreamStart
from galena.instruments.protocols.line_v1 import Block, LineCounts
from galena.recording import flows
from galena.recording.acquisition.taking import SteadyTaking
from galena.recording.engine import recorder
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from galena.recording.errors import AlreadyRecording, NothingToRecord
from tests import making, recording_now
from tests.waiting import until

STREAM = StreamStart(1, 100.0, ClockEstimate(0.0, 0.0))


def block(first, count, start_us=0, rate=100.0):
    sequence = np.arange(first, first + count)
    stamps = start_us + np.round(sequence * 1e6 / rate).astype(np.int64)
    return Block(sequence, stamps, np.column_stack([sequence * 1.0, sequence * -1.0]))


def taking(planned, columns=(0,)):
    link = SimpleNamespace(counts=LineCounts(), state=LinkState("well", ""))
    return SteadyTaking(link, list(columns), [], planned, 100.0)


def taken(one):
    batches = []
    while batch := one.take_for_disk():
        batches.append(batch)
    return batches


@given(
    sizes=st.lists(st.integers(1, 40), max_size=30),
    planned=st.integers(1, 300),
    flush=st.integers(1, 5),
)
def test_a_run_takes_each_planned_reading_once_however_they_come(sizes, planned, flush):
    one, first, batches = taking(planned), 0, []
    for turn, size in enumerate(sizes):
        one(one.link, block(first, size), STREAM)
        first += size
        if turn % flush == 0:
            batches += taken(one)
    batches += taken(one)
    values = np.concatenate([batch.values[:, 0] for batch in batches] or [np.empty(0)])
    assert values.tolist() == list(range(min(first, planned)))
    assert [batch.first for batch in batches] == np.cumsum([0, *(len(batch) for batch in batches)])[
        : len(batches)
    ].tolist()
    assert one.complete == (first >= planned)
    assert one.lost == 0


def test_only_the_chosen_channels_are_taken():
    one = taking(5, columns=[1])
    one(one.link, block(0, 5), STREAM)
    assert taken(one)[0].values.tolist() == [[0], [-1], [-2], [-3], [-4]]


def test_lost_lines_count_as_time_gone_by():
    one = taking(10)
    one(one.link, block(0, 4), STREAM)
    one(one.link, block(7, 6), STREAM)
    assert (one.count, one.lost, one.complete) == (7, 3, True)


@pytest.mark.parametrize("moved_us", [0, 250_000_000])
def test_an_instrument_that_comes_back_goes_on_after_the_gap(moved_us):
    one = taking(100)
    one(one.link, block(0, 20, start_us=1_000_000), STREAM)
    back = StreamStart(2, 100.0, ClockEstimate(float(moved_us), 0.0))
    again = block(0, 10, start_us=1_500_000 - moved_us)
    one(one.link, again, back)
    batches = taken(one)
    stamps = np.concatenate([batch.stamps for batch in batches])
    assert (stamps[20] - stamps[0]) / 1e6 == 0.5
    assert one.lost == 30


def test_what_could_not_be_written_comes_first_again():
    one = taking(10)
    one(one.link, block(0, 3), STREAM)
    (batch,) = taken(one)
    one(one.link, block(3, 2), STREAM)
    one.put_back(batch)
    assert taken(one)[0].values[:, 0].tolist() == [0, 1, 2, 3, 4]


def test_a_second_instrument_is_put_on_the_clock_of_the_first():
    first, second = taking(5), taking(5)
    second.aligned_to = first
    second(
        second.link,
        block(0, 5, start_us=9_000_000),
        StreamStart(1, 100.0, ClockEstimate(1_000_000.0, 0.0)),
    )
    assert not second.is_placed
    first(
        first.link,
        block(0, 5, start_us=4_000_000),
        StreamStart(1, 100.0, ClockEstimate(6_000_000.0, 0.0)),
    )
    assert second.is_placed
    assert second.origin() == 9_000_000


def start(experiment, rate=100.0, duration=1.0, channels=None, note=""):
    chosen = channels or [one.pk for one in BENCH.live_channels() if one.symbol == "h"]
    plan = SteadyPlan(rate, duration)
    return RECORDER.start(Wish(experiment, chosen, {}, note, experiment.owner), plan)


def over():
    until(lambda: recording_now.current() is None, "the end of the run")


def stored(run, quantity_symbol):
    dtype = STAMPS if quantity_symbol is None else VALUES
    series = Series.objects.filter(stream__run=run).order_by("pk")
    chosen = next(
        one for one in series if (one.quantity.symbol if one.quantity else None) == quantity_symbol
    )
    rows = SeriesChunk.objects.filter(series=chosen).order_by("sequence")
    return assemble((row.content for row in rows), dtype), list(rows)


def test_what_is_stored_is_what_was_sent_bit_for_bit(room, experiment):
    sent = []
    feed = next(iter(BENCH.feeds.values()))
    add = feed.add
    feed.add = lambda got, stream: (sent.append((stream.number, got)), add(got, stream))
    run = start(experiment, rate=1000.0, duration=2.0)
    number = feed.link.stream.number
    over()
    feed.add = add
    of_run = [got for stream, got in sent if stream == number]
    values = np.concatenate([got.values[:, 0] for got in of_run])[:2000]
    stamps = np.concatenate([got.stamps for got in of_run])[:2000]
    found, chunks = stored(run, "h")
    assert found.tobytes() == values.astype("<f8").tobytes()
    assert stored(run, None)[0].tobytes() == stamps.astype("<i8").tobytes()
    assert [chunk.sequence for chunk in chunks] == list(range(len(chunks)))
    run.refresh_from_db()
    assert (run.state, run.ending) == (Run.State.FINISHED, "")
    assert run.streams.get().lost == 0
    assert found.size == 2000
    assert feed.link.stream.rate == 20


def test_two_instruments_are_recorded_together(room, experiment):
    run = start(experiment, 50.0, 1.0, [one.pk for one in BENCH.live_channels()])
    over()
    origins = [stream.origin_us for stream in run.streams.all()]
    assert None not in origins
    assert stored(run, "h")[0].size == stored(run, "T")[0].size == 50


def test_a_second_start_while_recording_is_refused(room, experiment):
    run = start(experiment, duration=30.0)
    with pytest.raises(
        AlreadyRecording, match=r"Run 1 of “Tide tank” is being recorded, started by Ada"
    ):
        start(experiment)
    assert Run.objects.count() == 1
    assert RECORDER.stop(experiment.pk, "Ada")
    run.refresh_from_db()
    assert (run.state, run.ending) == (Run.State.FINISHED, "Stopped by Ada.")
    assert not RECORDER.stop(experiment.pk, "Ada")


def test_a_rate_beyond_the_channel_is_refused_and_nothing_kept(room, experiment):
    with pytest.raises(PlanError, match="water level .Level gauge LG-1 0007. gives at most 1000"):
        start(experiment, rate=2000.0)
    assert Run.objects.count() == 0
    assert recording_now.current() is None


def test_a_channel_whose_instrument_is_gone_is_refused(room, experiment):
    room.rig.stop()
    until(lambda: not BENCH.live_channels(), "the loss to be noticed")
    with pytest.raises(NothingToRecord, match="water level .* gives no readings now"):
        start(experiment, channels=[making.channel().pk])
    with pytest.raises(NothingToRecord, match="A channel gives no readings now"):
        start(experiment, channels=[999_999])
    assert Run.objects.count() == 0


def test_an_instrument_lost_during_a_run_costs_nothing_recorded(room, experiment):
    run = start(experiment, rate=100.0, duration=2.0)
    current = recording_now.current()
    until(lambda: current.count > 30, "some readings")
    room.rig.stop()
    until(lambda: current.missing, "the loss to be noticed")
    assert "The run goes on when it is back" in current.missing[0]
    over()
    run.refresh_from_db()
    assert run.state == Run.State.FINISHED
    assert run.ending.startswith("An instrument was gone at the end. Level gauge LG-1")
    assert stored(run, "h")[0].size == current.takings[0].count


def test_readings_wait_in_memory_while_the_disk_refuses_them(room, experiment, monkeypatch):
    write = flows.write
    refusals = []

    def full(batches):
        if len(refusals) < 3:
            refusals.append(recording_now.current())
            raise DatabaseError("disk I/O error")
        write(batches)

    monkeypatch.setattr(flows, "write", full)
    run = start(experiment, rate=200.0, duration=1.5)
    current = recording_now.current()
    until(lambda: "cannot be written to the disk" in current.trouble, "the trouble to be said")
    over()
    assert len(refusals) == 3
    assert stored(run, "h")[0].size == 300


def test_runs_that_nobody_records_any_more_are_marked_interrupted(experiment):
    run = making.run(experiment, making.ramp(50))
    Run.objects.update(state=Run.State.RECORDING)
    assert flows.mark_interrupted() == [run]
    run.refresh_from_db()
    assert run.state == Run.State.INTERRUPTED
    assert "All that was stored until then is here" in run.ending
    assert flows.mark_interrupted() == []


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ({"rate": "abc"}, "Readings a second: “abc” is not a number"),
        ({"rate": "20", "duration": "0"}, "A run of 0 s cannot be recorded"),
        ({"rate": "20", "duration": "5"}, "No channel is chosen. Tick at least one"),
        ({"rate": "20", "duration": "5", "channel": "77"}, "gives no readings now"),
    ],
)
def test_the_plan_says_what_is_wrong_with_it_and_keeps_what_was_typed(
    as_ada, experiment, typed, words
):
    answer = as_ada.post(reverse("start", args=[experiment.pk]), typed | {"note": "windy"})
    assert answer.status_code == 422
    assert words in answer.text
    assert 'value="windy"' in answer.text
    assert f'value="{typed["rate"]}"' in answer.text


def test_the_size_of_a_run_is_told_while_the_plan_is_typed(as_ada, experiment):
    url = reverse("plan-size", args=[experiment.pk])
    answer = as_ada.get(url, {"rate": "1000", "duration": "600", "channel": "1"})
    assert "600\u2009000 readings each, about 9.6 MB" in answer.text
    assert "readings" not in as_ada.get(url, {"rate": "x", "duration": "600"}).text


def test_a_watcher_that_missed_readings_gets_them_by_index(as_ada, experiment):
    making.run(experiment, np.arange(300.0))
    url = reverse("missed", args=[experiment.pk, 1])
    answer = as_ada.get(url, {"from": "250", "stream": "0"})
    table = np.frombuffer(answer.content).reshape(2, -1)
    assert answer.headers["X-First-Index"] == "250"
    assert table[1].tolist() == list(range(250, 300))
    assert table[0] == pytest.approx(np.arange(250, 300) / 10)
    assert as_ada.get(url, {"from": "x"}).status_code == 422
    assert as_ada.get(url, {"stream": "7"}).status_code == 404


def test_of_a_run_that_goes_on_only_what_was_missed_is_read(as_ada, experiment, monkeypatch):
    run = making.run(experiment, np.arange(300.0))
    Run.objects.filter(pk=run.pk).update(state=Run.State.RECORDING)
    assembled = []
    read = stored_readings.assemble

    def note(chunks, dtype, after=0):
        assembled.append(len(chunks))
        return read(chunks, dtype, after)

    monkeypatch.setattr(stored_readings, "assemble", note)
    url = reverse("missed", args=[experiment.pk, 1])
    for first, chunks in ((0, 3), (99, 3), (100, 2), (250, 1), (299, 1), (300, 0), (10**9, 0)):
        assembled.clear()
        answer = as_ada.get(url, {"from": first})
        table = np.frombuffer(answer.content).reshape(2, -1)
        assert table[1].tolist() == list(range(first, 300))
        assert table[0] == pytest.approx(np.arange(first, 300) / 10)
        assert assembled == [chunks, chunks]
    table = np.frombuffer(as_ada.get(url, {"from": 150, "every": 40}).content).reshape(2, -1)
    assert table[1].tolist() == [150, 190, 230, 270]
    SeriesChunk.objects.filter(first_index=100).delete()
    with pytest.raises(SeriesError, match="Run 1: Readings 151 to 200 are missing"):
        stored_readings.rest_of(
            list(Series.objects.exclude(quantity=None).select_related("stream__run")), 150
        )


def test_the_next_plan_is_that_of_the_last_run(as_ada, experiment):
    making.run(experiment, making.ramp(50), rate=25.0, conditions=["40", "closed"])
    text = as_ada.get(reverse("record", args=[experiment.pk])).text
    assert 'name="rate" value="25"' in text
    assert 'value="40"' in text
    assert 'value="closed"' in text


def test_a_start_that_the_instrument_refuses_keeps_nothing(room, experiment, monkeypatch):
    feed = next(iter(BENCH.feeds.values()))

    def refuse(rate, sink=None):
        raise NoAnswer("Level gauge LG-1 0007 did not answer. Is its cable in?")

    monkeypatch.setattr(feed.link, "restart", refuse)
    with pytest.raises(NoAnswer, match="did not answer"):
        start(experiment)
    assert Run.objects.count() == 0
    assert recording_now.current() is None
    monkeypatch.undo()
    assert start(experiment, duration=0.2).number == 1
    over()


def test_another_experiment_says_who_holds_the_instruments(room, as_ada, experiment):
    other = experiment_flows.create(experiment.owner, "Second tank")
    run = start(experiment, duration=30.0)
    page = as_ada.get(reverse("record", args=[other.pk])).text
    assert "in use: Run 1 of “Tide tank” is being recorded, started by Ada" in page
    channel = next(one.pk for one in BENCH.live_channels() if one.symbol == "h")
    typed = {"rate": "20", "duration": "5", "channel": str(channel)}
    answer = as_ada.post(reverse("start", args=[other.pk]), typed)
    assert answer.status_code == 422
    assert "Wait for its end or stop it first." in answer.text
    assert as_ada.post(reverse("stop", args=[other.pk])).status_code == 200
    assert recording_now.current() is not None
    own = as_ada.get(reverse("record-status", args=[experiment.pk])).json()
    assert (own["number"], own["planned"], own["trouble"]) == (1, 3000, "")
    elsewhere = as_ada.get(reverse("record-status", args=[other.pk])).json()
    assert (elsewhere["recording"], elsewhere["phase"], elsewhere["trouble"]) == (None, "", "")
    assert channel in elsewhere["used"]
    blocked = as_ada.post(reverse("remove-run", args=[experiment.pk, 1]))
    assert "Run 1 is being recorded. Stop it first." in blocked.text
    as_ada.post(reverse("stop", args=[experiment.pk]))
    run.refresh_from_db()
    assert run.ending == "Stopped by Ada."


def test_a_run_being_recorded_can_be_looked_at_and_grows(room, as_ada, experiment):
    run = start(experiment, rate=200.0, duration=30.0)
    quantity = experiment.quantities.get()
    counts = []
    for _ in range(3):
        before = counts[-1] if counts else 0
        counts.append(until(lambda least=before: grown(run, quantity, least), "more readings"))
    found = readings(run, quantity)
    assert found.t[:3] == pytest.approx([0.0, 0.005, 0.010], abs=1e-4)
    assert np.all(np.diff(found.t) > 0)
    RECORDER.stop(experiment.pk, "Ada")
    run.refresh_from_db()
    assert len(readings(run, quantity)) == stored(run, "h")[0].size


def grown(run, quantity, least):
    count = len(readings(run, quantity))
    return count if count > least else 0


def test_two_instruments_in_one_run_keep_their_own_times(room, as_ada, experiment):
    run = start(experiment, 50.0, 0.5, [one.pk for one in BENCH.live_channels()])
    over()
    lines = as_ada.get(reverse("run-file", args=[experiment.pk, run.number, "csv"])).content.decode(
        "utf-8-sig"
    )
    heading = next(line for line in lines.splitlines() if line.startswith("t /"))
    assert heading == ("t / s (Level gauge LG-1 0007),h / mm,t / s (Thermometer TH-1 0112),T / °C")
    drawer = reverse("readings", args=[experiment.pk, run.number])
    assert "water level" in as_ada.get(drawer).text
    other = run.streams.get(serial="0112").pk
    assert "temperature" in as_ada.get(drawer, {"stream": other}).text
    level, warmth = (readings(run, experiment.quantities.get(symbol=one)) for one in "hT")
    assert len(level) == len(warmth) == 25
    assert level.t[0] == 0.0
    assert abs(warmth.t[0]) < 0.5


@pytest.mark.django_db(transaction=True)
def test_a_second_look_at_interrupted_runs_comes_once_the_start_is_over(experiment, monkeypatch):
    stuck, earlier = (making.run(experiment, [5.0] * 100) for _ in range(2))
    Run.objects.filter(pk=stuck.pk).update(state=Run.State.RECORDING)
    Run.objects.filter(pk=earlier.pk).update(state=Run.State.INTERRUPTED)  # and killed again
    monkeypatch.setattr(recorder, "LOOKS_BACK_AFTER", 0.2)
    RECORDER.open()
    try:
        stuck.refresh_from_db()
        assert (stuck.state, stuck.remarks) == (Run.State.INTERRUPTED, [])
        until(lambda: not flows.interrupted_lately(timedelta(hours=1)), "remarks on both runs")
    finally:
        RECORDER.close()
    Run.objects.update(remarks=[])
    assert flows.interrupted_lately(timedelta(0)) == []
