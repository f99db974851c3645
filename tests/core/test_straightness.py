"""What may be called a straight line: false alarms, and curves that are seen."""

import numpy as np
import pytest
from scipy.signal import lfilter

from galena.core.second_look import Straightness, straightness, unless_within_uncertainty

CURVES = {
    "x^1.6": lambda x: x**1.6,
    "1/x": lambda x: 1 / x,
    "√x": np.sqrt,
    "e^(x/3)": lambda x: np.exp(x / 3),
    "1/x²": lambda x: x**-2.0,
    "1/x³": lambda x: x**-3.0,
    "x²": lambda x: x**2,
}


@pytest.mark.many
@pytest.mark.parametrize(
    ("count", "weighted"),
    [(6, False), (8, False), (8, True), (12, False), (30, False), (300, False)],
)
def test_straight_readings_are_called_curved_in_one_of_twenty(count, weighted):
    rng, x = np.random.default_rng(5), np.linspace(1, 5, count)
    sets = 700
    called = sum(
        straightness(x, 2 * x + 1 + rng.normal(0, 0.3, count), 0.3 if weighted else None)
        .is_straight is False for _ in range(sets)
    )  # fmt: skip
    assert abs(called / sets - 0.05) < 0.015 + 2 * np.sqrt(0.05 * 0.95 / sets)


@pytest.mark.parametrize("curve", CURVES)
@pytest.mark.parametrize("count", [7, 8])
@pytest.mark.parametrize("spacing", [np.linspace, np.geomspace])
def test_a_curve_without_scatter_is_seen_at_few_readings(curve, count, spacing):
    x = spacing(1.0, 6.0, count)
    found = straightness(x, CURVES[curve](x))
    assert found.is_straight is False
    assert found.why


def test_a_line_without_scatter_is_straight():
    x = np.arange(8.0)
    assert straightness(x, 3 * x + 1).is_straight
    assert straightness(x + 1.7e9, 3 * x + 1).is_straight
    assert straightness(x, np.full(8, 2.0)).is_straight


def test_few_readings_tell_nothing():
    few = straightness([1, 2, 3, 4], [1, 4, 9, 16])
    assert few.is_straight is None
    assert few.why == "4 readings are too few to tell a line from a curve"
    assert straightness([1, 1, 1, 2, 2, 3], [1, 2, 1, 4, 4, 9]).is_straight is None
    assert straightness([1, 2, 3, 4, np.nan], [1, 4, 9, 16, 25]).is_straight is None


@pytest.mark.many
def test_readings_that_follow_each_other_are_not_called_curved_by_themselves():
    rng, x, sets = np.random.default_rng(5), np.linspace(0, 5, 60), 300
    called = 0
    for _ in range(sets):
        gusts = lfilter([1.0], [1.0, -0.5], rng.normal(0, 1, 260))[200:]
        called += straightness(x, 2 * x + gusts).is_straight is False
    assert called / sets <= 0.07 + 2 * np.sqrt(0.07 * 0.93 / sets)


def test_a_curve_among_readings_that_follow_each_other_is_seen():
    rng, x = np.random.default_rng(6), np.linspace(0, 1, 200)
    gusts = lfilter([1.0], [1.0, -0.5], rng.normal(0, 1, 400))[200:]
    found = straightness(x, 40 * (x - 0.5) ** 2 + gusts)
    assert found.is_straight is False
    assert found.why.startswith("although readings follow each other, a ")


def test_a_coarse_last_digit_is_no_curve():
    x = np.arange(12.0)
    for start in np.linspace(0, 1, 21):
        assert straightness(x, np.round(0.3 * x + start)).is_straight
    rng, x = np.random.default_rng(7), np.linspace(0, 5, 300)
    called = [straightness(x, np.round(0.8 * x + rng.normal(0, 0.1, 300))).is_straight is False
              for _ in range(60)]  # fmt: skip
    assert np.mean(called) < 0.12
    curved = np.round(np.arange(1.0, 13.0) ** 2)
    assert straightness(np.arange(1.0, 13.0), curved).is_straight is False


def test_very_many_readings_are_judged_by_means_of_neighbours():
    rng, x = np.random.default_rng(8), np.linspace(0, 1, 50_000)
    assert straightness(x, x + rng.normal(0, 1, x.size)).is_straight
    assert straightness(x, x + 0.3 * x**2 + rng.normal(0, 1, x.size)).is_straight is False


def test_weights_decide_which_readings_tell():
    x = np.arange(1.0, 11.0)
    y = 2 * x + np.where(x > 6, (x - 6) ** 2, 0.0)
    rng = np.random.default_rng(9)
    y = y + rng.normal(0, 0.05, 10)
    assert straightness(x, y).is_straight is False
    assert straightness(x, y, np.where(x > 6, 50.0, 0.05)).is_straight


def test_a_curve_within_the_readings_own_uncertainties_is_none():
    x = np.linspace(1, 5, 12)
    curved = 3 * x + 0.01 * (x - 3) ** 2
    judged = straightness(x, curved + 1e-5 * np.random.default_rng(1).normal(size=x.size))
    assert judged.is_straight is False
    assert unless_within_uncertainty(judged, x, curved, None) is judged
    assert unless_within_uncertainty(judged, x, curved, 0.001) is judged
    assert unless_within_uncertainty(judged, x, curved, np.full(12, np.nan)) is judged
    within = unless_within_uncertainty(judged, x, curved, 0.03)
    assert (within.is_straight, within.why) == (
        True, "no curve is seen beyond the readings' uncertainties"
    )  # fmt: skip


def test_many_readings_show_a_curve_smaller_than_the_uncertainty_of_each():
    x = np.linspace(1, 5, 4000)
    y = 3 * x + 0.01 * (x - 3) ** 2 + np.random.default_rng(2).normal(0, 0.03, x.size)
    judged = straightness(x, y)
    assert judged.is_straight is False
    assert unless_within_uncertainty(judged, x, y, 0.03) is judged


def test_straight_readings_are_called_curved_by_chance_in_five_percent_at_most():
    random, x = np.random.default_rng(3), np.linspace(1, 5, 15)
    curved = Straightness(False, "a square more explains what a line leaves over")
    sets = 3 * x + random.normal(0, 0.1, (600, 15))
    kept = [unless_within_uncertainty(curved, x, y, 0.1) is curved for y in sets]
    assert np.mean(kept) < 0.07
