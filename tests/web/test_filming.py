"""Films that come from a camera: pieces, closed pages, and the tie to a run by clocks."""

import os
import time

import pytest

from galena.clips import files, filming, preparing, sending, ties
from galena.clips.filming import Trip
from galena.clips.models import Clip
from tests import films, making

RATE = 30.0


@pytest.fixture(autouse=True)
def prepared_at_once(monkeypatch, at_once):
    def begin(clip):
        Clip.objects.filter(pk=clip.pk).update(**preparing.prepared_fields(clip.folder))

    monkeypatch.setattr(preparing, "begin", begin)


@pytest.fixture
def recorded(tmp_path):
    """The bytes of a film of 2 s, as a camera gives them."""
    times = [k / RATE for k in range(60)]
    return films.film(tmp_path / "camera.webm", times, codec="libvpx-vp9").read_bytes()


def begun(as_ada, experiment):
    answer = as_ada.post(f"/experiments/{experiment.pk}/clips/film").json()
    assert "trouble" not in answer
    return answer, Clip.objects.get(is_filmed=True)


def sent_to(as_ada, addresses, data, at=0):
    return as_ada.post(
        f"{addresses['piece']}?at={at}", data, content_type="application/octet-stream"
    )


def test_a_film_comes_in_pieces_and_ends_when_it_is_told(as_ada, experiment, recorded):
    addresses, clip = begun(as_ada, experiment)
    half = len(recorded) // 2
    assert sent_to(as_ada, addresses, recorded[:half]).json() == {"sent": half}
    assert sent_to(as_ada, addresses, recorded[half:], half).json() == {"sent": len(recorded)}
    clip.refresh_from_db()
    assert clip.state == Clip.State.SENDING  # whole or not, only the camera knows
    assert as_ada.post(addresses["filmed"], {"done": "1", "first": "12.5"}).status_code == 200
    clip.refresh_from_db()
    assert (clip.state, clip.count, clip.size) == (Clip.State.READY, 60, len(recorded))
    as_ada.post(addresses["filmed"], {"done": "1"})  # told twice, by the page and as it closed
    assert sent_to(as_ada, addresses, b"more", len(recorded)).status_code == 422


def test_a_page_that_was_closed_leaves_what_it_had_sent(as_ada, experiment, recorded):
    addresses, clip = begun(as_ada, experiment)
    sent_to(as_ada, addresses, recorded[: len(recorded) * 2 // 3])
    filming.settle(experiment)
    clip.refresh_from_db()
    assert clip.state == Clip.State.SENDING  # a piece may still come
    path = files.file_of(clip.folder, files.ORIGINAL)
    before = time.time() - filming.SILENT - 1
    os.utime(path, (before, before))
    as_ada.get(f"/experiments/{experiment.pk}/clips")
    clip.refresh_from_db()
    assert clip.state == Clip.State.READY
    assert 10 < clip.count < 60


def test_a_camera_that_gave_nothing_is_said(as_ada, experiment):
    addresses, clip = begun(as_ada, experiment)
    answer = as_ada.post(addresses["filmed"], {"done": "1"})
    assert answer.status_code == 422
    assert answer.json()["trouble"] == "Nothing came from the camera."
    clip.refresh_from_db()
    assert clip.state == Clip.State.FAILED


def test_a_film_ends_where_it_is_too_large(as_ada, experiment, monkeypatch):
    monkeypatch.setattr(sending, "LARGEST", 1000)
    addresses, clip = begun(as_ada, experiment)
    assert sent_to(as_ada, addresses, b"a" * 900).status_code == 200
    answer = sent_to(as_ada, addresses, b"b" * 200, 900)
    assert "it ends here" in answer.json()["trouble"]
    assert sending.sent(clip) == 900


def tied(experiment, run, first, trips):
    clip = sending.new(experiment, "film 1", experiment.owner, size=1, is_filmed=True)
    filming.tell(clip, run, first, trips)
    clip.times = b"".join(int(k * 1e6 / RATE).to_bytes(8, "little") for k in range(60))
    clip.state = Clip.State.READY
    clip.save()
    filming.settle(experiment)
    clip.refresh_from_db()
    return clip


# The browser's clock is 500 s behind the server's. One trip is slow on its way back.
TRIPS = [Trip(1000.0, 501_004_000.0, 1008.0), Trip(1100.0, 501_101_000.0, 1102.0),
         Trip(1200.0, 501_202_000.0, 1290.0)]  # fmt: skip


def test_the_clocks_tie_a_film_to_its_run(experiment):
    run = making.run(experiment, [1.0, 2.0, 3.0])
    run.details |= {"host-us": 501_000_000.0, "host-rate": 1.0}
    run.save()
    clip = tied(experiment, run, 1500.0, TRIPS)
    assert clip.during is None
    assert clip.name == f"film of run {run.number}"
    assert ties.clocks(clip)[run.number].in_run(0.0) == pytest.approx(0.5, abs=1e-3)


def test_a_run_by_another_clock_is_tied_at_its_own_pace(experiment):
    run = making.run(experiment, [1.0, 2.0, 3.0])
    run.details |= {"host-us": 501_000_000.0, "host-rate": 10.0}
    run.save()
    clip = tied(experiment, run, 1500.0, TRIPS)
    assert ties.clocks(clip)[run.number].in_run(0.0) == pytest.approx(5.0, abs=1e-2)


@pytest.mark.parametrize(("first", "trips"), [(None, TRIPS), (1500.0, [])])
def test_a_film_that_tells_no_times_stays_alone(experiment, first, trips):
    run = making.run(experiment, [1.0, 2.0, 3.0])
    run.details |= {"host-us": 501_000_000.0, "host-rate": 1.0}
    run.save()
    clip = tied(experiment, run, first, trips)
    assert clip.during is None
    assert ties.clocks(clip) == {}


def test_a_film_waits_for_the_end_of_its_run(experiment):
    run = making.run(experiment, [1.0, 2.0, 3.0])
    run.state = run.State.RECORDING
    run.save()
    clip = tied(experiment, run, 1500.0, TRIPS)
    assert clip.during == run


def test_nobody_films_for_another(as_ada, experiment, tern, client):
    addresses, _ = begun(as_ada, experiment)
    client.force_login(tern)
    assert client.post(addresses["filmed"], {"done": "1"}).status_code == 404
    assert client.post(f"/experiments/{experiment.pk}/clips/film").status_code == 404
    assert client.get(f"/experiments/{experiment.pk}/clips/clock").status_code == 404


@pytest.mark.parametrize("told", [
    {"trips": "1,2"}, {"trips": "a,b,c"}, {"trips": "1,inf,2"}, {"first": "abc"},
    {"run": "-1"}, {"run": "99"}, {"trips": ";" * 5000},
])  # fmt: skip
def test_what_no_browser_tells_changes_nothing(as_ada, experiment, told):
    addresses, clip = begun(as_ada, experiment)
    assert as_ada.post(addresses["filmed"], told).status_code in (200, 422)
    clip.refresh_from_db()
    assert clip.filmed.get("trips", []) == []
    assert clip.during is None
