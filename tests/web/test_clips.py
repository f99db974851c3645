"""Clips: sent in pieces, prepared, marked, followed, and used as runs like any other."""

import io
import re

import numpy as np
import pytest
from django.core.files.base import ContentFile
from django.urls import reverse

from galena.clips import (
    files,
    following,
    marking,
    places,
    preparing,
    sending,
    tracked_run,
    video,
)
from galena.clips.errors import ClipError
from galena.clips.models import Clip, Mark, SlantedPlane
from galena.core.errors import GeometryError
from galena.core.geometry import Plane
from galena.desk.sheets import flows as sheet_flows
from galena.desk.traces.drawn import shown_runs
from galena.exchange.duplicating import duplicate
from galena.experiments.columns import over
from galena.experiments.quantity_flows import add_derived
from tests import films
from tests.web.clips import TIMES, post, prepared, sent


def test_a_film_comes_in_pieces_and_goes_on_where_it_broke_off(
    as_ada, experiment, film, monkeypatch
):
    monkeypatch.setattr(preparing, "begin", lambda clip: None)
    announced = {"name": "Seed.mp4", "size": len(film), "ticket": "Seed|1"}
    begun = as_ada.post(reverse("new-clip", args=[experiment.pk]), announced).json()

    def send(at, data):
        return as_ada.post(
            f"{begun['piece']}?at={at}", data, content_type="application/octet-stream"
        )

    assert begun["sent"] == 0
    assert send(0, film[:1000]).json() == {"sent": 1000}
    assert send(0, film[:1000]).json() == {"sent": 1000}  # a double one changes nothing
    again = as_ada.post(reverse("new-clip", args=[experiment.pk]), announced).json()
    assert (again["piece"], again["sent"]) == (begun["piece"], 1000)
    assert send(1000, film[1000:]).json() == {"sent": len(film)}
    clip = Clip.objects.get()
    assert files.file_of(clip.folder, files.ORIGINAL).read_bytes() == film and clip.name == "Seed"
    too_much = send(len(film), b"more")
    assert too_much.status_code == 422 and "More came than" in too_much.json()["trouble"]
    assert sending.sent(clip) == len(film)


@pytest.mark.parametrize(("size", "words"), [
    (0, "This file is empty."), (600_000_000, "at most 500 MB"), ("x", "whole number"),
])  # fmt: skip
def test_what_cannot_be_sent_is_said_before_it_comes(as_ada, experiment, size, words):
    url = reverse("new-clip", args=[experiment.pk])
    answer = as_ada.post(url, {"name": "a.mp4", "size": size, "ticket": "t"})
    assert answer.status_code == 422 and words in answer.json()["trouble"]
    assert not Clip.objects.exists()


def test_a_full_disk_keeps_what_came_before(experiment, monkeypatch):
    clip = sending.begin(experiment, "a.mp4", 100, "", experiment.owner)
    sending.take(clip, 0, ContentFile(b"0123456789"))

    class Full(io.BytesIO):
        def read(self, size=-1):
            if self.tell():
                raise OSError(28, "No space left on device")
            return super().read(4)

    with pytest.raises(ClipError, match="The disk is full"):
        sending.take(clip, 10, Full(b"abcdefgh"))
    assert files.file_of(clip.folder, files.ORIGINAL).read_bytes() == b"0123456789"
    assert sending.take(clip, 10, ContentFile(b"abc")) == 13


@pytest.mark.django_db(transaction=True)
def test_it_is_prepared_beside_what_else_goes_on(as_ada, experiment, film):
    clip = sent(experiment, film)
    preparing.begin(clip)
    preparing.wait(clip, 180)
    assert (clip.state, clip.count, clip.missing) == ("ready", 20, 2)
    state = as_ada.get(reverse("clip-state", args=[experiment.pk, clip.pk])).json()
    assert state["state"] == "ready" and state["trouble"] == ""


