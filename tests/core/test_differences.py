"""Numbers beside each other: read between readings, subtracted, pooled."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.covariance import OfOrigin, own_covariance
from galena.core.differences import Uncertain, difference
from galena.core.errors import TooFewReadings
from galena.core.interpolation import read_between
from galena.core.pooling import mean_of_repeats
from galena.core.statistics import uncertainty_of_median, uncertainty_of_sd

sizes = st.floats(0.01, 100)


def test_a_value_between_two_readings_lies_on_the_line_that_joins_them():
    read = read_between([0, 1, 3], [10, 20, 60], 2.0, [3, 3, 4], [1, 1, 3])
    assert (read.y, read.u, read.shared) == (40.0, math.hypot(1.5, 2.0), 2.0)
    assert read_between([0, 1], [5, 7], 1.0).y == 7.0
    assert read_between([0, 1, 2], [5, math.nan, 9], 1.0).y == 7.0
    assert read_between([4.0], [2.5], 4.0) == read_between([4.0, 5.0], [2.5, 9.0], 4.0)


@pytest.mark.parametrize("at", [-0.1, 3.1, math.nan])
def test_nothing_is_read_beyond_the_readings(at):
    with pytest.raises(TooFewReadings):
        read_between([0, 1, 3], [10, 20, 60], at)


@given(a=sizes, b=sizes, u=sizes, v=sizes, r=st.floats(-0.9, 0.9), c=sizes)
def test_a_difference_is_as_uncertain_as_many_trials_show(a, b, u, v, r, c):
    shared = {"zero": 0.3}
    off = difference(Uncertain(a, u, shared), Uncertain(b, v, shared), r * u * v)
    assert off.value == b - a
    assert off.u == pytest.approx(math.sqrt(u**2 + v**2 - 2 * r * u * v))
    gradient = np.array([-b / a**2, 1 / a])
    covariance = np.array([[u**2, r * u * v], [r * u * v, v**2]])
    common = 0.3 * gradient.sum()
    assert off.u_share == pytest.approx(math.sqrt(gradient @ covariance @ gradient + common**2))
    assert off.share == pytest.approx(b / a - 1, rel=1e-9, abs=1e-9)
    assert off.apart == pytest.approx(abs(off.value) / off.u)
    scaled = difference(Uncertain(c * a, c * u), Uncertain(c * b, c * v))
    assert scaled.share == pytest.approx(off.share, rel=1e-9, abs=1e-9)


def test_what_both_share_cancels_and_nothing_known_is_no_number():
    same = difference(Uncertain(4.0, 0.0, {"zero": 0.5}), Uncertain(6.0, 0.0, {"zero": 0.5}))
    assert math.isnan(same.u)
    assert math.isnan(same.apart)
    assert math.isnan(difference(Uncertain(0.0, 0.1), Uncertain(1.0, 0.1)).share)


def test_numbers_of_one_origin_share_its_sources_and_others_their_readings():
    slope = OfOrigin("fit of A", 0.5, {"fit 0": 0.3, "fit 1": 0.4})
    intercept = OfOrigin("fit of A", 1.0, {"fit 0": -0.8, "fit 1": 0.6})
    mean = OfOrigin("mean of B", 2.0, {})
    covariance = own_covariance([slope, intercept, mean], lambda i, j: 0.25)
    assert covariance == pytest.approx(
        np.array([[0.25, 0.0, 0.25], [0.0, 1.0, 0.5], [0.25, 0.5, 4.0]])
    )


def test_repeats_are_no_surer_than_what_is_known_of_each():
    assert mean_of_repeats([5.0, 5.0], [0.3, 0.4]) == (5.0, pytest.approx(0.25))
    mean, u = mean_of_repeats([4.0, 6.0, math.nan], [0.0, 0.0, 9.0])
    assert (mean, u) == (5.0, pytest.approx(1.0))
    assert mean_of_repeats([7.0], [0.2]) == (7.0, 0.2)
    with pytest.raises(TooFewReadings):
        mean_of_repeats([math.nan], [1.0])


def test_a_standard_deviation_and_a_median_scatter_as_they_are_said_to():
    rng = np.random.default_rng(7)
    sets = rng.normal(0.0, 2.0, (20_000, 40))
    assert sets.std(axis=1, ddof=1).std() == pytest.approx(uncertainty_of_sd(2.0, 40), rel=0.03)
    assert np.median(sets, axis=1).std() == pytest.approx(uncertainty_of_median(2.0, 40), rel=0.03)
    assert uncertainty_of_sd(2.0, 1) == uncertainty_of_sd(2.0, 2)
