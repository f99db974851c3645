"""Readings that follow each other: how many count, and what a fit through them is worth."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.signal import lfilter

from galena.core import autoregression
from galena.core.fits import MODELS, fit
from galena.core.fits.widened import no_surer_than_readings, widened
from galena.core.statistics import (
    correlation_time,
    describe,
    effective_count,
    mean_with_uncertainty,
)

MODEL = {
    "line": {"slope": 2.0, "intercept": 1.0},
    "decay": {"a": 300.0, "τ": 0.3},
    "sine": {"A": 40.0, "T": 0.02, "φ": 0.4, "c": 1.0},  # 50 cycles
}


def gusts(count, keep, rng):
    """Errors of standard deviation 1/√(1 - keep²) of which each keeps a share of the last."""
    return lfilter([1.0], [1.0, -keep], rng.normal(0, 1, count + 300))[300:]


@pytest.mark.many
@pytest.mark.parametrize("count", [400, 500])
@pytest.mark.parametrize("keep", [0.0, 0.5, 0.9])
def test_the_uncertainty_of_a_mean_covers_what_it_says(keep, count):
    rng = np.random.default_rng(1)
    inside = 0
    for _ in range(1000):
        mean, u = mean_with_uncertainty(gusts(count, keep, rng))
        inside += abs(mean) <= u
    assert 63 <= inside / 10 <= 73


def test_what_does_not_follow_each_other_counts_in_full():
    rng = np.random.default_rng(2)
    counts = [effective_count(rng.normal(0, 1, 200)) for _ in range(200)]
    assert np.mean([one == 200 for one in counts]) > 0.9
    assert effective_count(np.tile([1.0, -1.0], 50)) == 100  # alternating is not following
    assert effective_count([3.0]) == 1
    assert effective_count(np.full(50, 2.0)) == 50
    assert effective_count([]) == 0
    assert effective_count([1.0, np.nan, 2.0]) == 2
    assert 1 <= effective_count(np.arange(100.0)) < 3


def test_a_mean_of_one_reading_has_no_known_uncertainty():
    assert mean_with_uncertainty([3.0]) == (3.0, 0.0)
    y = np.random.default_rng(3).normal(5, 1, 50)
    assert mean_with_uncertainty(y)[1] == pytest.approx(describe(y).standard_error)


@pytest.mark.many
@pytest.mark.parametrize("model", MODEL)
@pytest.mark.parametrize("keep", [0.0, 0.9])
def test_the_uncertainties_of_a_widened_fit_cover_what_they_say(model, keep):
    rng = np.random.default_rng(2)
    truth, x, count = MODEL[model], np.linspace(0, 1, 400), 200
    inside = np.zeros(len(truth))
    for _ in range(count):
        y = MODELS[model].values(x, truth) + gusts(x.size, keep, rng)
        found = widened(fit(model, x, y, start=truth), x, y)
        inside += [abs(found.params[name] - truth[name]) <= found.uncertainties[name]
                   for name in truth]  # fmt: skip
    # 68 ± 6, and twice what 200 sets leave open
    assert np.all(np.abs(100 * inside / count - 68) < 6 + 6.6)
    assert abs(100 * inside.mean() / count - 68) < 6


def test_a_widened_fit_keeps_its_values_and_widens_all_that_follows():
    rng = np.random.default_rng(5)
    x = np.linspace(0, 10, 300)
    y = 2 * x + 1 + gusts(300, 0.9, rng)
    plain = fit("line", x, y)
    wide = widened(plain, x, y)
    assert wide.params == plain.params and wide.rss == plain.rss
    assert wide.uncertainties["slope"] > 2 * plain.uncertainties["slope"]
    assert wide.band(5.0)[0] > 2 * plain.band(5.0)[0]
    assert wide.counts_as < 100 and plain.counts_as is None
    halves = [hi - lo for lo, hi in (one.interval("slope") for one in (plain, wide))]
    assert halves[1] > 2 * halves[0]
    held = fit("line", x, y, fixed={"slope": 2.0})
    assert widened(held, x, y).uncertainties["slope"] == 0.0


def test_readings_are_followed_in_the_order_in_which_they_were_made():
    rng = np.random.default_rng(6)
    time = np.arange(300)
    x = rng.permutation(300) / 30.0
    y = 2 * x + gusts(300, 0.9, rng)
    by_x = np.argsort(x)
    found = fit("line", x[by_x], y[by_x])
    in_time = widened(found, x[by_x], y[by_x], order=time[by_x])
    assert (widened(found, x[by_x], y[by_x]).counts_as or 300) > 200
    assert in_time.counts_as < 60


def test_weights_and_gaps_go_with_a_widened_fit():
    rng = np.random.default_rng(7)
    x = np.linspace(0, 10, 300)
    y = 2 * x + 1 + gusts(300, 0.8, rng)
    u = np.where(x < 5, 1.5, 2.0)
    y[[5, 80]] = np.nan
    plain = fit("line", x, y, u_y=u)
    wide = widened(plain, x, y, u)
    assert wide.uncertainties["slope"] > 1.5 * plain.uncertainties["slope"]


def test_polynomials_far_from_zero_are_widened_like_those_near():
    rng = np.random.default_rng(8)
    x = np.linspace(0, 100, 300)
    y = 0.01 * x**2 + gusts(300, 0.9, rng)
    near, far = (widened(fit("quadratic", x + o, y), x + o, y) for o in (0.0, 1.7e9))
    assert far.uncertainties["a"] == pytest.approx(near.uncertainties["a"], rel=1e-3)
    assert far.band(1.7e9 + 50.0)[0] == pytest.approx(near.band(50.0)[0], rel=1e-3)


@pytest.mark.parametrize("coefficients", [[0.6], [0.5, 0.3], [1.2, -0.5]])
def test_the_model_of_errors_is_found_again(coefficients):
    rng = np.random.default_rng(9)
    errors = lfilter([1.0], [1.0, *(-one for one in coefficients)], rng.normal(0, 1, 6000))[1000:]
    model = autoregression.of_residuals(errors - errors.mean(), np.ones((5000, 1)))
    exact = autoregression.Autoregression(np.array(coefficients), 1.0).correlations(30)
    assert model.correlations(30) == pytest.approx(exact, abs=0.08)
    lags = [float(np.corrcoef(errors[k:], errors[: errors.size - k])[0, 1]) for k in (1, 2, 5)]
    assert exact[[1, 2, 5]] == pytest.approx(lags, abs=0.08)


def test_a_step_takes_its_correlation_from_what_was_read_before_at_its_level():
    rng = np.random.default_rng(11)
    white, windy = rng.normal(0, 1, 520), gusts(520, 0.9, rng)
    assert correlation_time(white[:500], white[500:]) < 1.5
    assert correlation_time(windy[:500], windy[500:]) > 6
    moved = np.concatenate((rng.normal(50, 1, 300), rng.normal(0, 1, 200)))
    assert correlation_time(moved, white[:20]) < 2  # what was read at 50 is no error
    assert correlation_time([], white[:20]) < 2
    assert correlation_time(white, [1.0]) == 1.0


@given(
    st.floats(-0.9, 0.9), st.lists(st.floats(-0.3, 0.3), max_size=9),
    st.sampled_from((1, 2, 3, 12, 70, 300)),
)  # fmt: skip
def test_correlations_fulfil_the_equations_of_the_model(first, others, count):
    coefficients = np.empty(0)
    for reflection in (first, *others):  # of any errors that die away, by Levinson's step
        coefficients = np.append(coefficients - reflection * coefficients[::-1], reflection)
    seen = autoregression.Autoregression(coefficients, 1.0).correlations(count)
    assert seen.shape == (count,)
    assert seen[0] == 1.0
    order = coefficients.size
    for k in range(1, count - order):
        before = seen[np.abs(k - np.arange(1, order + 1))]
        assert seen[k] == pytest.approx(coefficients @ before, abs=5e-5)


def test_a_matrix_of_correlations_is_never_written_out_but_used():
    rng = np.random.default_rng(10)
    weights, correlations = rng.normal(size=(40, 3)), 0.8 ** np.arange(40)
    matrix = correlations[np.abs(np.subtract.outer(np.arange(40), np.arange(40)))]
    expected = weights.T @ matrix @ weights
    assert autoregression.spread_through(weights, correlations) == pytest.approx(expected)


@pytest.mark.parametrize("model", ["proportional", "line", "quadratic", "decay"])
def test_a_few_readings_that_agree_by_chance_are_no_surer_than_each_of_them(model):
    truth = MODEL.get(model, dict.fromkeys(MODELS[model].parameters, 2.0))
    x = np.linspace(0.2, 1.0, 6)
    y = MODELS[model].values(x, truth)
    u = np.full(6, 0.1)
    plain = fit(model, x, y, start=truth)
    stated = no_surer_than_readings(plain, x, y, u)
    weighted = fit(model, x, y, u_y=u, start=truth)
    assert stated.params == plain.params
    for name in truth:
        assert stated.uncertainties[name] == pytest.approx(weighted.uncertainties[name], rel=1e-4)
    assert stated.band(0.6)[0] == pytest.approx(weighted.band(0.6)[0], rel=1e-4)


def test_readings_that_scatter_more_than_is_known_of_them_keep_their_scatter():
    rng = np.random.default_rng(3)
    x = np.linspace(0, 10, 12)
    y = 2 * x + rng.normal(0, 1, 12)
    plain = fit("line", x, y)
    for u_y, u_x in ((np.full(12, 0.01), None), (None, None), (None, np.full(12, 0.005))):
        same = no_surer_than_readings(plain, x, y, u_y, u_x)
        assert same.uncertainties == pytest.approx(plain.uncertainties)


def test_what_is_known_of_places_counts_by_the_slope():
    x = np.linspace(0, 10, 12)
    plain = fit("line", x, 3 * x)
    by_x = no_surer_than_readings(plain, x, 3 * x, None, np.full(12, 0.2))
    by_y = no_surer_than_readings(plain, x, 3 * x, np.full(12, 0.6))
    assert by_x.uncertainties == pytest.approx(by_y.uncertainties)
    assert by_x.uncertainties["slope"] > 0.04


def test_laws_of_few_harvested_readings_cover_what_they_say():
    rng = np.random.default_rng(6)
    x, far = np.array([1.0, 2.0, 3.0, 4.0]), 0
    for _ in range(400):
        y = 2 * x + rng.normal(0, 0.1, 4)
        law = no_surer_than_readings(fit("line", x, y), x, y, np.full(4, 0.1))
        far += abs(law.params["slope"] - 2) > 2 * law.uncertainties["slope"]
    assert far / 400 < 0.06  # by the scatter alone, with two degrees of freedom, it is 18 %