@pytest.mark.parametrize("codec", ["libx264", "libvpx-vp9"])
def test_times_are_those_of_the_film_and_the_copy_has_the_same_pictures(
    experiment, tmp_path, codec
):
    name = "film.mp4" if codec == "libx264" else "film.webm"
    uneven = np.cumsum(np.random.default_rng(3).uniform(0.01, 0.09, 30)) - 0.01
    clip = prepared(experiment, films.film(tmp_path / name, uneven, codec=codec).read_bytes())
    assert np.allclose(clip.ticks / 1e6, uneven - uneven[0], atol=0.0011)
    path = str(files.file_of(clip.folder, files.WORKING))
    for first in (0, 13, 29):
        pictures = video.grey(path, first, 30, clip.ticks)
        numbers = [films.number_of(picture[:, :, None]) for picture in pictures]
        assert numbers == list(range(first, 30))


def test_a_damaged_end_leaves_what_can_be_read(experiment, tmp_path):
    path = films.film(tmp_path / "long.webm", np.arange(60) / 25, codec="libvpx-vp9")
    data = path.read_bytes()
    clip = prepared(experiment, data[: int(0.7 * len(data))])
    assert 5 < clip.count < 60


def test_one_picture_is_a_film_of_one_picture(experiment, tmp_path):
    clip = prepared(experiment, films.film(tmp_path / "one.mp4", [0.0]).read_bytes())
    assert (clip.count, clip.missing, clip.rate, clip.stop) == (1, 0, 0.0, 0)


@pytest.mark.parametrize("data", [b"not a film at all", b"\x00" * 5000, b"RIFF....WAVEfmt "])
def test_what_is_no_film_is_said_and_not_kept_as_one(experiment, data):
    clip = sent(experiment, data)
    with pytest.raises(ClipError, match="There is no film in this file"):
        preparing.prepared_fields(clip.folder)


def test_parts_of_the_film_are_served_to_those_who_may_see_it(as_ada, client, tern, clip):
    url = reverse("clip-film", args=[clip.experiment_id, clip.pk])
    whole = files.file_of(clip.folder, files.WORKING).read_bytes()
    part = as_ada.get(url, headers={"Range": "bytes=10-19"})
    assert (part.status_code, part.content) == (206, whole[10:20])
    assert part["Content-Range"] == f"bytes 10-19/{len(whole)}"
    assert as_ada.get(url, headers={"Range": "bytes=-5"}).content == whole[-5:]
    assert as_ada.get(url, headers={"Range": f"bytes={len(whole)}-"}).status_code == 416
    assert as_ada.get(url).content == whole
    assert as_ada.get(reverse("clip-poster", args=[clip.experiment_id, clip.pk])).status_code == 200
    client.force_login(tern)
    for name in ("clip", "clip-film", "clip-poster", "clip-state"):
        assert client.get(reverse(name, args=[clip.experiment_id, clip.pk])).status_code == 404
    assert post(client, "clip-axes", clip, x=1, y=1).status_code == 404


def test_positions_follow_from_marks_scale_and_axes(measured):
    found = places.measured(measured)
    (track,) = found.tracks
    steps = np.arange(20)
    assert np.allclose(track.places, np.column_stack((0.008 * steps, 0.004 * steps)))
    assert found.times == pytest.approx(TIMES) and found.unit == "m"
    assert np.allclose(track.u, 0.002)  # a pixel
    relative = np.hypot(0.01, np.sqrt(2) / 100)
    assert np.allclose(track.shared, track.places * relative)
    marking.set_axes(measured, 20, 90, 90)
    turned = places.measured(measured).tracks[0].places
    assert np.allclose(turned, np.column_stack((0.004 * steps, -0.008 * steps)))


def test_the_origin_moves_with_another_object(measured, ada):
    other = marking.add_object(measured, "cart")
    marking.mark_all(other, [(k, 10.0 * k, 50.0, None) for k in range(3)], ada)
    marking.set_axes(measured, 0, 0, moves_with=other)
    dot, cart = places.measured(measured).tracks
    assert np.allclose(cart.places[:3], 0)
    assert dot.places[2] == pytest.approx((0.002 * (28 - 20), 0.002 * (50 - 86)))
    assert np.isnan(dot.places[3:]).all()


