"""From pixels to places: scale, axes and slanted planes, there and back."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import GeometryError
from galena.core.geometry import Axes, Plane, Scale

PLACE = st.floats(-2000, 2000)
PLACES = st.lists(st.tuples(PLACE, PLACE), min_size=1, max_size=8)
AXES = st.builds(Axes, st.tuples(PLACE, PLACE), st.floats(-360, 360), st.booleans(), st.booleans())
CORNERS = ((100.0, 120.0), (520.0, 90.0), (560.0, 400.0), (80.0, 380.0))


def test_the_size_of_a_pixel_follows_from_a_known_length():
    scale = Scale((100, 50), (100, 218), 0.4, 0.001, 0.5)
    assert scale.pixels == 168 and scale.size == pytest.approx(0.4 / 168)
    parts = (0.001 / 0.4, math.sqrt(2) * 0.5 / 168)
    assert scale.u_relative == pytest.approx(math.hypot(*parts))


def test_the_uncertainty_of_a_scale_is_that_of_many_drawn_again():
    random, ends = np.random.default_rng(4), np.array([[10.0, 20.0], [210.0, 170.0]])
    drawn = ends + random.normal(0, 0.8, (20_000, 2, 2))
    lengths = random.normal(0.5, 0.004, 20_000)
    sizes = lengths / np.hypot(*(drawn[:, 1] - drawn[:, 0]).T)
    scale = Scale((10, 20), (210, 170), 0.5, 0.004, 0.8)
    assert np.std(sizes) / np.mean(sizes) == pytest.approx(scale.u_relative, rel=0.03)


@pytest.mark.parametrize(("ends", "length", "words"), [
    (((5, 5), (5, 6)), 0.4, "The scale is 1.0 pixels long"),
    (((5, 5), (50, 6)), 0, "must be above zero"),
    (((5, 5), (math.nan, 6)), 0.4, "must be numbers"),
])  # fmt: skip
def test_a_scale_that_tells_nothing_is_refused(ends, length, words):
    with pytest.raises(GeometryError, match=words):
        Scale(*ends, length)


def test_places_count_from_the_origin_upwards_and_along_turned_axes():
    axes = Axes((640, 90))
    assert axes.places([(640, 258), (740, 90)]).tolist() == [[0, -168], [100, 0]]
    turned = Axes((0, 0), 90)  # x goes upwards, y to the left
    assert np.allclose(turned.places([(0, -10), (-10, 0)]), [[10, 0], [0, 10]])
    down = Axes((0, 0), 0, x_to_left=True, y_down=True)
    assert np.allclose(down.places([(-3, 4)]), [[3, 4]])
    moving = Axes((0, 0)).places([(10, 10), (20, 5)], [(10, 10), (15, 10)])
    assert np.allclose(moving, [[0, 0], [5, 5]])


@given(AXES, PLACES)
def test_axes_lead_there_and_back(axes, places):
    assert np.allclose(axes.pixels(axes.places(places)), places, atol=1e-7)


@given(st.floats(0.1, 50), st.floats(0.1, 50), PLACES)
def test_a_plane_leads_there_and_back(width, height, places):
    plane, inside = Plane(CORNERS, width, height), np.abs(places) % 1 * (width, height)
    assert np.allclose(plane.places(plane.pixels(inside)), inside, atol=1e-6 * (width + height))
    corners = [(0, 0), (width, 0), (width, height), (0, height)]
    assert np.allclose(plane.places(CORNERS), corners, atol=1e-6 * (width + height))


def test_a_plane_seen_from_its_front_is_a_scale():
    plane = Plane(((10, 10), (210, 10), (210, 110), (10, 110)), 4.0, 2.0)
    assert np.allclose(plane.places([(60, 35)]), [[1.0, 0.5]])


def test_the_uncertainty_in_a_plane_is_that_of_many_marks():
    plane, at = Plane(CORNERS, 4.0, 3.0), np.array([[300.0, 250.0], [520.0, 100.0]])
    random, places = np.random.default_rng(6), []
    for _ in range(3000):
        corners = np.array(CORNERS) + random.normal(0, 0.7, (4, 2))
        other = Plane(tuple(map(tuple, corners)), 4.0, 3.0)
        places.append(other.places(at + random.normal(0, 1.1, (2, 2))))
    assert np.allclose(np.std(places, axis=0), plane.u_places(at, 1.1, 0.7), rtol=0.07)


@pytest.mark.parametrize(("corners", "sides"), [
    (CORNERS[:3], (1, 1)), (CORNERS, (0, 1)), (CORNERS, (1, math.inf)),
    (((0, 0), (10, 0), (20, 0), (0, 10)), (1, 1)),
    (((0, 0), (100, 100), (100, 0), (0, 100)), (1, 1)),
])  # fmt: skip
def test_corners_that_tell_no_plane_are_refused(corners, sides):
    with pytest.raises(GeometryError):
        Plane(corners, *sides)
