"""Copies of groups: what goes along, whose readings they are, and what follows the original."""

from datetime import timedelta

import numpy as np
import pytest
from django.urls import reverse

from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Finding, Span
from galena.desk.sheets import flows as sheet_flows
from galena.exchange import package
from galena.exchange.duplicating import duplicate
from galena.experiments import columns, flows, given, quantity_flows, table_flows
from galena.experiments.data.cache import CACHES
from galena.experiments.data.readings import of_series
from galena.experiments.models import Experiment, Run, Series, SeriesChunk
from galena.lessons import giving, handing_out
from galena.lessons.errors import LessonError
from galena.recording import flows as recording
from galena.recording.acquisition.taking import Batch
from galena.reports import flows as report_flows
from tests import making
from tests.web import classes

ALL = tuple(handing_out.CHOICES)


def readings(run):
    series = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return of_series(list(series.select_related("quantity", "stream__run")))[0]


@pytest.fixture
def whole(experiment):
    """An experiment with one of everything that copies can start with."""
    run = classes.recorded(experiment)
    sheet = sheet_flows.first_sheet(experiment)
    span = annotations.add_span(sheet, 2.0, 15.0)
    finding_flows.ask(span, "line", sheet.quantity, [run])
    quantity_flows.save_given(experiment, None, "gravity", "g", "9.81", "m/s^2")
    quantity_flows.add_derived(experiment, "2*h", "double", "d")
    report_flows.begin_anew(report_flows.report_of(experiment), "On levels", "It rises.",
                            experiment.owner)  # fmt: skip
    return experiment


@pytest.mark.parametrize("choice", ALL)
def test_each_choice_brings_what_it_rests_on(whole, tern, choice):
    copy = handing_out.hand_out(whole, tern, [choice])
    chosen = handing_out.completed([choice])
    assert copy.owner == tern
    assert copy.conditions.exists() == ("conditions" in chosen)
    assert copy.derived.exists() == ("formulas" in chosen)
    assert copy.sheets.exists() == ("sheets" in chosen)
    assert copy.runs.exists() == ("runs" in chosen)
    assert Span.objects.filter(sheet__experiment=copy).exists() == ("spans" in chosen)
    assert Finding.objects.filter(sheet__experiment=copy).exists() == ("findings" in chosen)
    assert hasattr(copy, "report") == ("report" in chosen)
    if "runs" in chosen:
        columns.of_run(copy.runs.get())


def test_a_copy_has_the_readings_and_stores_none(whole, tern):
    before = SeriesChunk.objects.count()
    copy = handing_out.hand_out(whole, tern, ALL)
    assert SeriesChunk.objects.count() == before
    original, run = whole.runs.get(), copy.runs.get()
    assert np.array_equal(readings(run).y, readings(original).y)
    assert run.kind.counts([run]) == {run.pk: 200}


def test_zeros_and_what_is_set_aside_are_each_copys_own(whole, tern):
    copy = handing_out.hand_out(whole, tern, ALL)
    run = copy.runs.get()
    Series.objects.filter(stream__run=run).exclude(quantity=None).update(zero=5.0)
    table_flows.set_aside(run, run.streams.get(), 0, 9, "it had not begun", tern)
    assert readings(run).y[0] == pytest.approx(readings(whole.runs.get()).y[0] - 5.0)
    assert not whole.runs.get().asides.exists()


def test_a_copy_of_a_copy_and_its_file_have_the_readings_too(whole, tern, tmp_path):
    copy = handing_out.hand_out(whole, tern, ALL)
    again = duplicate(copy, tern, runs=True)
    assert np.array_equal(readings(again.runs.get()).y, readings(whole.runs.get()).y)
    path = tmp_path / "file"
    with path.open("wb") as file:
        package.write(copy, file)
    with path.open("rb") as file:
        back = package.read(file, tern)
    series = Series.objects.filter(stream__run__experiment=back)
    assert all(one.stored_in is None for one in series)
    assert np.array_equal(readings(back.runs.get()).y, readings(whole.runs.get()).y)