def test_a_clip_is_a_run_like_any_other(as_ada, measured, ada):
    experiment = measured.experiment
    assert post(as_ada, "use-clip", measured)["HX-Redirect"] == reverse(
        "desk", args=[experiment.pk]
    )
    run = experiment.runs.get()
    assert (run.plan, run.kind.counts([run])[run.pk]) == ("tracked", 20)
    y = experiment.quantities.get(symbol="y")
    speed = add_derived(experiment, "rate(y)", "speed", "v", "m/s")
    read = over(None, [(run, y), (run, speed)])
    assert np.allclose(read[run.pk, y.pk].readings.y, 0.004 * np.arange(20))
    assert np.median(read[run.pk, speed.pk].readings.y) == pytest.approx(0.1)
    sheet = sheet_flows.first_sheet(experiment)
    assert [one.run.pk for one in shown_runs(sheet)] == [run.pk]
    page = as_ada.get(reverse("readings", args=[experiment.pk, run.number]))
    assert "place along y" in page.text
    assert "marked in 20 pictures of A film" in run.planned
    # what is marked later changes it; used twice it is one run
    marking.mark(measured.tracked.get(), 0, 22, 90, ada)
    x = experiment.quantities.get(symbol="x")
    assert over(None, [(run, x)])[run.pk, x.pk].readings.y[0] == pytest.approx(0.004)
    assert tracked_run.use_as_run(measured, ada) == run
    copy = duplicate(experiment, ada, runs=True)
    copied = copy.clips.get()
    assert copied.folder == measured.folder and copied.run.experiment == copy
    assert places.measured(copied).tracks[0].places.shape == (20, 2)


def test_runs_of_two_clips_stand_in_one_graph_though_their_units_differ(measured, film, ada):
    tracked_run.use_as_run(measured, ada)
    second = prepared(measured.experiment, film)
    marking.set_scale(second, (10, 100, 110, 100), "200", "mm")
    marking.mark(second.tracked.get(), 3, 60, 40, ada)
    run = tracked_run.use_as_run(second, ada)
    x = measured.experiment.quantities.get(symbol="x")
    assert (x.unit, measured.experiment.quantities.filter(kind="tracked").count()) == ("m", 2)
    assert over(None, [(run, x)])[run.pk, x.pk].readings.y == pytest.approx([0.12])


def test_a_mark_set_again_keeps_the_old_one_and_is_undone(as_ada, measured, ada):
    tracked = measured.tracked.get()
    post(as_ada, "clip-marks", measured, tracked.pk, picture=4, x=50, y=51)
    assert Mark.objects.get(tracked=tracked, picture=4, replaced_at=None).x == 50
    post(as_ada, "undo-mark", measured, object=tracked.pk)
    in_force = Mark.objects.get(tracked=tracked, picture=4, replaced_at=None)
    assert (in_force.x, in_force.y) == films.way(4)
    post(as_ada, "clip-marks", measured, tracked.pk, picture=4, x=0, y=0, remove=1)
    assert not Mark.objects.filter(tracked=tracked, picture=4, replaced_at=None).exists()
    assert Mark.objects.filter(tracked=tracked, picture=4).count() == 2


def test_what_was_undone_is_done_again_until_something_else_is_marked(as_ada, measured, ada):
    tracked = measured.tracked.get()

    def places():
        marks = Mark.objects.filter(tracked=tracked, picture=4, replaced_at=None)
        return list(marks.values_list("x", flat=True))

    before = places()
    marking.mark(tracked, 4, 50, 51, ada)
    marking.mark(tracked, 4, 60, 61, ada)
    post(as_ada, "undo-mark", measured)
    assert places() == [50]
    post(as_ada, "undo-mark", measured)
    assert places() == before
    post(as_ada, "redo-mark", measured)
    assert places() == [50]
    post(as_ada, "redo-mark", measured)
    assert places() == [60]
    post(as_ada, "undo-mark", measured)
    marking.mark(tracked, 5, 70, 71, ada)
    assert marking.step_on(measured, ada) is None and places() == [50]


