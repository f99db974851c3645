import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.matching import in_words, match


def test_one_reading_that_is_off_does_not_pull_the_middle():
    found = match([412.6, 408.9, 371.4, 410.2], 5.0)
    assert found.level == pytest.approx(409.55)
    assert found.matched == (True, True, False, True)
    assert found.off[2] == pytest.approx(-38.15)


@pytest.mark.parametrize("readings", [[], [1.0], [1.0, math.nan]])
def test_fewer_than_two_readings_are_not_compared(readings):
    assert match(readings, 1.0) is None


def test_a_reading_that_is_none_is_not_matched():
    found = match([1.0, math.nan, 1.0], 0.5)
    assert found.matched == (True, False, True)
    assert in_words(found.off[1], 0.5, "–") == "no reading"


@given(st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=16), st.floats(0.1, 100))
def test_matched_readings_differ_by_twice_the_tolerance_at_most(readings, tolerance):
    found = match(readings, tolerance)
    inside = [one for one, good in zip(readings, found.matched, strict=True) if good]
    assert not inside or max(inside) - min(inside) <= 2 * tolerance * (1 + 1e-9)


@pytest.mark.parametrize(
    ("off", "words"), [(0.3, "matched"), (-39.5, "39.5 low"), (39.5, "39.5 high")]
)
def test_how_a_reading_stands_is_said_in_words(off, words):
    assert in_words(off, 5.0, "39.5") == words
