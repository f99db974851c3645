"""Armed runs: nothing of the event is lost, whatever comes first and however it comes in pieces."""

from types import SimpleNamespace

import numpy as np
import pytest
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from galena.bench.live.bench import BENCH
from galena.core.calibration import Correction
from galena.core.errors import ConditionError, PlanError
from galena.core.plans import ArmedPlan
from galena.core.trigger import CrossingFinder, Level
from galena.experiments.data.readings import readings
from galena.experiments.models import Run
from galena.instruments.clock import ClockEstimate
from galena.instruments.link_state import LinkState, StreamStart
from galena.instruments.protocols.line_v1 import Block, LineCounts
from galena.recording.acquisition.arming import ArmedTaking
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from galena.recording.errors import AlreadyRecording, NothingWaits
from tests import recording_now
from tests.waiting import until

STREAM = StreamStart(1, 1000.0, ClockEstimate(0.0, 0.0))


def block(first, count, values, stream_start_us=5_000_000):
    sequence = np.arange(first, first + count)
    stamps = stream_start_us + sequence * 1000
    return Block(sequence, stamps, np.asarray(values, dtype=float)[first : first + count, None])


def armed(before=0.01, after=0.03, finder=True):
    link = SimpleNamespace(counts=LineCounts(), state=LinkState("well", ""))
    one = ArmedTaking(link, [0], [Correction()], 1000.0, before, after)
    one.finder = CrossingFinder(Level(0.5)) if finder else None
    return one


def taken(one):
    batches = []
    while batch := one.take_for_disk():
        batches.append(batch)
    return np.concatenate([np.empty(0), *(batch.stamps for batch in batches)])


@given(
    rise=st.integers(20, 60),
    sizes=st.lists(st.integers(1, 30), min_size=1, max_size=60),
    late=st.integers(0, 4),
)
def test_the_event_and_what_was_before_it_are_taken_however_readings_come(rise, sizes, late):
    values = np.where(np.arange(2000) < rise, 0.0, 1.0)
    one, first, opened = armed(), 0, None
    for turn, size in enumerate(sizes):
        one(one.link, block(first, size, values), STREAM)
        first += size
        if one.crossing is not None and opened is None:
            opened = turn
        if opened is not None and turn == opened + late:  # the writer comes a little later
            one.open(round(one.crossing.stamp))
    if one.origin_us is None:
        assert taken(one).size == 0
        assert (one.crossing is not None) == (first > rise)
        return
    assert one.crossing.stamp == 5_000_000 + (rise - 0.5) * 1000
    since = (taken(one) - one.origin_us) / 1000
    there = np.arange(first) * 1.0 - (rise - 0.5)
    expected = there[(there >= -10.5) & (there < 29.5)]
    assert since.tolist() == expected.tolist()
    assert one.complete == (first > rise + 28)
    assert one.lost == 0


def test_lost_lines_about_the_event_are_counted_and_a_gap_while_waiting_is_forgotten():
    values = np.where(np.arange(500) < 100, 0.0, 1.0)
    one = armed(before=0.005, after=0.02)
    one(one.link, block(0, 90, values), STREAM)
    one(one.link, block(97, 2, values), STREAM)
    one(one.link, block(100, 4, values), STREAM)
    one.open(round(one.crossing.stamp))
    one(one.link, block(110, 30, values), STREAM)
    assert one.complete
    assert one.lost == 1 + 6  # reading 99, and 104 to 109

    other = armed()
    other(other.link, block(0, 10, values), STREAM)
    other(other.link, block(100, 5, values), StreamStart(2, 1000.0, ClockEstimate(0.0, 0.0)))
    assert other.crossing is None  # what came before the loss is no neighbour


def gauge():
    return next(one for one in BENCH.live_channels() if one.symbol == "h")


def arm(experiment, plan, conditions=None):
    wish = Wish(experiment, [gauge().pk], conditions or {}, "", experiment.owner)
    return RECORDER.arm(wish, plan, gauge().pk)


def ended(count=1):
    until(
        lambda: Run.objects.filter(state="finished").count() >= count, "the runs to be recorded", 30
    )
    return list(Run.objects.order_by("number"))


def test_a_run_begins_where_the_level_is_passed(room, experiment):
    control = next(iter(BENCH.room.plugged.values())).control
    control.request("RIG:SET pump,100")
    level = float(until(lambda: readings_now(), "a level")) + 8.0
    plan = ArmedPlan(200, 0.3, 0.2, Level(level))
    waiting = arm(experiment, plan)
    assert waiting.awaited == f"h to rise past {waiting.event.split('past ')[1]}"
    run = ended()[0]
    assert run.details["level"] == level
    found = readings(run, experiment.quantities.get())
    after = int(np.searchsorted(found.t, 0.0))
    assert found.y[after - 1] < level <= found.y[after]
    assert found.t[0] == pytest.approx(-0.2, abs=0.006)
    assert found.t[-1] == pytest.approx(0.3, abs=0.012)
    assert len(found) == 100
    until(lambda: recording_now.is_free(), "the recorder to be free")
    assert BENCH.feed_of(gauge().pk)[0].link.stream.rate == 20