def test_the_second_of_two_people_is_told(as_ada, measured, tern):
    tracked = measured.tracked.get()
    theirs = marking.mark(tracked, 4, 50, 51, tern)
    told = post(as_ada, "clip-marks", measured, tracked.pk, picture=4, x=9, y=9, seen=0)
    assert told.status_code == 422 and "Tern has marked this picture meanwhile" in told.text
    assert Mark.objects.get(tracked=tracked, picture=4, replaced_at=None) == theirs
    post(as_ada, "clip-marks", measured, tracked.pk, picture=4, x=9, y=9, seen=theirs.pk)
    assert Mark.objects.get(tracked=tracked, picture=4, replaced_at=None).x == 9


def test_the_speed_of_an_object_is_a_quantity_at_one_click(as_ada, measured, ada):
    tracked = measured.tracked.get()
    refused = post(as_ada, "clip-speed", measured, tracked.pk)
    assert refused.status_code == 422 and "as a run first" in refused.text
    run = tracked_run.use_as_run(measured, ada)
    for _ in range(2):
        assert post(as_ada, "clip-speed", measured, tracked.pk).status_code == 200
    speed = measured.experiment.derived.get()
    assert (speed.symbol, speed.name, speed.unit) == ("v", "speed of object 1", "m/s")
    read = over(None, [(run, speed)])[run.pk, speed.pk].readings
    assert np.median(read.y) == pytest.approx(np.hypot(0.2, 0.1))


def test_it_is_followed_from_one_mark_to_the_end(as_ada, clip, ada):
    tracked = clip.tracked.get()
    tracked.clip = clip
    marking.mark(tracked, 0, *films.way(0), ada)
    answer = post(as_ada, "clip-follow", clip, tracked.pk, picture=0).json()
    assert answer == {"last": 19, "done": True, "told": ""}
    marks = Mark.objects.filter(replaced_at=None).order_by("picture")
    off = [
        np.hypot(one.x - films.way(k)[0], one.y - films.way(k)[1]) for k, one in enumerate(marks)
    ]
    assert len(off) == 20 and max(off) < 1 and marks[5].score > 0.8
    with pytest.raises(ClipError, match="Mark it in this picture first"):
        Mark.objects.all().delete()
        following.follow_on(tracked, 0, ada)


def test_only_chosen_pictures_are_followed_and_measured(as_ada, clip, ada):
    tracked = clip.tracked.get()
    page = post(as_ada, "clip-pictures", clip, start=3, stop=15, every=4)
    assert page.status_code == 200
    clip.refresh_from_db()
    tracked.clip = clip
    marking.mark(tracked, 2, *films.way(2), ada)
    marked, is_sure = following.follow_on(tracked, 2, ada)
    assert (marked, is_sure) == ([6, 10, 14], True)
    for fields in ({"start": 9, "stop": 3, "every": 1}, {"start": 1, "stop": 99, "every": 1},
                   {"start": 1, "stop": 5, "every": 0}):  # fmt: skip
        assert post(as_ada, "clip-pictures", clip, **fields).status_code == 422


def test_how_steady_a_hand_is_follows_from_marks_set_again(as_ada, clip, ada):
    tracked, random = clip.tracked.get(), np.random.default_rng(5)
    for _ in range(40):
        marking.mark(tracked, 1, *(np.array((60.0, 60.0)) + random.normal(0, 0.7, 2)), ada)
    off, count = marking.steadiness(clip)
    assert count == 40 and off == pytest.approx(0.7, rel=0.2)
    page = as_ada.get(reverse("clip", args=[clip.experiment_id, clip.pk]))
    assert "px by your hand" in page.text
    assert post(as_ada, "clip-steady", clip, u_mark="0,7").status_code == 200
    clip.refresh_from_db()
    assert clip.u_mark == 0.7


