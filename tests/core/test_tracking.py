"""What is marked is followed to a fraction of a pixel, and left where it is no longer sure."""

import numpy as np
import pytest

from galena.core.tracking import Mark, follow, likeness_of, patch
from galena.instruments.films.drawing import ellipse, rectangle
from galena.instruments.films.sycamore import SycamoreFilm

SIZE = (160, 220)


def scene(at, noise=0, seed=0, twin=None):
    """A grey picture with a ball at a place, and perhaps another just like it."""
    picture = np.full((*SIZE, 3), 150, dtype=np.uint8)
    rectangle(picture, 0, 120, 220, 160, (90, 110, 80))
    for place in (at, twin):
        if place is not None:
            ellipse(picture, place, (7, 7), (60, 40, 30))
            ellipse(picture, (place[0] - 2, place[1] - 2), (2, 2), (200, 190, 180))
    grey = picture.mean(axis=2) + np.random.default_rng(seed).normal(0, noise, SIZE)
    return np.clip(grey, 0, 255).astype(np.uint8)


def thrown(count=30):
    t = np.arange(count)
    return np.column_stack((25.3 + 5.7 * t, 110.6 - 7.1 * t + 0.25 * t**2))


@pytest.mark.parametrize("noise", [0, 4])
def test_a_thrown_ball_is_followed_to_a_fraction_of_a_pixel(noise):
    way = thrown()
    pictures = [scene(tuple(at), noise, seed) for seed, at in enumerate(way)]
    marks = list(follow(pictures, tuple(way[0])))
    assert len(marks) == len(way) and marks[0] == Mark(*way[0], 1.0)
    off = np.hypot(*(np.array([(one.x, one.y) for one in marks]) - way).T)
    assert off.max() < 0.4 and all(one.score > 0.8 for one in marks)


def test_it_stops_where_the_thing_is_hidden():
    way = thrown()
    pictures = [scene(tuple(at)) for at in way[:12]] + [scene((-50, -50))] * 5
    assert len(list(follow(pictures, tuple(way[0])))) == 12


def test_it_stops_where_another_looks_the_same():
    pictures = [scene((60, 60)), scene((64, 60)), scene((68, 60), twin=(88, 60))]
    assert len(list(follow(pictures, (60, 60)))) == 2


def test_it_stops_at_the_edge_of_the_picture():
    way = [(190 + 6 * k, 60) for k in range(9)]
    marks = list(follow([scene(at) for at in way], way[0]))
    assert 2 <= len(marks) <= 5


def test_nothing_is_followed_where_there_is_nothing_to_see():
    flat = np.full(SIZE, 120, dtype=np.uint8)
    assert list(follow([flat, flat], (50, 50))) == []


def test_the_nut_of_the_seed_is_followed_through_the_whole_film():
    film = SycamoreFilm()
    pictures = (film.picture(k)[:, :, 1] for k in range(20, 90))
    truth = film.nut(film.times)[20:90]
    marks = np.array([(one.x, one.y) for one in follow(pictures, tuple(truth[0]))])
    assert len(marks) == 70
    assert np.mean(np.hypot(*(marks - truth).T) < 1) >= 0.95


def test_likeness_is_the_correlation_of_both():
    random = np.random.default_rng(2)
    part, look = random.normal(100, 20, (14, 15)), random.normal(90, 30, (5, 5))
    likeness = likeness_of(part, look)
    assert likeness.shape == (10, 11)
    for row, column in ((0, 0), (9, 10), (4, 7)):
        window = part[row : row + 5, column : column + 5]
        expected = np.corrcoef(window.ravel(), look.ravel())[0, 1]
        assert likeness[row, column] == pytest.approx(expected)


def test_what_surrounds_a_place_between_pixels_is_taken_on_straight_lines():
    rows, columns = np.mgrid[0:40, 0:50]
    plane = 2.0 * columns + 3.0 * rows
    around = patch(plane, (20.25, 10.5), 3)
    assert around.shape == (7, 7) and around[3, 3] == pytest.approx(2 * 20.25 + 3 * 10.5)
