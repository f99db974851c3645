"""Runs of a decay with a span over them, and clips whose dot goes a known way."""

import pytest

from galena.clips import marking, preparing
from galena.desk.annotations import flows
from galena.desk.sheets import flows as sheet_flows
from tests import films, making
from tests.web.clips import TIMES, prepared
from tests.web.decays import curve


@pytest.fixture
def decays(experiment):
    """Three runs of a decay that rest at 10, 20 and 30 mm."""
    for number in (1, 2, 3):
        making.run(experiment, curve(number), conditions=[str(10 * number)])
    return experiment


@pytest.fixture
def sheet(decays):
    return sheet_flows.first_sheet(decays)


@pytest.fixture
def span(sheet):
    return flows.add_span(sheet, 0.0, 19.0)


@pytest.fixture
def at_once(monkeypatch):
    """Do what the worker of films would do in this process."""
    monkeypatch.setattr(preparing.WORKERS, "do", lambda work, *given, patience: work(*given))


@pytest.fixture
def film_file(tmp_path):
    """The file of a film in which a dot moves."""
    return films.film(tmp_path / "film.mp4", TIMES)


@pytest.fixture
def film(film_file):
    """What is in it."""
    return film_file.read_bytes()


@pytest.fixture
def clip(experiment, film, at_once):
    return prepared(experiment, film)


@pytest.fixture
def measured(clip, ada):
    """A clip with a scale of 2 mm a pixel, an origin, and the dot marked in its pictures."""
    marking.set_scale(clip, (10, 100, 110, 100), "0.200 ± 0.002", "m")
    marking.set_axes(clip, 20, 90)
    tracked = clip.tracked.get()
    marking.mark_all(tracked, [(k, *films.way(k), None) for k in range(20)], ada)
    return clip
