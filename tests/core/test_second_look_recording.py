"""Each remark is made where it should be, and not where a run is good."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from galena.core.second_look import recordings as look

RNG = np.random.default_rng(7)


def pulse(rate, width=0.004):
    t = np.arange(-0.05, 0.05, 1 / rate)
    x = t / width
    return t, -3 * x * np.exp(-x * x) + RNG.normal(0, 0.002, t.size)


@pytest.mark.parametrize("rate", [10_000, 3000])
def test_a_pulse_with_enough_readings_is_not_remarked_on(rate):
    assert look.too_few_across(*pulse(rate), 10_000) is None


@pytest.mark.parametrize(("rate", "advice"), [(500, "10\u2009000"), (1000, "5\u2009000")])
def test_a_pulse_with_too_few_readings_gets_a_rate_to_try(rate, advice):
    remark = look.too_few_across(*pulse(rate), 10_000)
    assert "reading" in remark.observation and "across the fastest part" in remark.observation
    assert remark.advice == f"Try {advice} a second."


def test_where_the_channel_gives_no_more_there_is_no_remark():
    assert look.too_few_across(*pulse(500), 500) is None


@given(st.integers(0, 999), st.floats(-5, 5), st.floats(0.01, 2))
@settings(max_examples=40)
def test_noise_on_a_ramp_is_no_fast_part(seed, slope, noise):
    t = np.arange(400) / 20
    y = slope * t + np.random.default_rng(seed).normal(0, noise, t.size)
    assert look.too_few_across(t, y, 1000) is None
    assert look.not_settled(t, y) is None


def test_readings_at_the_limit_are_counted():
    raw = np.array([1.0, 4.999, 5.0, 5.0])
    remark = look.at_limit(raw, -5.0, 5.0, 0.001, "V")
    assert remark.observation.startswith("2 readings are at the sensor's limit of 5 V")
    assert look.at_limit(-raw[:2], -5.0, 5.0, 0.001, "V") is None
    below = look.at_limit(-raw[2:3], -5.0, 5.0, 0.001, "V")
    assert below.observation.startswith("One reading is at the sensor's limit of −5 V")


def test_a_stretch_of_the_very_same_reading_stands_out():
    t = np.arange(600) / 20
    y = np.round(50 + RNG.normal(0, 0.3, 600), 1)
    assert look.identical(t, y) is None
    y[200:400] = y[200]
    remark = look.identical(t, y)
    assert remark.observation == "200 readings from t = 10 s on are the very same."
    assert look.identical(t, np.round(y * 0 + t * 0.1, 1)) is None  # slow, but all stretches alike
    assert look.identical(t[:10], y[:10]) is None


def test_lost_readings_are_said_with_their_share():
    assert look.lines_lost(1200, 0, 0) is None
    assert look.lines_lost(1188, 12, 3).observation.startswith(
        "12 readings were lost on the way (1.0 %)"
    )
    assert look.lines_lost(99_999, 0, 1).observation.startswith(
        "One reading was lost on the way (under"
    )


@pytest.mark.parametrize(("lasts", "settled"), [(1.2, False), (2.0, False), (4.0, True)])
def test_an_approach_to_a_level_must_be_recorded_to_its_end(lasts, settled):
    t = np.arange(0, lasts * 1000, 4.0)
    y = 20 + 60 * np.exp(-t / 1000) + RNG.normal(0, 0.08, t.size)
    remark = look.not_settled(t, y)
    assert (remark is None) == settled
    if remark:
        assert remark.observation.startswith("It had not settled at the end: about ")


@pytest.mark.parametrize(
    "shape",
    [lambda t: 200 * (1 - t / 80) ** 2, np.sin, lambda t: np.sqrt(t + 1), lambda t: t * 0 + 4],
    ids=["emptying", "swinging", "slowing", "still"],
)
def test_other_shapes_are_no_approach_to_a_level(shape):
    t = np.arange(0, 60, 0.05)
    noise = np.random.default_rng(3).normal(0, 0.2, t.size)
    assert look.not_settled(t, shape(t) + noise) is None


def test_a_reading_that_did_not_change_though_the_setting_did():
    d = np.array([0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6])
    y = np.array([801.2, 517.9, 363.0, 269.1, 204.6, 204.1, 94.7])
    u = np.full(7, 0.3)
    found = look.unchanged_steps(d, y, u, name="d")
    assert {row: remark.observation for row, remark in found.items()} == {
        5: "The same as before, though d changed."
    }
    y[5] = 134.2
    assert look.unchanged_steps(d, y, u) == {}
    assert look.unchanged_steps(d[:6], np.array([801, 518, 363, 269, 204.6, 204.1]), u[:6]) == {}
    live = look.unchanged_steps(
        d[:6], np.array([801, 518, 363, 269, 204.6, 204.1]), u[:6], live=True
    )
    assert list(live) == [5]


def test_a_flat_end_of_a_curve_and_a_repeated_setting_are_no_mistakes():
    x = np.linspace(-5, 5, 21)
    edge = 100 / (1 + np.exp(4 * x))
    assert look.unchanged_steps(x, edge, np.full(21, 0.05)) == {}
    assert (
        look.unchanged_steps(np.array([1.0, 1.0, 2.0]), np.array([5.0, 5.0, 9.0]), np.full(3, 0.01))
        == {}
    )


@pytest.mark.parametrize("count", [0, 1, 3, 30])
def test_few_or_no_readings_are_looked_at_without_harm(count):
    t, y = np.arange(float(count)), np.full(count, np.nan)
    assert look.too_few_across(t, y, 10) is None
    assert look.not_settled(t, y) is None
    assert look.identical(t, y) is None
    assert look.unchanged_steps(t, y, y) == {}
