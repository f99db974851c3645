"""Pictures of clips for reports, the centre of mass, and how steady a hand is."""

import base64
import io
import re
from xml.etree import ElementTree

import numpy as np
import pytest
from django.urls import reverse
from PIL import Image

from galena.clips import files, marking, pictures, stills, tracked_run
from galena.clips.errors import ClipError
from galena.core.errors import GalenaError
from galena.experiments.columns import over
from galena.experiments.pictures import PICTURES
from tests import films
from tests.web.clips import post


@pytest.fixture(autouse=True)
def here(monkeypatch):
    monkeypatch.setattr(pictures.WORKERS, "do", lambda work, *given, patience: work(*given))


def embedded(svg):
    """Give the pictures that an SVG holds; shape (h, w, 3) each."""
    held = re.findall(r"data:image/jpeg;base64,([^\"]+)", svg)
    return [np.array(Image.open(io.BytesIO(base64.b64decode(one)))) for one in held]


def test_a_picture_with_its_marks_is_the_picture_of_its_number(measured):
    drawn = pictures.with_marks(measured, 7)
    (still,) = embedded(drawn.svg)
    assert films.number_of(still) == 7
    root = ElementTree.fromstring(drawn.svg)
    rings = root.findall("{*}circle")
    assert len(rings) == 8  # those up to it, its own the largest
    assert max(float(ring.get("r")) for ring in rings) == float(rings[-1].get("r"))
    assert (float(rings[-1].get("cx")), float(rings[-1].get("cy"))) == films.way(7)
    assert "0.200 ± 0.002 m" in drawn.svg
    assert drawn.caption == "Picture 8 of the clip “A film”, 0.280 s after its first."


def test_a_strip_shows_pictures_side_by_side_with_their_times(measured):
    drawn = pictures.strip(measured, 4)
    assert [films.number_of(one) for one in embedded(drawn.svg)] == [0, 6, 13, 19]
    times = [one.text for one in ElementTree.fromstring(drawn.svg).findall("{*}text")]
    assert times == ["0.000 s", "0.240 s", "0.560 s", "0.840 s"]


def test_all_positions_stand_in_one_picture(measured):
    drawn = pictures.all_positions(measured, 5)
    (still,) = embedded(drawn.svg)
    for number in (0, 4, 8, 12, 16):
        x, y = (round(one) for one in films.way(number))
        assert still[y + 4, x + 4].max() < 120  # the dot is there, dark on grey
    x, y = (round(one) for one in films.way(2))
    assert still[y + 4, x + 4].min() > 120  # of a picture that is not shown it is not
    assert "5 positions" in drawn.caption


def test_pictures_are_registered_for_reports_and_taken_along(as_ada, measured):
    experiment = measured.experiment
    for kind in ("clip picture", "clip strip", "clip positions"):
        ((reference, name),) = PICTURES[kind].listed(experiment)
        assert name == "A film"
        assert PICTURES[kind].drawn(experiment, reference).svg.startswith("<svg")
        for wrong in ("99", "x", "1/y", ""):
            with pytest.raises(GalenaError):
                PICTURES[kind].drawn(experiment, wrong)
    for name in ("clip-picture", "clip-strip", "clip-positions"):
        answer = as_ada.get(reverse(name, args=[experiment.pk, measured.pk]))
        assert answer.status_code == 200
        assert answer["Content-Type"] == "image/svg+xml"
        assert "attachment" in answer["Content-Disposition"]


def test_where_nothing_is_marked_there_are_no_positions(as_ada, clip):
    answer = as_ada.get(reverse("clip-positions", args=[clip.experiment_id, clip.pk]))
    assert answer.status_code == 422
    assert "Mark something first" in answer.content.decode()


def test_a_still_is_read_from_anywhere_in_the_film(clip):
    path = str(files.file_of(clip.folder, files.WORKING))
    order = [19, 3, 11, 0]
    read = stills.stills(path, order, clip.ticks, 80)
    shown = [np.array(Image.open(io.BytesIO(one))) for one in read]
    assert [films.number_of(one) for one in shown] == order
    assert shown[0].shape[1] == 80


def test_the_centre_of_mass_lies_between_two_objects(as_ada, measured, ada):
    second = marking.add_object(measured, "tip")
    marking.mark_all(second, [(k, 60.0, 40.0, None) for k in range(20)], ada)
    early = post(as_ada, "clip-centre", measured)
    assert early.status_code == 422 and "as a run first" in early.text
    run = tracked_run.use_as_run(measured, ada)
    first = measured.tracked.first()
    masses = {f"mass-{first.pk}": "0.30", f"mass-{second.pk}": "0.10 ± 0.01"}
    wrong = post(as_ada, "clip-centre", measured, **masses | {f"mass-{second.pk}": "x"})
    assert wrong.status_code == 422
    assert not measured.experiment.givens.exists()  # half of it is nothing
    answer = post(as_ada, "clip-centre", measured, **masses)
    assert answer.status_code == 200
    assert [one.text for one in measured.experiment.givens.all()] == ["0.30", "0.10 ± 0.01"]
    centre = measured.experiment.derived.get(name="x of the centre of mass")
    told = over(None, [(run, centre)])[run.pk, centre.pk].readings
    places = np.array([films.way(k)[0] for k in range(20)])
    expected = (0.3 * (places - 20) + 0.1 * 40) / 0.4 * 0.002
    assert told.y == pytest.approx(expected)


def test_a_centre_of_a_single_object_is_refused(measured, ada):
    tracked_run.use_as_run(measured, ada)
    with pytest.raises(ClipError, match="two objects or more"):
        tracked_run.add_centre(measured, {}, "kg")
