"""Several runs at once: each holds its instruments and no other, and loses nothing."""

import subprocess
import sys
from concurrent.futures import ThreadPoolExecutor

import pytest
from django.db import connections
from django.urls import reverse

from galena.bench.live.bench import BENCH
from galena.classroom.models import Person
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan
from galena.experiments import flows
from galena.experiments.data.readings import of_series
from galena.experiments.models import Run, Series
from galena.instruments import discovery
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import Wish
from galena.recording.errors import AlreadyRecording
from galena.recording.stepwise import stepper
from tests.waiting import until

WITHOUT_RIG = True
GROUPS, CHANNELS, RATE, SECONDS = 8, 4, 100.0, 3.0


@pytest.fixture
def groups(room):
    """Eight people with an experiment and the channels of a gauge each."""
    gauges = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.four_channels", str(GROUPS)],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    for where in gauges.stdout.readline().split()[1:]:
        BENCH.connect(discovery.stand_in(where).address)
    until(lambda: len(BENCH.live_channels()) == GROUPS * CHANNELS, "all gauges")
    by_serial = {}
    for channel in BENCH.live_channels():
        by_serial.setdefault(channel.instrument.serial, []).append(channel.pk)
    people = [Person.objects.create_user(f"group {n}", first_name=f"Group {n}")
              for n in range(GROUPS)]  # fmt: skip
    yield [
        Wish(flows.create(person, f"Swell {n}"), by_serial[serial], {}, "", person)
        for n, (person, serial) in enumerate(zip(people, sorted(by_serial), strict=True))
    ]
    for feed in list(BENCH.feeds.values()):
        BENCH.disconnect(feed.link.address)
    gauges.communicate(timeout=180)


def in_thread(act):
    try:
        return act()
    finally:
        connections.close_all()


def free():
    until(lambda: not RECORDER.recordings.all(), "all runs to end")


def readings_of(run):
    series = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return of_series(list(series.select_related("quantity", "stream__run")))


def test_eight_runs_at_once_lose_nothing(groups):
    plan = SteadyPlan(RATE, SECONDS)
    with ThreadPoolExecutor(GROUPS) as pool:
        starting = [pool.submit(in_thread, lambda wish=wish: RECORDER.start(wish, plan))
                    for wish in groups]  # fmt: skip
        runs = [one.result() for one in starting]
    assert len(RECORDER.recordings.all()) == GROUPS
    assert len({link for one in RECORDER.recordings.all() for link in one.links}) == GROUPS
    free()
    for run in runs:
        run.refresh_from_db()
        assert (run.state, run.ending) == (Run.State.FINISHED, "")
        assert [(one.lost, one.garbled) for one in run.streams.all()] == [(0, 0)]
        assert [len(readings) for readings in readings_of(run)] == CHANNELS * [RATE * SECONDS]


def test_steady_armed_and_stepwise_runs_go_on_beside_each_other(groups):
    steady, armed, stepwise = groups[:3]
    run = RECORDER.start(steady, SteadyPlan(RATE, 60))
    RECORDER.arm(armed, ArmedPlan(RATE, 0.5, 0.2), None)
    setting = flows.add_entered(stepwise.experiment, "distance", "d", "m")
    stepper.take(RECORDER, stepwise, StepwisePlan(0.2), [setting], {setting.pk: "0.5"})
    RECORDER.press(armed.experiment.pk)
    until(lambda: armed.experiment.runs.filter(state="finished").exists(), "the armed run")
    taken = RECORDER.recordings.of(steady.experiment.pk)
    assert not taken.is_over
    assert RECORDER.stop(stepwise.experiment.pk, "Group 2")
    assert RECORDER.recordings.of(steady.experiment.pk) is taken
    assert RECORDER.stop(steady.experiment.pk, "Group 0")
    run.refresh_from_db()
    assert run.ending == "Stopped by Group 0."
    assert stepwise.experiment.runs.get().steps.count() == 1
    free()


def test_an_instrument_in_use_says_by_whom_and_the_others_are_free(groups, client):
    first, second = groups[:2]
    RECORDER.start(first, SteadyPlan(RATE, 60))
    both = Wish(second.experiment, second.channels + first.channels, {}, "", second.person)
    with pytest.raises(
        AlreadyRecording,
        match=r"Run 1 of “Swell 0” is being recorded, started by Group 0, with Swell gauge 0000\.",
    ):
        RECORDER.start(both, SteadyPlan(RATE, 1))
    with pytest.raises(AlreadyRecording, match=r"Run 1 of “Swell 0” is being recorded"):
        RECORDER.start(first, SteadyPlan(RATE, 1))
    assert not second.experiment.runs.exists()
    client.force_login(second.person)
    page = client.get(reverse("record", args=[second.experiment.pk])).text
    assert page.count("in use: Run 1 of “Swell 0” is being recorded, started by Group 0") == 4
    own = RECORDER.start(second, SteadyPlan(RATE, 60))
    assert own.number == 1
    for wish in (first, second):
        RECORDER.stop(wish.experiment.pk, str(wish.person))
    free()


def test_a_run_that_cannot_be_written_does_not_hold_up_the_others(groups, monkeypatch):
    first, second = groups[:2]
    lost = RECORDER.start(first, SteadyPlan(RATE, 60))
    kept = RECORDER.start(second, SteadyPlan(RATE, 1))
    until(lambda: RECORDER.recordings.of(first.experiment.pk).written > 0, "readings")
    lost.delete()  # its rows are gone: nothing of it can be written any more
    until(lambda: RECORDER.recordings.of(second.experiment.pk) is None, "the other run")
    kept.refresh_from_db()
    assert [len(readings) for readings in readings_of(kept)] == CHANNELS * [RATE]
    assert "cannot be written" in RECORDER.recordings.of(first.experiment.pk).trouble
    RECORDER.recordings.drop(RECORDER.recordings.of(first.experiment.pk))