def test_it_is_armed_again_for_the_next_repeat_until_one_stops_waiting(room, experiment):
    wish = Wish(experiment, [gauge().pk], {}, "", experiment.owner)
    RECORDER.arm(wish, ArmedPlan(100, 0.1, 0.05, again=True), None)
    for count in (1, 2):
        until(lambda: recording_now.waiting() is not None, "a run to be armed")
        RECORDER.press(experiment.pk)
        assert len(ended(count)) == count
    until(lambda: recording_now.waiting() is not None, "the third run to be armed")
    assert RECORDER.stop(experiment.pk, "Ada")
    assert recording_now.waiting() is None
    assert recording_now.is_free()
    assert not RECORDER.stop(experiment.pk, "Ada")


def readings_now():
    feed, column = BENCH.feed_of(gauge().pk)
    recent = feed.recent()
    return recent[-1, column] if len(recent) else None


def test_a_key_starts_it_as_well_with_readings_from_before(room, as_ada, experiment):
    typed = {
        "plan": "armed", "kind-shown": "armed", "event": "key", "rate": "100",
        "before": "20 readings", "duration": "0.3", "channel": str(gauge().pk),
    }  # fmt: skip
    answer = as_ada.post(reverse("start", args=[experiment.pk]), typed)
    assert "waiting for a key" in answer.text
    kept = recording_now.waiting().takings[0]._kept
    until(lambda: sum(len(batch) for _, batch in list(kept)) > 40, "readings from before")
    as_ada.post(reverse("press", args=[experiment.pk]))
    run = ended()[0]
    found = readings(run, experiment.quantities.get())
    assert run.details["event"] == "the key was pressed"
    assert found.t[0] == pytest.approx(-0.2, abs=0.03)
    assert found.t[-1] == pytest.approx(0.3, abs=0.03)
    with pytest.raises(NothingWaits, match="No run waits for a key now. Arm one first."):
        RECORDER.press(experiment.pk)
    refused = as_ada.post(reverse("press", args=[experiment.pk]))
    assert "Arm one first." in refused.text


def test_what_cannot_be_armed_is_refused_and_nothing_waits(room, as_ada, experiment):
    with pytest.raises(
        PlanError, match="water level reads from −20 to 520 mm and would never pass"
    ):
        arm(experiment, ArmedPlan(100, 1, 0, Level(600)))
    with pytest.raises(PlanError, match="gives at most 1000 readings a second"):
        arm(experiment, ArmedPlan(10_000, 1, 0, Level(60)))
    pump = experiment.conditions.get(name="pump")
    with pytest.raises(ConditionError, match="pump: “fast” is not a number"):
        arm(experiment, ArmedPlan(100, 1, 0, Level(60)), {pump.pk: "fast"})
    assert recording_now.waiting() is None
    url = reverse("start", args=[experiment.pk])
    base = {"plan": "armed", "kind-shown": "armed", "rate": "100", "duration": "1"}
    for typed, words in (
        ({"event": f"{gauge().pk}:rising", "level": ""}, "The level: it is empty"),
        ({"event": "", "level": "5"}, "Choose what the run starts with"),
        ({"event": "999999:rising", "level": "5"}, "Choose the channel that starts the run"),
        ({"event": "key", "duration": "0"}, "A run of 0 s cannot be recorded"),
        ({"event": "key", f"condition-{pump.pk}": "3 kg"}, "kg cannot be expressed in mL/s"),
    ):
        answer = as_ada.post(url, base | {"channel": str(gauge().pk)} | typed)
        assert answer.status_code == 422
        assert words in answer.text
    assert recording_now.waiting() is None
    assert Run.objects.count() == 0


def test_while_one_waits_another_is_refused_and_is_told_why(room, as_ada, experiment, tern):
    waiting = arm(experiment, ArmedPlan(100, 1, 0, Level(500)))
    with pytest.raises(AlreadyRecording, match=r"A run of “Tide tank” is armed and waits, started"):
        arm(experiment, ArmedPlan(100, 1, 0, Level(400)))
    status = as_ada.get(reverse("record-status", args=[experiment.pk])).json()
    assert status["phase"] == "armed"
    until(lambda: waiting.takings[0].latest == waiting.takings[0].latest, "a reading")
    how = as_ada.get(reverse("record-status", args=[experiment.pk])).json()
    assert "mm below the level" in how["how"]
    assert as_ada.post(reverse("stop", args=[experiment.pk])).status_code == 200
    assert recording_now.waiting() is None
    beyond = arm(experiment, ArmedPlan(100, 1, 0, Level(-10)))
    until(lambda: beyond.trigger.finder.is_beyond, "a reading beyond the level")
    how = as_ada.get(reverse("record-status", args=[experiment.pk])).json()["how"]
    assert how == "past the level already: it must first come back below it"
    RECORDER.stop(experiment.pk, "Ada")
    assert Run.objects.count() == 0
