import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import units
from galena.core.noise import honest_decimals, is_moving, quiet_scatter, scatter
from galena.core.second_look import remarks, zeros
from galena.core.second_look.readings import Digits, noisy_digits
from galena.core.second_look.recordings import Channel
from tests.core.test_units import LISTED


@pytest.mark.parametrize(
    ("unit", "needed"),
    [("N", True), ("mN", True), ("kg", True), ("kPa", True), ("lx", False), ("°C", False),
     ("", False), ("no unit at all", False)],
)  # fmt: skip
def test_force_like_channels_need_a_zero(unit, needed):
    assert zeros.needs_zero(unit) == needed


@pytest.mark.parametrize("symbol", LISTED)
def test_a_unit_needs_a_zero_as_all_that_measure_the_same_do(symbol):
    measured = units.parse(symbol)
    like = any(measured.is_compatible(units.parse(unit)) for unit in ("N", "kg", "Pa", "N m"))
    assert zeros.needs_zero(symbol) == like


def test_channels_that_were_never_zeroed_are_named():
    assert zeros.never_zeroed([]) is None
    assert str(zeros.never_zeroed(["lift"])) == (
        "lift was never zeroed. "
        "Take the load off and zero it on the Bench, or the readings keep an offset."
    )
    assert zeros.never_zeroed(["a", "b", "c"]).observation == "a, b and c were never zeroed."


@pytest.mark.parametrize(
    ("noise", "resolution", "decimals"),
    [(0.4, 0.1, 1), (0.03, 0.01, 2), (0.09, 0.001, 2), (0.1, 0.001, 1), (2.5, 0.1, 0),
     (0.0, 0.01, 2), (math.nan, 0.5, 1), (0.0, 0.0, 0), (1e-12, 1e-15, 9)],
)  # fmt: skip
def test_the_last_digit_is_the_first_that_the_noise_moves(noise, resolution, decimals):
    assert honest_decimals(noise, resolution) == decimals


@pytest.mark.parametrize(
    ("shown", "observation"),
    [(1, None), (2, "The last digit is noise: 1 would do."), (4, "The last 3 are noise: 1 would")],
)
def test_digits_that_are_only_noise_are_remarked_on(shown, observation):
    remark = noisy_digits(Digits(shown, 1))
    assert (remark is None) if observation is None else str(remark).startswith(observation)


@given(st.floats(-20, 20), st.floats(0.01, 10))
def test_a_drift_is_no_scatter(slope, spread):
    noise = np.random.default_rng(5).normal(0, spread, 2000)
    readings = slope * np.linspace(0, 0.1, 2000) + noise
    assert scatter(readings) == pytest.approx(spread, rel=0.1)


def test_the_scatter_of_too_few_readings_is_not_told():
    assert math.isnan(scatter(np.array([1.0, math.nan, 2.0])))


@pytest.mark.parametrize(("slope", "moving"), [(0.0, False), (0.5, False), (20.0, True)])
def test_readings_that_run_are_told_from_noise(slope, moving):
    noise = np.random.default_rng(2).normal(0, 0.5, 40)
    assert is_moving(slope * np.linspace(0, 2, 40) + noise) == moving
    assert not is_moving(np.array([1.0, 5.0, 9.0]))


def test_the_quiet_scatter_is_deaf_to_an_event():
    noise = np.random.default_rng(2).normal(0, 0.2, 4000)
    assert quiet_scatter(noise) == pytest.approx(0.2, rel=0.06)
    noise[1000:1100] += 50 * np.sin(np.arange(100))
    assert quiet_scatter(noise) == pytest.approx(0.2, rel=0.1)
    assert np.isnan(quiet_scatter(noise[:2]))


@pytest.mark.parametrize(
    ("unit", "symbol", "reason"),
    [
        ("°C", "T_1", "0 °C is one of its values"),
        ("K", "T", "0 K is absolute zero"),
        ("", "pH", "pH 0 is one of its values"),
        ("mV", "pH_1", "pH 0 is one of its values"),
        ("ms", "t", "time has its own zero"),
        ("N", "F", ""),
        ("mm", "h", ""),
        ("", "n", ""),
        ("blorp", "b", ""),
    ],
)
def test_a_quantity_with_a_zero_of_its_own_is_not_zeroed_with_others(unit, symbol, reason):
    assert zeros.why_not_zeroed(unit, symbol) == reason


def test_what_was_not_zeroed_is_said():
    assert zeros.left_as_they_are({}) == ""
    observation = zeros.left_as_they_are({"water temperature": "0 °C is one of its values"})
    assert observation == (
        "Not zeroed, water temperature: 0 °C is one of its values. If it is meant, zero it at its "
        "own strip."
    )


def looked_at(y):
    """Give what all looks at a channel remark on."""
    y = np.asarray(y, dtype=float)
    t = np.arange(y.size) / 10
    return remarks("channel", Channel(t, y, y, 100.0, -1e6, 1e6, 0.1, "mm", True))


@pytest.mark.parametrize("count", [1, 8, 19, 40, 51, 300])
@pytest.mark.parametrize("value", [0.0, 5.0, -0.3, 1e-300, 1e5, math.nan])
def test_of_readings_that_are_all_the_same_no_more_is_said_than_that(count, value):
    remarked = [str(remark) for remark in looked_at([value] * count)]
    assert all("same" in remark for remark in remarked)
    assert len(remarked) == (count > 50 and not math.isnan(value))


@given(
    st.lists(
        st.sampled_from([0.0, 1.0, 5.0, 5.1, -2.0, math.nan, 1e100, -1e100, 1e-300])
        | st.floats(-1e3, 1e3),
        max_size=60,
    )
)
def test_any_readings_are_looked_at(readings):
    looked_at(readings)


@given(st.lists(st.sampled_from([0.0, 1.0, 5.0]), min_size=1, max_size=4), st.integers(1, 100))
def test_readings_in_steps_are_looked_at(levels, each):
    looked_at(np.repeat(levels, each))