@pytest.fixture
def growing(experiment):
    """A run that is being recorded, with the way to add readings to it."""
    shown = making.display.channels(experiment, [making.channel().pk])
    plan = making.SteadyPlan(10.0, 20.0)
    run, (stored,) = recording.begin_run(
        experiment, plan, [list(shown.values())], {}, "", experiment.owner
    )

    def add(first, count):
        stamps = np.arange(first, first + count) * 100_000 + 5_000_000
        values = np.arange(first, first + count, dtype=float)[:, None]
        recording.write([(stored, 5_000_000, Batch(first, stamps, values))])

    def end():
        recording.end_run(run, "", [recording.StreamEnd(stored, 3, 1, 5_000_100, 1.001)])

    return run, add, end


@pytest.mark.parametrize("begun", [False, True], ids=["before its first reading", "in between"])
def test_a_run_that_is_recorded_grows_in_a_copy_and_ends_there(growing, experiment, tern, begun):
    run, add, end = growing
    if begun:
        add(0, 20)
    copy = handing_out.hand_out(experiment, tern, ["runs"])
    follower = copy.runs.get()
    assert follower.state == Run.State.FOLLOWING
    for first in (20, 40) if begun else (0, 20):
        add(first, 20)
        assert len(readings(follower)) == first + 20
    end()
    follower.refresh_from_db()
    run.refresh_from_db()
    assert (follower.state, follower.ended_at) == (Run.State.FINISHED, run.ended_at)
    assert (follower.streams.get().lost, follower.streams.get().scale) == (3, 1.001)
    assert np.array_equal(readings(follower).t, readings(run).t)


def test_of_a_run_that_grows_only_what_it_is_now_stays_in_memory(growing, experiment):
    run, add, _ = growing
    add(0, 20)
    level = experiment.quantities.get()
    double = quantity_flows.add_derived(experiment, "2*h", "double", "d")
    held = set()
    for first in range(20, 120, 20):
        add(first, 20)
        for x in (None, double):
            placed = columns.over(x, [(run, level), (run, double)])
            assert all(len(column.readings) == first + 20 for column in placed.values())
        held.add(sum(map(len, CACHES)))
    assert len(held) == 1


def test_a_run_that_breaks_off_does_so_in_all_copies(growing, experiment, tern):
    _, add, _ = growing
    add(0, 20)
    copy = handing_out.hand_out(experiment, tern, ["runs"])
    recording.mark_interrupted()
    assert copy.runs.get().state == Run.State.INTERRUPTED
    assert len(readings(copy.runs.get())) == 20


def test_a_group_may_record_while_a_given_run_grows(growing, experiment, tern):
    copy = handing_out.hand_out(experiment, tern, ["runs"])
    own = making.run(copy, making.ramp())
    assert own.state == Run.State.FINISHED


def test_what_copies_use_stays_when_the_original_is_deleted(whole, tern, ada):
    copies = [handing_out.hand_out(whole, person, ALL) for person in (tern, ada, tern)]
    before = readings(whole.runs.get()).y.copy()
    chunks = SeriesChunk.objects.count()
    assert given.users_of(list(whole.runs.all())) == copies
    given.delete(whole)
    assert not Experiment.objects.filter(pk=whole.pk).exists()
    assert SeriesChunk.objects.count() == chunks
    for copy in copies:
        assert np.array_equal(readings(copy.runs.get()).y, before)
    given.delete(copies[0])
    assert np.array_equal(readings(copies[1].runs.get()).y, before)
    given.delete(copies[1])
    given.delete(copies[2])
    assert not SeriesChunk.objects.exists()