@pytest.mark.parametrize(("name", "fields", "words"), [
    ("clip-scale", {"x1": 1, "y1": 1, "x2": 1, "y2": 1.5, "length": "1"}, "0.5 pixels long"),
    ("clip-scale", {"x1": 1, "y1": 1, "x2": 90, "y2": 1, "length": "0"}, "above zero"),
    ("clip-scale", {"x1": 1, "y1": 1, "x2": 90, "y2": 1, "length": ""}, "Type the known length"),
    ("clip-scale", {"x1": 1, "y1": 1, "x2": 90, "y2": 1, "length": "1", "unit": "s"}, "of length"),
    ("clip-scale", {"x1": 1, "y1": 1, "x2": 9000, "y2": 1, "length": "1"}, "far outside"),
    ("clip-axes", {"x": "a", "y": 1}, "not a number"),
    ("clip-steady", {"u_mark": "0"}, "not a number"),
    ("use-clip", {}, "Set the scale first"),
])  # fmt: skip
def test_what_cannot_be_is_said_and_changes_nothing(as_ada, clip, name, fields, words):
    before = Clip.objects.values().get()
    answer = post(as_ada, name, clip, **fields)
    assert answer.status_code == 422 and words in answer.text
    assert Clip.objects.values().get() == before and not clip.experiment.runs.exists()


def test_what_was_typed_wrong_stands_there_still_with_what_was_drawn(as_ada, clip):
    drawn = {"x1": 10, "y1": 100, "x2": 110, "y2": 100.5}
    wrong = post(as_ada, "clip-scale", clip, **drawn, length="0.2 +- x", unit="mm").text
    assert 'value="0.2 +- x"' in wrong and 'value="mm"' in wrong and 'value="100.5"' in wrong


def test_a_form_alone_changes_a_length_or_an_axis(as_ada, measured):
    page = as_ada.get(reverse("clip", args=[measured.experiment_id, measured.pk])).text
    for form, changed in (("scale-form", {"length": "0.300"}), ("axes-form", {"y_down": "on"})):
        part = page.split(f'id="{form}"')[1].split("</form>")[0]
        fields = dict(re.findall(r'name="(\w+)"\s+value="([^"]*)"', part)) | changed
        url = "clip-scale" if form == "scale-form" else "clip-axes"
        assert post(as_ada, url, measured, **fields).status_code == 200
    assert places.measured(measured).tracks[0].places[1] == pytest.approx((0.012, -0.006))


def test_marks_outside_and_of_no_picture_are_refused(clip, ada):
    tracked = clip.tracked.get()
    for picture, x in ((0, 5000), (99, 10), (0, float("nan"))):
        with pytest.raises(ClipError):
            marking.mark(tracked, picture, x, 10, ada)
    with pytest.raises(GeometryError):
        marking.set_scale(clip, (1, 1, 1, 1), "1", "m")


def test_objects_are_named_and_taken_away(as_ada, clip):
    page = post(as_ada, "clip-objects", clip, name="tip of the wing")
    tip = clip.tracked.get(name="tip of the wing")
    assert f'data-object="{tip.pk}"' in page.text and tip.number == 2
    post(as_ada, "clip-objects", clip, object=tip.pk, name="tip")
    post(as_ada, "clip-objects", clip, object=clip.tracked.get(number=1).pk, remove=1)
    assert [one.name for one in clip.tracked.all()] == ["tip"]
    for _ in range(9):
        last = post(as_ada, "clip-objects", clip, name="more")
    assert last.status_code == 422 and "At most 8" in last.text


def test_a_clip_is_taken_away_with_its_files_unless_a_copy_uses_them(as_ada, measured, ada):
    copy = duplicate(measured.experiment, ada, runs=True)
    folder = files.clips_folder() / measured.folder
    post(as_ada, "drop-clip", measured)
    assert folder.exists() and copy.clips.count() == 1
    as_ada.post(reverse("drop-clip", args=[copy.pk, copy.clips.get().pk]))
    assert not folder.exists()


