"""From where on readings are taken for a level: what is left of the approach to it."""

import math

import numpy as np
import pytest
from scipy.signal import lfilter

from galena.core.plateaus import plateaus
from galena.core.settling import settled
from galena.core.statistics import mean_with_uncertainty

STEPS = (3.1, 6.0, 9.2, 12.1, 15.0)


def _duct(seed, each, dt=0.05, settling=4.0, gusts=0.25):
    """Speeds at five steps: each is approached exponentially and made unsteady by gusts."""
    rng = np.random.default_rng(seed)
    target = np.repeat(STEPS, round(each / dt))
    kept, gust = math.exp(-dt / settling), math.exp(-dt / gusts)
    mean = lfilter([1 - kept], [1, -kept], target)
    unsteady = 0.025 * math.sqrt(1 - gust**2) * rng.standard_normal(target.size)
    v = mean * (1 + lfilter([1], [1, -gust], unsteady)) + rng.normal(0, 0.02, target.size)
    return np.arange(target.size) * dt, v.round(2)


def _off(seed, each, dt):
    """How far the means of plateaus lie from the truth, in their uncertainties."""
    t, v = _duct(seed, each, dt)
    stretches = plateaus(t, v)
    assert [int(lo // each) for lo, _ in stretches] == [0, 1, 2, 3, 4]
    means = [mean_with_uncertainty(v[(t >= lo) & (t <= hi)]) for lo, hi in stretches]
    return [(mean - step) / u for (mean, u), step in zip(means, STEPS, strict=True)]


@pytest.mark.parametrize("dt", [0.1, 0.05])
def test_means_of_plateaus_owe_nothing_to_the_approach(dt):
    off = np.array([_off(seed, 60.0, dt) for seed in range(10)])
    assert abs(off.mean()) < 0.4
    assert (np.abs(off) > 2).mean() < 0.15
    assert np.abs(off).max() < 4


def test_what_is_left_of_an_approach_is_small_against_the_uncertainty_of_the_mean():
    t = np.arange(0.0, 60.0, 0.1)
    approach = 3.0 * np.exp(-t / 5.0)
    y = 10.0 - approach + np.random.default_rng(4).normal(0, 0.05, t.size)
    begun = settled(t, y, 60, 1.0)
    u = 0.05 / math.sqrt(t.size - begun)
    assert abs(approach[begun:].mean()) < 0.45 * u
    assert abs(approach[begun - 40 :].mean()) > 0.3 * u  # and no more is left away than must be


def test_a_plateau_without_an_approach_keeps_all_its_readings():
    rng = np.random.default_rng(2)
    t = np.arange(0.0, 30.0, 0.1)
    for _ in range(50):
        assert settled(t, rng.normal(5.0, 0.1, t.size), 0, 1.0) == 0
    assert settled(t, np.full(t.size, 5.0), 0, 1.0) == 0
    sudden = np.where(t < 0.05, 2.0, 5.0)
    assert settled(t, sudden, 1, 1.0) < 20
    assert settled(t[:6], t[:6], 0, 1.0) == 0


def test_at_least_two_fifths_of_a_slow_plateau_are_kept():
    t = np.arange(0.0, 100.0)
    begun = settled(t, np.exp(-t / 40.0), 0, 1.0)
    assert begun == 60


def test_a_plateau_reaches_to_the_step_that_ends_it():
    t, v = _duct(1, 60.0)
    ends = [hi for _, hi in plateaus(t, v)]
    assert all(60 * k - 3 < hi <= 60 * k + 0.5 for k, hi in enumerate(ends, 1))
