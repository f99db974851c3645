"""The event is found wherever it lies, however the readings come in pieces."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.trigger import CrossingFinder, Level

VALUES = st.lists(st.sampled_from([-2.0, -1.0, 0.0, 0.5, 1.0, 2.0, math.nan]), max_size=60)


def brute(level, clear, stamps, values):
    """Find the first crossing one reading at a time."""
    last, away = None, 0.0
    for index, (stamp, value) in enumerate(zip(stamps, values, strict=True)):
        if not math.isfinite(value):
            continue
        passed = last is not None and level.is_past(value) and not level.is_past(last[1])
        if passed and away >= clear:
            share = (level.value - last[1]) / (value - last[1])
            return last[0] + share * (stamp - last[0]), index
        away = 0.0 if level.is_past(value) else max(away, level.distance(value))
        last = (stamp, value)
    return None


@given(
    VALUES,
    st.lists(st.integers(0, 7), max_size=60),
    st.sampled_from(["rising", "falling"]),
    st.sampled_from([0.0, 0.7, 2.0]),
)
def test_no_cut_into_pieces_hides_or_moves_the_event(values, cuts, direction, clear):
    level = Level(0.5, direction)
    stamps = np.cumsum([1000 + 37 * (i % 5) for i in range(len(values))])
    finder, found, place = CrossingFinder(level, clear), None, 0
    for size in [*cuts, len(values)]:
        piece = slice(place, min(len(values), place + size))
        found = found or finder.feed(stamps[piece], np.array(values)[piece])
        place = piece.stop
    expected = brute(level, clear, stamps.tolist(), values)
    assert (found is None) == (expected is None)
    if found is not None:
        assert found.index == expected[1]
        assert found.stamp == pytest.approx(expected[0], rel=1e-12)


def test_the_time_lies_between_the_readings_on_a_straight_line():
    finder = CrossingFinder(Level(-0.10, "falling"))
    assert finder.feed(np.array([1000, 2000]), np.array([0.05, 0.0])) is None
    found = finder.feed(np.array([3000, 4000]), np.array([-0.2, -0.3]))
    assert (found.stamp, found.index) == (2500.0, 2)


def test_readings_beyond_the_level_from_the_start_are_no_crossing():
    finder = CrossingFinder(Level(1.0))
    assert finder.feed(np.arange(3), np.array([2.0, 3.0, 1.0])) is None
    assert finder.is_beyond
    assert finder.feed(np.arange(3, 5), np.array([0.5, 1.5])).index == 4


def test_noise_about_the_level_is_no_event():
    finder = CrossingFinder(Level(1.0), clear=0.5)
    falling = np.array([3.0, 2.0, 1.1, 0.9, 1.05, 0.95, 1.02, 0.3])
    assert finder.feed(np.arange(8), falling) is None
    assert finder.feed(np.arange(8, 10), np.array([0.8, 1.2])).index == 9


def test_what_came_before_a_gap_is_no_neighbour():
    finder = CrossingFinder(Level(1.0))
    finder.feed(np.arange(2), np.array([0.0, 0.5]))
    finder.forget()
    assert not finder.is_beyond
    assert finder.feed(np.arange(2, 4), np.array([2.0, 3.0])) is None


def test_a_level_tells_how_far_a_reading_is_from_it():
    assert Level(2.0).distance(0.5) == 1.5
    assert Level(2.0, "falling").distance(2.5) == 0.5
    assert Level(2.0, "falling").distance(1.5) == -0.5
    with pytest.raises(ValueError, match="must be a finite number, not nan"):
        Level(math.nan)


def test_what_comes_clear_of_the_level_after_an_event_in_the_same_piece_counts():
    finder = CrossingFinder(Level(1.0), clear=0.5)
    piece = np.array([0.0, 2.0, 0.2, 0.9])
    assert finder.feed(np.arange(4), piece).index == 1
    assert finder.is_clear
    assert finder.feed(np.arange(4, 6), np.array([0.9, 1.5])).index == 5


@given(VALUES, VALUES, st.sampled_from(["rising", "falling"]), st.sampled_from([0.0, 0.7, 2.0]))
def test_after_an_event_the_next_piece_finds_what_single_readings_would(
    first, second, direction, clear
):
    level = Level(0.5, direction)
    at_once, one_by_one = CrossingFinder(level, clear), CrossingFinder(level, clear)
    stamps = np.arange(len(first) + len(second))
    at_once.feed(stamps[: len(first)], np.array(first))
    found = at_once.feed(stamps[len(first) :], np.array(second))
    each = [one_by_one.feed(stamps[i : i + 1], np.array([y])) for i, y in enumerate(first + second)]
    later = [event for event in each[len(first) :] if event]
    assert (found is None) == (not later)
    if found is not None:
        assert (found.index, found.stamp) == (later[0].index, pytest.approx(later[0].stamp))
