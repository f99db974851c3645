"""Runs that were marked in clips are given to groups: the film stays where it is."""

import numpy as np
import pytest
from django.urls import reverse

from galena.clips import files, marking, sending, ties, tracked_run
from galena.clips.models import Clip
from galena.experiments import columns
from galena.lessons import giving
from galena.lessons.errors import LessonError
from tests import making
from tests.web import classes


@pytest.fixture
def tracked(measured, ada):
    """A run of places that were marked in a clip."""
    return tracked_run.use_as_run(measured, ada)


@pytest.fixture
def lesson(experiment):
    return classes.begin(experiment, ("conditions", "quantities", "sheets"))


def places(run):
    """Give the times and places along x of a run."""
    table = columns.of_run(run)
    x = run.experiment.quantities.get(source="clip|1|x")
    readings = table.column(x).readings
    return readings.t, readings.y


def test_each_group_has_the_places_and_marks_of_its_own_over_the_same_film(
    tracked, measured, lesson, ada
):
    gannet = classes.group(lesson, "Gannet")
    for _ in range(2):
        giving.give(lesson, tracked)
    late = classes.group(lesson, "Dunlin")
    before = places(tracked)
    for member in (gannet, late):
        run = member.copy.experiment.runs.get()
        assert (run.number, run.name) == (tracked.number, tracked.name)
        assert np.array_equal(places(run), before)
        assert member.copy.experiment.clips.get().folder == measured.folder
    marking.mark(measured.tracked.get(), 3, 90.0, 40.0, ada)
    assert not np.array_equal(places(tracked)[1], before[1])
    assert np.array_equal(places(gannet.copy.experiment.runs.get()), before)
    sending.drop(measured)
    assert files.file_of(measured.folder, files.ORIGINAL).exists()
    clip = gannet.copy.experiment.clips.get()
    page = classes.client_of(gannet).get(reverse("clip", args=[clip.experiment_id, clip.pk]))
    assert page.status_code == 200


def test_the_run_whose_times_it_has_goes_along(tracked, measured, lesson, experiment):
    timed = making.run(experiment, making.ramp(200, rate=20.0))
    other = making.run(experiment, making.ramp(200, rate=20.0))
    for run, moment in ((timed, 4.0), (other, 7.0)):
        ties.tie(measured, run, moment, 0.2)
    ties.time_by(measured, timed)
    gannet = classes.group(lesson, "Gannet")
    giving.give(lesson, tracked)
    runs = gannet.copy.experiment.runs
    assert set(runs.values_list("number", flat=True)) == {timed.number, tracked.number}
    clip = gannet.copy.experiment.clips.get()
    assert clip.timed_by == runs.get(number=timed.number)
    assert [tie.run for tie in clip.ties.all()] == [clip.timed_by]
    assert np.array_equal(places(runs.get(number=tracked.number)), places(tracked))


def test_who_comes_late_has_the_same_times_and_nothing_without_its_clip(
    tracked, measured, lesson, experiment
):
    giving.give(lesson, tracked)
    timed = making.run(experiment, making.ramp(200, rate=20.0))
    ties.tie(measured, timed, 4.0, 0.2)
    ties.time_by(measured, timed)
    giving.give(lesson, timed)  # after the one that rests on it now
    runs = classes.group(lesson, "Tern").copy.experiment.runs
    assert np.array_equal(places(runs.get(number=tracked.number)), places(tracked))
    sending.drop(measured)
    assert classes.group(lesson, "Skua").copy.experiment.runs.get().number == timed.number


def test_one_whose_clip_is_not_there_is_refused_in_words(tracked, measured, lesson):
    Clip.objects.filter(pk=measured.pk).update(state=Clip.State.PREPARING)
    with pytest.raises(LessonError, match="is not ready"):
        giving.give(lesson, tracked)
    sending.drop(measured)
    with pytest.raises(LessonError, match="was taken away"):
        giving.give(lesson, tracked)
    assert not lesson.given.exists()


def test_a_run_that_was_marked_stands_among_those_to_give(tracked, lesson, experiment):
    assert tracked in giving.givable(lesson.task)
    page = classes.client_of(experiment.owner).get(reverse("lesson", args=[lesson.pk])).text
    assert f"Give run {tracked.number} to all" in page
