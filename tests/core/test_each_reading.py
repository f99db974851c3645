"""One parameter from each reading: on the branch of the fit, or set aside with its reason."""

import numpy as np
import pytest

from galena.core.errors import FitError
from galena.core.fits import MODELS, chosen_model, fit
from galena.core.fits.each_reading import solve_each

X = np.linspace(0.0, 10.0, 200)
SINE = {"A": 2.0, "T": 3.1, "φ": 0.8, "c": 0.5}


def sine(seed, noise=0.01):
    y = MODELS["sine"].values(X, SINE)
    return y + np.random.default_rng(seed).normal(0, noise * 2.0, X.size)


@pytest.mark.many
@pytest.mark.parametrize("name", ["φ", "T", "A", "c"])
def test_the_mean_over_readings_is_near_the_truth_in_every_set(name):
    off = []
    for seed in range(100):
        found = fit("sine", X, sine(seed), start=SINE)
        each = solve_each(found.model, X, sine(seed), name, found.params)
        off.append(each.counted.mean() / SINE[name] - 1)
        assert each.counted.size + each.blunt.sum() + each.unsolved.sum() == X.size
    assert np.max(np.abs(off)) < 0.02
    assert abs(np.mean(off)) < 4 * np.std(off) / 10  # what is left out biases nothing


def test_a_reading_beyond_the_turning_place_is_set_aside_as_unsolved():
    y = MODELS["sine"].values(X, SINE)
    at = int(np.argmin(np.abs(X - 2.705)))  # where the wave is steep
    y[at] = 4.0  # above the top of the wave
    each = solve_each(MODELS["sine"], X, y, "φ", SINE)
    assert each.unsolved[at] and np.isnan(each.values[at])
    assert each.unsolved.sum() == 1
    assert each.counted == pytest.approx(0.8, abs=1e-6)


def test_a_far_reading_is_followed_on_its_branch():
    x = np.linspace(1.0, 5.0, 9)
    y = MODELS["decay"].values(x, {"a": 3.0, "τ": 2.0})
    each = solve_each(MODELS["decay"], x, y, "τ", {"a": 3.0, "τ": 3.5})
    assert each.values[np.isfinite(each.values)] == pytest.approx(2.0)
    typed = chosen_model("a*exp(-x/b)")
    each = solve_each(typed, x, y, "b", {"a": 3.0, "b": 3.5})
    assert each.counted == pytest.approx(2.0)


def test_where_the_model_hardly_depends_on_it_a_reading_says_nothing():
    params = {"a": 3.0, "x_0": 5.0, "σ": 0.5, "c": 1.0}
    rng = np.random.default_rng(3)
    y = MODELS["gaussian"].values(X, params) + rng.normal(0, 0.02, X.size)
    each = solve_each(MODELS["gaussian"], X, y, "a", params)
    assert each.blunt[np.abs(X - 5.0) > 2.0].all()
    assert each.counted.mean() == pytest.approx(3.0, abs=0.05)


def test_a_gap_is_no_reading_and_an_unknown_parameter_is_refused():
    y = sine(1)
    y[3] = np.nan
    each = solve_each(MODELS["sine"], X, y, "c", SINE)
    assert np.isnan(each.values[3]) and not each.unsolved[3]
    with pytest.raises(FitError, match="sine has no parameter “q”"):
        solve_each(MODELS["sine"], X, y, "q", SINE)
