"""Results of several put together: known cases, and what holds for all."""

import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy import stats

from galena.core.errors import TooFewReadings
from galena.core.pooling import pool

VALUES = st.lists(st.floats(-1e6, 1e6), min_size=2, max_size=12)


def test_equal_uncertainties_that_explain_the_scatter():
    pooled = pool([9.8, 10.0, 10.2], [0.3, 0.3, 0.3])
    assert pooled.count == 3
    assert pooled.mean == pooled.weighted_mean == pytest.approx(10.0)
    assert pooled.u_mean == pytest.approx(0.2 / math.sqrt(3))
    assert pooled.between_sd == 0.0
    assert pooled.u_weighted_mean == pytest.approx(0.3 / math.sqrt(3))
    assert pooled.birge_ratio == pytest.approx(math.sqrt(0.08 / 0.09 / 2))
    assert not pooled.is_more_than_chance


def test_a_case_worked_by_hand():
    # w = 1, 1/4, 1/4: mean 11.5/1.5; Q = Σ w (y - m)²; C = 1.5 - 1.125/1.5
    y, u = [6.0, 10.0, 12.0], [1.0, 2.0, 2.0]
    mean = (6 + 10 / 4 + 12 / 4) / 1.5
    q = (6 - mean) ** 2 + (10 - mean) ** 2 / 4 + (12 - mean) ** 2 / 4
    between = (q - 2) / (1.5 - 1.125 / 1.5)
    pooled = pool(y, u)
    assert pooled.between_sd == pytest.approx(math.sqrt(between))
    weights = np.array([1 / (1 + between), 1 / (4 + between), 1 / (4 + between)])
    assert pooled.weighted_mean == pytest.approx(np.dot(weights, y) / weights.sum())
    assert pooled.u_weighted_mean == pytest.approx(1 / math.sqrt(weights.sum()))
    assert pooled.birge_ratio == pytest.approx(math.sqrt(q / 2))
    assert pooled.p_value == pytest.approx(stats.chi2.sf(q, 2))
    assert pooled.median == 10.0


def test_welch_s_test_of_two_is_that_of_welch_and_student():
    a, b = [9.1, 9.4, 9.0, 9.6], [10.2, 9.7, 10.9, 10.1, 9.9]
    u = [np.std(one, ddof=1) / math.sqrt(len(one)) for one in (a, b)]
    pooled = pool([np.mean(a), np.mean(b)], u, [3, 4])
    assert pooled.p_value == pytest.approx(stats.ttest_ind(a, b, equal_var=False).pvalue)


def test_few_readings_each_alarm_as_rarely_as_they_should():
    rng = np.random.default_rng(5)
    by_welch = by_chi = 0
    for _ in range(2000):
        readings = rng.normal(3.0, 0.4, (8, 4))
        u = readings.std(axis=1, ddof=1) / 2
        by_welch += pool(readings.mean(axis=1), u, 3).is_more_than_chance
        by_chi += pool(readings.mean(axis=1), u).is_more_than_chance
    assert 0.03 < by_welch / 2000 < 0.09
    assert by_chi / 2000 > 0.25


def test_one_wrong_group_is_more_than_chance():
    pooled = pool([2.01, 1.99, 2.02, 2.00, 4.02], [0.02] * 5)
    assert pooled.is_more_than_chance
    assert pooled.between_sd > 0.5
    assert pooled.median == 2.01


def test_one_alone_says_what_it_said():
    pooled = pool([2.0], [0.1])
    assert (pooled.mean, pooled.u_mean, pooled.weighted_mean, pooled.u_weighted_mean) == (
        2.0, 0.1, 2.0, 0.1)  # fmt: skip
    assert not pooled.is_more_than_chance


def test_what_is_not_known_is_not_a_number():
    pooled = pool([1.0, 2.0, math.nan], [0.0, 0.1, 0.1])
    assert (pooled.count, pooled.mean) == (2, 1.5)
    assert math.isnan(pooled.weighted_mean) and math.isnan(pooled.p_value)
    assert not pooled.is_more_than_chance
    with pytest.raises(TooFewReadings):
        pool([], [])


@given(VALUES, st.floats(1e-3, 1e3), st.floats(1e-3, 1e3))
def test_a_change_of_unit_changes_nothing_but_the_unit(values, u, factor):
    assume(np.ptp(values) > 1e-6)
    first, second = pool(values, u), pool(np.array(values) * factor, u * factor)
    for name in ("mean", "u_mean", "weighted_mean", "u_weighted_mean", "median"):
        wanted = getattr(first, name) * factor
        assert getattr(second, name) == pytest.approx(wanted, rel=1e-6, abs=1e-6 * factor)
    assert second.birge_ratio == pytest.approx(first.birge_ratio, rel=1e-6)


@given(VALUES, st.floats(1e-3, 1e3))
def test_the_weighted_mean_lies_among_the_results_and_is_no_surer_than_its_parts(values, u):
    pooled = pool(values, u)
    slack = 1e-9 * max(1.0, max(map(abs, values)))
    assert min(values) - slack <= pooled.weighted_mean <= max(values) + slack
    assert pooled.u_weighted_mean >= u / math.sqrt(len(values)) * (1 - 1e-9)
    assert 0 <= pooled.p_value <= 1
