import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.calculus import (
    CalculusError,
    area,
    rate,
    rate_stencil,
    running_area,
    smooth,
    smooth_rate,
    window_stencil,
    window_variance,
)
from galena.core.errors import TooFewReadings
from tests.reference_cases import kind


def named(one: dict) -> str:
    return one["name"]


@pytest.mark.parametrize("reference", kind("analytic", "trapezoid_integral"), ids=named)
def test_areas_by_trapezoids_are_the_certified_ones(reference):
    expected = reference.get("expected_from_doubles") or reference["expected"]
    assert area(reference["y"], reference["x"]) == pytest.approx(expected["integral"], rel=1e-13)
    found = running_area(reference["y"], reference["x"])
    assert found == pytest.approx(expected["cumulative"], rel=1e-12, abs=1e-14)


@pytest.mark.parametrize("reference", kind("analytic", "second_derivative_zero"), ids=named)
def test_first_and_second_rates_of_change_are_the_certified_ones(reference):
    expected = reference.get("expected_from_doubles") or reference["expected"]
    first = rate(reference["y"], reference["x"])
    assert first == pytest.approx(expected["d1"], rel=1e-10, abs=1e-10)
    assert rate(first, reference["x"]) == pytest.approx(expected["d2"], rel=1e-9, abs=1e-8)


@pytest.mark.parametrize("reference", kind("analytic", "savgol_first_derivative"), ids=named)
def test_smoothing_over_a_window_is_the_certified_one(reference):
    expected = reference.get("expected_from_doubles") or reference["expected"]
    settings = reference["settings"]
    window, order = settings["window_length"], settings["polyorder"]
    x, y = reference["x"], reference["y"]
    # Extending the ends by their last value is another rule: there only the middle is compared.
    whole = settings["mode"] == "interp"
    part = slice(None) if whole else slice(window // 2, -(window // 2))
    smoothed = smooth(y, window, x, order=order)[part]
    assert smoothed == pytest.approx(np.array(expected["smoothed"])[part], rel=1e-10)
    slopes = smooth_rate(y, x, window, order=order)[part]
    assert slopes == pytest.approx(np.array(expected["first_derivative"])[part], rel=1e-8, abs=1e-9)


@given(
    st.lists(st.floats(0.01, 3), min_size=4, max_size=30),
    st.tuples(*[st.floats(-5, 5)] * 3),
)
def test_a_parabola_has_its_exact_rate_at_any_steps(steps, coefficients):
    x = np.cumsum(steps)
    a, b, c = coefficients
    y, slope = a * x * x + b * x + c, 2 * a * x + b
    size = 1 + np.abs(y).max()
    assert np.abs(rate(y, x) - slope).max() <= 1e-10 * size / min(steps)
    assert rate_stencil(x).apply(y) == pytest.approx(rate(y, x), abs=1e-9 * size / min(steps))
    if x.size >= 5:
        # A window of five keeps a parabola, at the ends as well.
        assert smooth(y, 5, x) == pytest.approx(y, abs=1e-9 * size)
        assert smooth_rate(y, x, 5) == pytest.approx(slope, abs=1e-8 * size / min(steps))


def test_the_rate_of_two_readings_is_the_slope_of_their_line():
    assert rate([1.0, 4.0], [0.0, 2.0]) == pytest.approx([1.5, 1.5])


def test_where_two_places_are_the_same_there_is_no_rate():
    found = rate([1.0, 2.0, 5.0, 6.0, 7.0], [0.0, 1.0, 1.0, 2.0, 3.0])
    assert not np.isfinite(found[1:3]).any()
    assert np.isfinite(found[4])


@pytest.mark.parametrize(
    ("act", "error", "said"),
    [
        (lambda: rate([1.0], [1.0]), TooFewReadings, "at least 2 readings; here there is only one"),
        (lambda: area([1.0, 2.0], [1.0]), CalculusError, "two rows of the same length"),
        (lambda: smooth([1.0] * 9, 4), CalculusError, "Take an odd number from 3 to 201"),
        (lambda: smooth([1.0] * 9, 11), TooFewReadings, "A window of 11 needs at least 11"),
    ],
)
def test_what_cannot_be_worked_out_is_refused(act, error, said):
    with pytest.raises(error, match=said):
        act()


def test_an_area_passes_over_a_gap():
    x, y = np.arange(6.0), np.arange(6.0) + 1
    y[2] = np.nan
    assert area(y, x) == pytest.approx(17.5)
    expected = [0.0, 1.5, np.nan, 7.5, 12.0, 17.5]
    assert running_area(y, x) == pytest.approx(expected, nan_ok=True)
    with pytest.raises(TooFewReadings):
        area([1.0, np.nan], [0.0, 1.0])


@given(st.integers(0, 2**32 - 1), st.sampled_from([3, 5, 11]), st.sampled_from([0.1, 1.0, 4.0]))
def test_moving_sums_give_what_the_weights_of_each_window_do(seed, window, uneven):
    draw = np.random.default_rng(seed)
    count = int(draw.integers(window, 60))
    x = 10 ** draw.uniform(-6, 6) * (np.cumsum(draw.exponential(1, count) ** uneven + 1e-3))
    y, u = draw.normal(size=count) + draw.choice([0, 1e6]), draw.random(count)
    for of_rate, values in ((False, smooth(y, window, x)), (True, smooth_rate(y, x, window))):
        stencil = window_stencil(x, window, of_rate=of_rate)
        size = np.abs(stencil.weights).sum(axis=1) * np.abs(y).max()
        assert (np.abs(values - stencil.apply(y)) <= 1e-12 * size).all()
        expected = np.sum(stencil.weights**2 * u[stencil.columns] ** 2, axis=1)
        assert window_variance(u, x, window, of_rate=of_rate) == pytest.approx(expected, rel=1e-9)
