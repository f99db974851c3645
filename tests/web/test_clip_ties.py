"""Clips tied to runs: by a moment of each, at the times of the run, with its trace."""

import numpy as np
import pytest
from django.urls import reverse

from galena.clips import moments, places, ties, tracked_run
from galena.clips.errors import ClipError
from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as findings
from galena.desk.sheets import flows as sheet_flows
from galena.instruments.films.shaft_spring import SpringFilm, Swing, swing_of
from tests import making
from tests.web.clips import post


def test_a_clip_is_tied_to_a_run_by_a_moment_and_its_picture_stands_at_the_desk(
    as_ada, measured, ada
):
    experiment = measured.experiment
    run = making.run(experiment, making.ramp(200, rate=20.0))
    desk = reverse("desk", args=[experiment.pk])
    assert "clip-dock" not in as_ada.get(desk).text
    tied = post(as_ada, "tie-clip", measured, run=run.number, run_time="4.25", picture=5)
    assert tied.status_code == 200 and "4.250 s is 0.200 s here" in tied.text
    assert ties.clocks(measured)[run.number].in_film(5.0) == pytest.approx(0.95)
    assert "clip-dock" in as_ada.get(desk).text
    post(as_ada, "tie-clip", measured, run=run.number, run_time="4.69", picture=14)
    assert ties.clocks(measured)[run.number].rate == pytest.approx(1.0)
    for _ in range(2):  # a third moment takes the place of the first
        post(as_ada, "tie-clip", measured, run=run.number, run_time="4.70", picture=17)
    assert measured.ties.count() == 2
    post(as_ada, "tie-clip", measured, run=run.number, remove=1)
    assert "clip-dock" not in as_ada.get(desk).text


@pytest.mark.parametrize(("moment", "picture", "words"), [
    ("x", 3, "not a number"), ("1.0", 12, "contradict each other"),
])  # fmt: skip
def test_moments_that_cannot_be_are_said(as_ada, measured, moment, picture, words):
    run = making.run(measured.experiment, making.ramp())
    ties.tie(measured, run, 2.0, 0.4)
    answer = post(as_ada, "tie-clip", measured, run=run.number, run_time=moment, picture=picture)
    assert answer.status_code == 422 and words in answer.text and measured.ties.count() == 1


def test_a_tracked_run_is_tied_by_itself(measured, ada):
    run = tracked_run.use_as_run(measured, ada)
    assert ties.clocks(measured)[run.number].in_film(0.3) == 0.3
    with pytest.raises(ClipError, match="tied to it already"):
        ties.tie(measured, run, 0.1, 0.1)


def swinging(t):
    return 100 + 20 * np.cos(2 * np.pi * t)


@pytest.fixture
def run(measured):
    """A run of 10 s that is highest at each whole second."""
    return making.run(measured.experiment, swinging(np.arange(200) / 20), rate=20.0)


def test_what_can_be_recognised_in_a_run_is_offered_beside_its_trace(as_ada, measured, run):
    sheet = sheet_flows.first_sheet(measured.experiment)
    annotations.add_marker(sheet, 4.25)
    level = run.experiment.quantities.get(symbol="h")
    span = annotations.add_span(sheet, 2.7, 3.3, level)
    findings.ask(span, "peak", level, [run])
    findings.ask(span, "mean", level, [run])  # which tells no moment
    url = reverse("clip-trace", args=[measured.experiment_id, measured.pk, run.number])
    told = as_ada.get(url).json()
    assert [one["name"] for one in told["moments"]] == ["peak of h in A", "marker 1"]
    assert told["moments"][0]["time"] == pytest.approx(3.0, abs=0.01)
    assert told["moments"][1]["text"] == "4.2500"
    (trace,) = told["traces"]
    assert (trace["symbol"], trace["unit"]) == ("h", "mm")
    assert (told["from"], told["until"], told["tie"]) == (0.0, 9.95, None)
    assert max(trace["y"]) == pytest.approx(120, abs=0.1)
    ties.tie(measured, run, 3.0, 0.2)
    assert as_ada.get(url).json()["tie"] == [pytest.approx(-2.8), 1.0]


def test_a_long_run_is_traced_by_what_can_be_seen_of_it(measured):
    run = making.run(measured.experiment, making.ramp(40_000, rate=100.0), rate=100.0, chunk=20_000)
    (trace,) = moments.traced(measured, run)["traces"]
    assert len(trace["t"]) == len(trace["y"]) <= 4 * moments.WIDE + 2


def test_nobody_sees_the_trace_of_another(measured, run, tern, client):
    client.force_login(tern)
    url = reverse("clip-trace", args=[measured.experiment_id, measured.pk, run.number])
    assert client.get(url).status_code == 404


def test_positions_stand_at_the_times_of_the_run_where_that_is_chosen(as_ada, measured, run, ada):
    tracked = tracked_run.use_as_run(measured, ada)
    refused = post(as_ada, "tie-clip", measured, run=run.number, timed="1")
    assert refused.status_code == 422 and "Tie the clip to this run first." in refused.text
    ties.tie(measured, run, 3.0, 0.2)
    before = places.measured(measured).times
    answer = post(as_ada, "tie-clip", measured, run=run.number, timed="1")
    assert f"positions stand at the times of run {run.number}" in answer.text
    measured.refresh_from_db()
    assert places.measured(measured).times == pytest.approx(before + 2.8)
    assert ties.clocks(measured)[tracked.number].in_film(3.0) == pytest.approx(0.2)
    post(as_ada, "tie-clip", measured, run=run.number, timed="")
    measured.refresh_from_db()
    assert places.measured(measured).times == pytest.approx(before)


def test_what_is_untied_counts_its_own_times_again(as_ada, measured, run):
    ties.tie(measured, run, 3.0, 0.2)
    ties.time_by(measured, run)
    post(as_ada, "tie-clip", measured, run=run.number, remove="1")
    measured.refresh_from_db()
    assert measured.timed_by is None


def test_the_film_of_the_spring_shows_how_its_weight_swings():
    truth = Swing(0.5, 0.12, 0.7)
    t = np.arange(600) / 50
    read = truth.height(t) + 0.004 + np.random.default_rng(2).normal(0, 0.0008, t.size)
    swing = swing_of(t, read, 0.5)
    assert swing.amplitude == pytest.approx(0.12, abs=2e-4)
    assert swing.phase == pytest.approx(0.7, abs=2e-3)
    film = SpringFilm(truth, 1.25)
    picture = film.picture(7)
    x, y = film.dot(film.times[[7]])[0].round().astype(int)
    assert picture.shape == (720, 1280, 3)
    assert picture[y, x].tolist() == pytest.approx([40, 34, 30], abs=6)
    highest = truth.highest_after(1.6)
    around = truth.height(highest + np.array([-0.05, 0.0, 0.05]))
    assert around[1] == max(around)