class TestGiving:
    @pytest.fixture
    def lesson(self, experiment):
        classes.recorded(experiment)
        return classes.begin(experiment, ("conditions", "quantities", "sheets"))

    def test_a_run_comes_to_all_groups_once_and_to_those_that_come_later(self, lesson, experiment):
        gannet = classes.group(lesson, "Gannet")
        run = experiment.runs.get()
        assert not gannet.copy.experiment.runs.exists()
        chunks = SeriesChunk.objects.count()
        for _ in range(2):
            giving.give(lesson, run)
        late = classes.group(lesson, "Dunlin")
        for member in (gannet, late):
            received = member.copy.experiment.runs.get()
            assert received.number == run.number
            assert received.condition_values.get(condition__name="pump").text == "40"
            assert np.array_equal(readings(received).y, readings(run).y)
        assert SeriesChunk.objects.count() == chunks

    def test_runs_that_copies_start_with_are_not_given_twice(self, experiment):
        run = classes.recorded(experiment)
        lesson = classes.begin(experiment)
        giving.give(lesson, run)
        assert classes.group(lesson, "Gannet").copy.experiment.runs.count() == 1

    def test_a_number_that_is_taken_gets_the_next(self, lesson, experiment):
        gannet = classes.group(lesson, "Gannet")
        making.run(gannet.copy.experiment, making.ramp())
        giving.give(lesson, experiment.runs.get())
        assert [run.number for run in gannet.copy.experiment.runs.all()] == [1, 2]

    def test_a_given_run_that_a_group_removed_comes_back(self, lesson, experiment):
        gannet = classes.group(lesson, "Gannet")
        giving.give(lesson, experiment.runs.get())
        run = gannet.copy.experiment.runs.get()
        flows.remove(run)
        giving.give(lesson, experiment.runs.get())
        assert gannet.copy.experiment.runs.kept().get() == run

    def test_typed_tables_and_the_group_that_takes_a_run(self, lesson, experiment, ada):
        table = table_flows.new_table(experiment, ada)
        gannet, tern = classes.group(lesson, "Gannet"), classes.group(lesson, "Tern")
        giving.take(lesson, table, gannet.copy)
        assert gannet.copy.experiment.runs.count() == 1
        assert not tern.copy.experiment.runs.exists()
        assert not classes.group(lesson, "Skua").copy.experiment.runs.exists()

    def test_recalibrating_the_original_offers_to_follow(self, lesson, experiment):
        gannet = classes.group(lesson, "Gannet")
        gift = giving.give(lesson, experiment.runs.get())
        assert giving.recalibrated(gift) == []
        Series.objects.filter(stream__run=gift.run).exclude(quantity=None).update(zero=5.0)
        assert [one.copy for one in giving.recalibrated(gift)] == [gannet.copy]
        assert giving.follow_calibration(gift) == 1
        assert giving.recalibrated(gift) == []
        run = gannet.copy.experiment.runs.get()
        assert np.array_equal(readings(run).y, readings(experiment.runs.get()).y)

    def test_what_rests_on_more_than_readings_is_refused_in_words(self, lesson, experiment):
        run = experiment.runs.get()
        Run.objects.filter(pk=run.pk).update(plan="harvest")
        run.refresh_from_db()
        with pytest.raises(LessonError, match="rests on findings"):
            giving.give(lesson, run)


def test_a_group_takes_only_runs_that_its_page_shows(experiment, ada):
    earlier = classes.recorded(experiment)
    lesson = classes.begin(experiment, ("quantities",))
    Run.objects.update(started_at=lesson.made_at - timedelta(days=1))
    gannet = classes.group(lesson, "Gannet")
    page, taken = classes.client_of(gannet), gannet.copy.experiment.runs
    page.post(reverse("take-run"), {"run": earlier.number})
    assert taken.count() == 1  # the newest there is
    taken.all().delete()
    of_lesson, table = classes.recorded(experiment), table_flows.new_table(experiment, ada)
    for run in (earlier, table):
        refused = page.post(reverse("take-run"), {"run": run.number})
        assert "is not shown to groups" in refused.text
        assert page.get(reverse("live-missed", args=[run.number])).status_code == 404
    assert not taken.exists()
    page.post(reverse("take-run"), {"run": of_lesson.number})
    assert taken.get().number == of_lesson.number
    assert page.get(reverse("live-missed", args=[of_lesson.number])).status_code == 200
