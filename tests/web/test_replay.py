import numpy as np
from django.urls import reverse

from galena.experiments import table_flows
from galena.experiments.models import Run, Scene
from galena.recording.runs import replay_views
from tests import making
from tests.web import classes


def at(name, experiment, number=1):
    return reverse(name, args=[experiment.pk, number])


def test_a_replay_is_told_what_the_run_is_made_of(as_ada, experiment):
    run = making.run(experiment, np.arange(300.0))
    Scene.objects.create(run=run, rig="tide_tank", states={"t": [0.0, 1.0], "level": [1.0, 2.0]})
    told = as_ada.get(at("replay", experiment)).json()
    assert (told["from"], told["until"]) == (0.0, 29.9)
    (stream,) = told["streams"]
    assert (stream["every"], stream["decimals"]) == (1, 1)
    assert stream["quantities"][0]["symbol"] == "h"
    assert told["scenes"] == [
        {"rig": "tide_tank", "states": {"t": [0.0, 1.0], "level": [1.0, 2.0]}}
    ]
    table = np.frombuffer(as_ada.get(stream["missed"]).content).reshape(2, -1)
    assert table[1].tolist() == list(range(300))


def test_of_a_long_run_every_so_manieth_reading_is_replayed(as_ada, experiment, monkeypatch):
    monkeypatch.setattr(replay_views, "MOST", 100)
    making.run(experiment, np.arange(250.0))
    (stream,) = as_ada.get(at("replay", experiment)).json()["streams"]
    table = np.frombuffer(as_ada.get(stream["missed"]).content).reshape(2, -1)
    assert table[1].tolist() == list(range(0, 250, 3))
    assert as_ada.get(at("missed", experiment), {"every": "x"}).status_code == 422


def test_an_empty_run_says_that_there_is_nothing_to_replay(as_ada, experiment):
    making.run(experiment, [])
    told = as_ada.get(at("replay", experiment)).json()
    assert told == {"trouble": "Run 1 has no readings: nothing to replay."}


def test_the_drawing_of_a_rig_is_given_whether_it_is_plugged_in_or_not(as_ada, experiment):
    drawn = as_ada.get(reverse("rig-drawing", args=[experiment.pk, "magnet_tube"])).text
    assert "as it was then" in drawn and "data-bind" in drawn
    missing = as_ada.get(reverse("rig-drawing", args=[experiment.pk, "pendulum"]))
    assert missing.status_code == 404


def test_a_damaged_run_says_so_instead_of_being_replayed(as_ada, experiment):
    run = making.run(experiment, np.arange(300.0))
    chunk = run.streams.get().series.exclude(quantity=None).get().chunks.first()
    chunk.crc32 += 1
    chunk.save()
    assert "are damaged on the disk" in as_ada.get(at("replay", experiment)).json()["trouble"]
    assert Run.objects.get().state == Run.State.FINISHED


def test_a_group_that_comes_after_a_run_is_told_of_the_last_one_once(experiment):
    classes.recorded(experiment)
    lesson = classes.begin(experiment)
    group = classes.client_of(classes.group(lesson, "Tern"))
    last = group.get(reverse("live-status"), {"has": "0"}).json()["last"]
    assert (last["number"], last["from"], last["until"]) == (1, 0.0, 19.9)
    (stream,) = last["streams"]
    table = np.frombuffer(group.get(stream["missed"]).content).reshape(2, -1)
    assert table.shape[1] == stream["readings"] == 200
    assert group.get(reverse("live-status"), {"has": "1"}).json()["last"] is None
    assert group.get(reverse("live-status"), {"has": "x"}).status_code == 422
    table_flows.new_table(experiment, experiment.owner)
    assert group.get(reverse("live-status"), {"has": "1"}).json()["last"] is None
