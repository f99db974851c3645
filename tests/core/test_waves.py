"""Waves of any number of cycles are found without a start, and none where there is none."""

import numpy as np
import pytest

from galena.core.errors import FitError
from galena.core.fits import MODELS, fit
from galena.core.fits.spectrum import frequencies

TYPED = (
    "a*sin(b*x + p) + c",
    "a*cos(2*π*f*x) + b*sin(2*π*f*x) + c",
    "A*sin(2*π*(x - x_0)/T) + c",
    "A*cos(sqrt(k)*x + p) + c",
)


def made(cycles, count, *, uneven=False, noise=0.0, seed=1):
    """Give x from 0 to 10, a sine over it, and that with noise."""
    rng = np.random.default_rng(seed)
    x = np.sort(rng.uniform(0, 10, count)) if uneven else np.linspace(0, 10, count)
    wave = 2.0 * np.sin(2 * np.pi * cycles * x / 10 + 0.8) + 1.3
    return x, wave, wave + rng.normal(0, noise, count)


@pytest.mark.parametrize("uneven", [False, True])
@pytest.mark.parametrize(
    ("cycles", "count"), [(450, 5000), (2400, 5000), (7.3, 400), (0.7, 100), (30.2, 90)]
)
def test_a_sine_of_many_cycles_is_found(cycles, count, uneven):
    if uneven and cycles * 3 > count:
        cycles = count / 8
    x, wave, y = made(cycles, count, uneven=uneven, noise=0.1)
    found = fit("sine", x, y)
    assert found.params["A"] == pytest.approx(2.0, abs=5 * found.uncertainties["A"])
    assert found.params["T"] == pytest.approx(10 / cycles, abs=5 * found.uncertainties["T"])
    assert np.sqrt(np.mean((found.predict(x) - wave) ** 2)) < 0.4 / np.sqrt(count) + 1e-9


@pytest.mark.many
@pytest.mark.parametrize("formula", TYPED)
@pytest.mark.parametrize(("cycles", "count"), [(450, 5000), (12.4, 300), (1.6, 60)])
def test_a_typed_wave_has_the_same_starts(formula, cycles, count):
    x, wave, y = made(cycles, count, noise=0.1)
    found = fit(formula, x, y)
    assert found.residual_sd == pytest.approx(0.1, rel=0.25)
    assert np.sqrt(np.mean((found.predict(x) - wave) ** 2)) < 0.5 / np.sqrt(count)


def test_a_typed_wave_beside_other_things_is_found():
    rng = np.random.default_rng(4)
    x = np.linspace(0, 20, 800)
    y = 0.5 + 0.3 * x + 0.2 * np.exp(-x / 12) * np.sin(2 * np.pi * x / 0.37 + 1)
    found = fit("a + b*x + A*exp(-x/τ)*sin(2*π*x/T + φ)", x, y + rng.normal(0, 0.01, x.size))
    assert found.params["T"] == pytest.approx(0.37, rel=1e-3)
    assert found.params["τ"] == pytest.approx(12, rel=0.1)


@pytest.mark.parametrize("cycles", [3.1, 120.0, 900.0])
def test_a_damped_sine_of_many_cycles_is_found(cycles):
    rng = np.random.default_rng(2)
    x = np.linspace(0, 10, 4000)
    truth = {"A": 2.0, "τ": 3.0, "T": 10 / cycles, "φ": 0.4, "c": 1.0}
    y = MODELS["damped_sine"].values(x, truth) + rng.normal(0, 0.05, x.size)
    found = fit("damped_sine", x, y)
    for name, value in truth.items():
        assert found.params[name] == pytest.approx(value, abs=5 * found.uncertainties[name])


@pytest.mark.many
@pytest.mark.parametrize("model", ["sine", "damped_sine", "a*sin(b*x + p) + c"])
def test_scatter_is_rarely_taken_for_a_wave(model):
    taken = 0
    for seed in range(20):
        y = np.random.default_rng(seed).normal(0, 1, 150)
        try:
            found = fit(model, np.arange(150.0), y)
        except FitError as error:
            assert str(error).startswith(("No wave stands out", "The fit did not come to rest"))
        else:
            taken += 1
            assert np.isfinite(found.rss)
    assert taken <= 6  # of 20, where about one in ten is taken and 7 are 0.2 % by chance


def test_an_amplitude_consistent_with_zero_is_never_returned():
    rng = np.random.default_rng(6)
    x, _, y = made(450, 5000, noise=0.1)
    begin = {"A": 2.0, "T": 0.7, "φ": 0.8, "c": 1.3}
    try:
        found = fit("sine", x, y, start=begin)
    except FitError as error:
        assert "No wave stands out of the scatter" in str(error)
    else:
        assert abs(found.params["A"]) > 2 * found.uncertainties["A"]
    with pytest.raises(FitError, match="No wave stands out of the scatter: the amplitude is"):
        fit("k*x + A*sin(b*x)", np.arange(200.0), 0.1 * np.arange(200.0) + rng.normal(0, 1, 200),
            start={"k": 0.1, "A": 0.1, "b": 0.5})  # fmt: skip


def test_frequencies_that_stand_out_come_first():
    x = np.linspace(0, 10, 1000)
    y = 3 * np.sin(2 * np.pi * 7.3 * x) + np.sin(2 * np.pi * 21.6 * x) + 0.5 * x
    strongest = frequencies(x, y)
    assert strongest[0] == pytest.approx(7.3, abs=0.05)
    assert np.abs(strongest[:6] - 21.6).min() < 0.05
    assert frequencies(np.arange(3.0), np.arange(3.0)).size == 0