def test_the_list_leads_to_clips_and_says_what_is_wrong_with_one(as_ada, clip):
    Clip.objects.create(
        experiment=clip.experiment, name="lost", folder="0" * 32, size=1, made_by=clip.made_by,
        state=Clip.State.FAILED, trouble="There is no film in this file.",
    )  # fmt: skip
    page = as_ada.get(reverse("clips", args=[clip.experiment_id]))
    assert "160 × 120" in page.text and "There is no film in this file." in page.text
    failed = as_ada.get(reverse("clip", args=[clip.experiment_id, clip.pk + 1]))
    assert "There is no film in this file." in failed.text


CORNERS = ((20.0, 100.0), (130.0, 104.0), (110.0, 30.0), (40.0, 34.0))
DRAWN = {f"{axis}{place + 1}": value for place, corner in enumerate(CORNERS)
         for axis, value in zip("xy", corner, strict=True)}  # fmt: skip


def test_a_rectangle_at_a_slant_measures_instead_of_a_length(as_ada, measured, ada):
    run = tracked_run.use_as_run(measured, ada)
    by_length = places.measured(measured).tracks[0].places
    sides = {"width": "1.20 ± 0.01", "height": "0.80 ± 0.01", "unit": "m"}
    answer = post(as_ada, "clip-plane", measured, **DRAWN, **sides)
    assert answer.status_code == 200 and "Remove the rectangle" in answer.text
    (track,) = places.measured(measured).tracks
    plane = Plane(CORNERS, 1.2, 0.8)
    ways = np.array([films.way(k) for k in range(20)])
    assert np.allclose(track.places, plane.places(ways) - plane.places([(20, 90)]))
    assert not np.allclose(track.places, by_length, atol=0.01)
    assert np.all(track.u > 0) and np.all(np.abs(track.shared[1:]) > 0)
    level = run.experiment.quantities.get(source="clip|1|x")
    assert over(None, [(run, level)])[run.pk, level.pk].readings.y == pytest.approx(
        track.places[:, 0]
    )
    post(as_ada, "clip-plane", measured, remove="1")
    assert np.allclose(places.measured(measured).tracks[0].places, by_length)


def test_positions_in_a_plane_are_as_sure_as_its_corners(measured):
    marking.set_plane(measured, list(CORNERS), "1.20", "0.80", "m")
    marking.set_steadiness(measured, 0.6)
    (track,) = places.measured(measured).tracks
    random = np.random.default_rng(3)
    ways = np.array([films.way(k) for k in range(20)])
    drawn = []
    for _ in range(800):
        corners = np.array(CORNERS) + random.normal(0, 0.6, (4, 2))
        plane = Plane(tuple(map(tuple, corners)), 1.2, 0.8)
        marked = ways + random.normal(0, 0.6, ways.shape)
        drawn.append(plane.places(marked) - plane.places([(20, 90)]))
    total = np.hypot(track.u, track.shared)
    assert np.allclose(np.std(drawn, axis=0), total, rtol=0.12)


@pytest.mark.parametrize(("change", "words"), [
    ({"width": ""}, "Type the first side"), ({"height": "0"}, "above zero"),
    ({"unit": "s"}, "no unit of length"), ({"x2": "20", "y2": "100"}, "go around"),
    ({"x3": "1e9"}, "outside the picture"), ({"y4": "x"}, "The fourth corner"),
])  # fmt: skip
def test_a_rectangle_that_cannot_be_is_said_and_stays_drawn(as_ada, clip, change, words):
    fields = DRAWN | {"width": "1.2", "height": "0.8", "unit": "m"} | change
    answer = post(as_ada, "clip-plane", clip, **fields)
    assert answer.status_code == 422 and words in answer.text
    assert f'name="x1" value="{DRAWN["x1"]}"' in answer.text
    assert not SlantedPlane.objects.exists()
