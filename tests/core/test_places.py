"""What is asked of readings at a place or in a stretch: slopes, areas, crossings, plateaus."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import lfilter

from galena.core.areas import area_between
from galena.core.crossings import crossings, extreme, half_way
from galena.core.errors import FitError, TooFewReadings
from galena.core.local_slope import tangent
from galena.core.plateaus import plateaus
from tests.reference_cases import kind

X = np.linspace(0.0, 10.0, 101)


@pytest.mark.parametrize(
    "reference", kind("analytic", "trapezoid_integral"), ids=lambda one: one["name"]
)
def test_an_area_between_readings_is_interpolated(reference):
    found = area_between(reference["x"], reference["y"], reference["a"], reference["b"])
    assert found.value == pytest.approx(reference["expected"]["integral_between"], rel=1e-9)
    whole = area_between(reference["x"], reference["y"], -1e9, 1e9)
    assert whole.value == pytest.approx(reference["expected"]["integral"], rel=1e-9)
    assert (whole.lo, whole.hi) == (reference["x"][0], reference["x"][-1])


@given(lo=st.floats(0.0, 4.9), width=st.floats(0.01, 5.0), level=st.floats(-3, 3))
def test_the_area_under_a_line_is_exact_above_any_baseline(lo, width, level):
    hi = lo + width
    exact = (hi**2 - lo**2) / 2 + 2 * width
    assert area_between(X, X + 2, lo, hi).value == pytest.approx(exact)
    above = area_between(X, X + 2, lo, hi, baseline=level).value
    assert above == pytest.approx(exact - level * width)
    assert area_between(X, X + 2, lo, hi, baseline="ends").value == pytest.approx(0, abs=1e-9)


@pytest.mark.many
def test_the_uncertainty_of_an_area_is_the_scatter_of_repeated_ones():
    rng = np.random.default_rng(1)
    for options in ({}, {"baseline": "ends"}, {"readings_only": True}):
        areas = [
            area_between(X, np.sin(X) + rng.normal(0, 0.1, X.size), 1.03, 7.07, 0.1, **options)
            for _ in range(2000)
        ]
        scatter = np.std([one.value for one in areas], ddof=1)
        assert areas[0].u == pytest.approx(scatter, rel=0.1)
    shared = area_between(X, X, 2.0, 5.0, 0.0, 0.2)
    assert (shared.u, shared.u_shared) == (0.0, pytest.approx(0.6))
    with pytest.raises(TooFewReadings, match="An area needs at least 2"):
        area_between(X, X, 3.01, 3.05, readings_only=True)


@given(at=st.floats(0.0, 10.0), order=st.sampled_from([1, 2]), count=st.integers(4, 40))
def test_a_tangent_to_its_own_polynomial_is_exact(at, order, count):
    found = tangent(X, 3 * X**order + 1, at, count, order)
    assert found.slope == pytest.approx(3 * order * at ** (order - 1), rel=1e-6, abs=1e-6)
    assert found.y == pytest.approx(3 * at**order + 1, rel=1e-6)
    assert found.count == count
    assert found.at(at + 1) == pytest.approx(found.y + found.slope)


def test_the_uncertainty_of_a_slope_is_the_scatter_of_repeated_ones():
    rng = np.random.default_rng(2)
    made = [tangent(X, 2 * X + rng.normal(0, 0.1, X.size), 5.0, 15) for _ in range(1500)]
    scatter = np.std([one.slope for one in made], ddof=1)
    assert np.mean([one.u_slope for one in made]) == pytest.approx(scatter, rel=0.1)
    with pytest.raises(TooFewReadings, match="A slope needs at least 3"):
        tangent([1.0, 2.0], [1.0, 2.0], 1.5)
    with pytest.raises(FitError, match="at least 4 readings"):
        tangent(X, X, 5.0, 3, 2)


def test_all_crossings_are_listed_with_their_direction():
    found = crossings([0, 1, 2, 3, 4, 5], [0, 2, 1, 1, 3, 1], 1.0, 0.1)
    assert [(one.x, one.rising) for one in found] == [(0.5, True)]
    zeros = crossings(X, np.sin(X), 0.0, 0.01)
    assert [one.x for one in zeros] == pytest.approx([math.pi, 2 * math.pi, 3 * math.pi], abs=1e-3)
    assert [one.rising for one in zeros] == [False, True, False]
    assert zeros[0].u_x == pytest.approx(0.01, rel=0.3)
    assert crossings(X, X, 20.0, 0.1) == []
    flat = crossings([0, 1, 2, 3], [-1, 0, 0, 1], 0.0, 0.1)
    assert [one.x for one in flat] == [1.5]


def test_the_uncertainty_of_a_crossing_is_the_scatter_of_repeated_ones():
    rng = np.random.default_rng(3)
    made = [crossings(X, 4 * X + rng.normal(0, 0.05, X.size), 20.1, 0.05)[0] for _ in range(2000)]
    scatter = np.std([one.x for one in made], ddof=1)
    assert np.mean([one.u_x for one in made]) == pytest.approx(scatter, rel=0.1)


@given(top=st.floats(0.2, 9.8), height=st.floats(-5, 5), way=st.sampled_from([1, -1]))
def test_the_extreme_of_a_parabola_lies_between_readings(top, height, way):
    found = extreme(X, height - way * 3 * (X - top) ** 2, 0.01, highest=way > 0)
    assert (found.x, found.y) == (pytest.approx(top, abs=1e-6), pytest.approx(height, abs=1e-6))
    assert 0 < found.u_x < 0.2


@pytest.mark.parametrize(("noise", "rate"), [(0.0008, 50), (0.0008, 200), (0.01, 50)])
def test_a_noisy_top_is_as_sure_as_it_says(noise, rate):
    rng = np.random.default_rng(5)
    off = []
    for _ in range(400):
        t = np.arange(-0.45, 0.45, 1 / rate) + rng.uniform(-0.01, 0.01)
        top = extreme(t, 0.118 * np.cos(4.38 * t) + rng.normal(0, noise, t.size), noise)
        off.append((top.x / top.u_x, (top.y - 0.118) / top.u_y))
    beyond = np.mean(np.abs(off) > 2, axis=0)
    assert np.all(beyond < 0.08)
    assert np.all(np.std(off, axis=0) > 0.7)  # nor is it less sure than it could be


def test_a_top_that_falls_faster_on_a_side_stays_where_it_is():
    rng = np.random.default_rng(6)
    t = np.arange(-0.45, 0.45, 0.01)
    shape = np.exp(-(t**2) / 2 / np.where(t < 0, 0.1, 0.2) ** 2)
    tops = [extreme(t, shape + rng.normal(0, 0.01, t.size), 0.01) for _ in range(100)]
    assert abs(np.mean([one.x for one in tops])) < 0.01  # a parabola alone: 0.016
    assert np.mean([abs(one.x) > 4 * one.u_x for one in tops]) < 0.05


def test_an_extreme_at_the_end_is_that_reading():
    found = extreme(X, X, 0.1)
    assert (found.x, found.between) == (10.0, False)
    assert extreme([1.0, 2.0, 3.0], [2.0, 2.0, 2.0], 0.1).between is False
    with pytest.raises(TooFewReadings):
        extreme([], [], 0.1)


@pytest.mark.parametrize("way", [1, -1])
def test_a_flat_top_is_given_by_its_middle_and_its_ends(way):
    y = way * np.minimum(1 - ((X - 4.0) / 3.0) ** 2, 0.89)  # clipped from 3.1 to 4.9
    found = extreme(X, y, 0.01, highest=way > 0)
    assert (found.equal, found.between) == (19, True)
    assert (found.x, found.y, found.u_y) == (pytest.approx(4.0), pytest.approx(way * 0.89), 0.01)
    assert found.u_x == pytest.approx(0.9)
    ten = extreme(np.arange(10.0), np.full(10, 2.0), 0.1)
    assert (ten.x, ten.y, ten.equal, ten.u_x) == (4.5, 2.0, 10, 4.5)
    pair = extreme([0.0, 1.0, 2.0, 3.0], [0.0, 3.0, 3.0, 0.0], 0.0)
    assert (pair.x, pair.equal) == (1.5, 2)
    assert pair.y == pytest.approx(3.375)


def test_a_stretch_on_a_level_is_covered_by_the_uncertainty_of_its_crossing():
    y = np.concatenate((np.linspace(-1, -0.1, 10), np.zeros(6), np.linspace(0.1, 1, 10)))
    (found,) = crossings(np.arange(26.0), y, 0.0, 0.01)
    assert (found.x, found.equal) == (12.5, 6)
    assert found.x - found.u_x <= 10 and found.x + found.u_x >= 15
    assert crossings(np.arange(20.0), np.abs(np.arange(20.0) - 9.0), 0.0, 0.01) == []


def test_gaps_and_what_lies_outside_do_not_spoil_an_area():
    y, u = X + 1.0, np.full(X.size, 0.1)
    y[40], u[40], u[90:] = np.nan, np.nan, np.nan
    found = area_between(X, y, 1.0, 7.0, u, u)
    assert found.value == pytest.approx(30.0)
    assert found.u == pytest.approx(0.1 * 0.1 * math.sqrt(60), rel=0.02)
    assert found.u_shared == pytest.approx(0.6)


def test_what_two_areas_share_keeps_its_sign():
    rising, falling = (area_between(X, X, 0.0, 10.0, 0.0, way * 0.2) for way in (1, -1))
    assert rising.u_shared == pytest.approx(2.0)
    assert falling.u_shared == pytest.approx(-2.0)


def test_the_middle_of_a_step_is_found_in_noise():
    rng = np.random.default_rng(4)
    y = 3 + 2 * np.tanh((X - 4.2) / 0.4) + rng.normal(0, 0.05, X.size)
    at, before, after = half_way(X, y, 0.05)
    assert (before, after) == (pytest.approx(1.0, abs=0.05), pytest.approx(5.0, abs=0.05))
    assert at.x == pytest.approx(4.2, abs=4 * at.u_x)
    assert at.rising and at.u_x < 0.05
    with pytest.raises(TooFewReadings):
        half_way(X[:5], X[:5], 0.1)


@pytest.mark.parametrize("order", ["rising", "mixed"])
@pytest.mark.parametrize("noise", [0.0, 0.05, 0.2])
def test_many_short_plateaus_are_found(order, noise):
    rng = np.random.default_rng(6)
    levels = np.arange(20.0) if order == "rising" else rng.permutation(20).astype(float)
    found = plateaus(np.arange(600.0), np.repeat(levels, 30) + rng.normal(0, noise, 600))
    assert len(found) == 20
    assert all(30 * k - 0.5 <= lo < hi <= 30 * k + 29.5 for k, (lo, hi) in enumerate(found))


def test_gusts_do_not_take_a_plateau_apart():
    rng = np.random.default_rng(1)
    t, target = np.arange(0.0, 150.0, 0.1), np.repeat([3.1, 6.0, 9.2, 12.1, 15.0], 300)
    mean = lfilter([0.1 / 4.0], [1.0, -(1 - 0.1 / 4.0)], target)  # it settles within 4 s
    gust = lfilter([1.0], [1.0, -0.67], rng.normal(0, 0.0186, t.size))
    found = plateaus(t, mean * (1 + gust) + rng.normal(0, 0.02, t.size))
    assert [int(lo // 30) for lo, _ in found] == [0, 1, 2, 3, 4]
    settled = [float(mean[(t >= lo) & (t <= hi)].mean()) for lo, hi in found]
    assert settled == pytest.approx([3.1, 6.0, 9.2, 12.1, 15.0], abs=0.06)


def test_plateaus_are_found_between_steps_and_nowhere_on_a_slope():
    rng = np.random.default_rng(5)
    t = np.arange(0.0, 100.0, 0.1)
    truth = np.floor(t / 20.0)
    found = plateaus(t, truth + rng.normal(0, 0.05, t.size))
    assert len(found) == 5
    for number, (lo, hi) in enumerate(found):
        assert 20 * number - 0.1 <= lo < hi <= 20 * (number + 1) + 0.1
        assert hi - lo > 8
    assert len(plateaus(t, np.full(t.size, 3.0))) == 1
    assert plateaus(t, t + rng.normal(0, 0.05, t.size)) == []
    with pytest.raises(TooFewReadings):
        plateaus(t[:10], t[:10])
