"""Fits come to rest at any noise, far from zero, and say how sure they are the same way."""

import math

import numpy as np
import pytest
from scipy.stats import norm, t

from galena.core.errors import FitError
from galena.core.fits import MODELS, chosen_model, fit
from galena.core.fits.sensitivity import moved
from galena.core.fits.together import Set, fit_together
from galena.core.formula.model import compile_model

X = np.linspace(0.2, 10.0, 200)
USUAL = {"a": 3.0, "A": 3.0, "b": 2.0, "c": 1.0, "d": 0.5, "k": 2.0, "n": 1.5, "s": 0.6,
         "slope": 2.0, "intercept": 1.0, "x_0": 4.0, "y_0": 1.0, "T": 1.3, "φ": 0.7, "σ": 0.5,
         "τ": 3.0}  # fmt: skip


@pytest.mark.many
@pytest.mark.parametrize("noise", [1e-4, 1e-7, 1e-10, 0.0])
@pytest.mark.parametrize("model", MODELS)
def test_every_model_comes_to_rest_however_small_the_noise(model, noise):
    rng = np.random.default_rng(1)
    for _ in range(8):
        truth = {name: USUAL[name] * rng.uniform(0.6, 1.6) for name in MODELS[model].parameters}
        exact = MODELS[model].values(X, truth)
        reach = np.ptp(exact) or 1.0
        found = fit(model, X, exact + rng.normal(0, 1, X.size) * noise * reach)
        off = np.abs(found.predict(X) - exact).max()
        assert off <= 3 * noise * reach + 1e-9 * np.abs(exact).max()


@pytest.mark.parametrize(
    ("model", "name"),
    [("decay", "τ"), ("sine", "T"), ("gaussian", "σ"), ("logistic", "s"), ("a*exp(-x/b)", "b"),
     ("damped_sine", "τ"), ("growth_constant", "τ"), ("step", "σ")],
)  # fmt: skip
@pytest.mark.parametrize("way", ["fixed", "start"])
def test_a_parameter_that_the_model_divides_by_cannot_be_zero(model, name, way):
    with pytest.raises(FitError, match=f"With {name} = 0 the model gives no numbers: it divides"):
        fit(model, X, np.sin(X) + 2, **{way: {name: 0.0}})


@pytest.mark.parametrize(
    ("shipped", "typed", "other"),
    [
        ("line", "a*x + b", None),
        ("quadratic", "a*x^2 + b*x + c", ("turning_point", {})),
        ("proportional", "a*x", ("line", {"intercept": 0.0})),
        ("inverse", "k/x", ("inverse_constant", {"c": 0.0})),
        ("square_root", "k*sqrt(x)", None),
        ("decay", "a*exp(-x/b)", ("decay_constant", {"c": 0.0})),
        ("decay_constant", "a*exp(-x/b) + c", None),
        ("sine", "a*sin(2*π*x/b + p) + c", None),
    ],
)
def test_r_squared_depends_on_the_model_and_not_on_how_it_is_written(shipped, typed, other):
    rng = np.random.default_rng(3)
    truth = {name: USUAL[name] for name in MODELS[shipped].parameters}
    y = MODELS[shipped].values(X, truth) + rng.normal(0, 0.2, X.size)
    found = fit(shipped, X, y)
    variants = [fit(typed, X, y)]
    if other is not None:
        variants.append(fit(other[0], X, y, fixed=other[1]))
    for variant in variants:
        assert variant.r_squared == pytest.approx(found.r_squared, rel=1e-9)
        assert variant.about_mean == found.about_mean
    about = y - y.mean() if found.about_mean else y
    assert found.r_squared == pytest.approx(1 - found.rss / float(about @ about))


def test_a_constant_may_be_hidden_in_a_model():
    y = 3 - 2 * np.exp(-X / 2) + np.random.default_rng(1).normal(0, 0.05, X.size)
    found = fit("a*(1 - exp(-x/b)) + c*exp(-x/b)", X, y)
    assert found.about_mean
    assert not fit("saturating", X, y).about_mean


@pytest.mark.parametrize("model", ["line", "quadratic", "cubic", "a*x^2 + b*x + c"])
def test_polynomials_far_from_zero_keep_their_digits(model):
    z = np.linspace(-50.0, 50.0, 200)
    rng = np.random.default_rng(5)
    y = 2 + 0.5 * z + (0.03 * z**2 if model != "line" else 0) + rng.normal(0, 0.1, z.size)
    near, far = (fit(model, z + origin, y) for origin in (0.0, 1.7e9))
    assert far.residual_sd == pytest.approx(near.residual_sd, rel=1e-6)
    assert far.r_squared == pytest.approx(near.r_squared, rel=1e-9)
    assert far.residuals == pytest.approx(near.residuals, abs=1e-5)
    places = np.array([-40.0, 7.0])
    for of in ("predict", "band", "derivative"):
        there, here = getattr(far, of)(places + 1.7e9), getattr(near, of)(places)
        assert there == pytest.approx(here, rel=1e-4, abs=1e-6)


def test_intervals_of_weighted_fits_are_normal_and_of_others_by_students_t():
    rng = np.random.default_rng(2)
    x = np.arange(6.0)
    y = 2 * x + 1 + rng.normal(0, 0.1, 6)
    known, unknown = fit("line", x, y, u_y=0.1), fit("line", x, y)
    for found, factor in ((known, norm.ppf(0.975)), (unknown, t.ppf(0.975, 4))):
        lo, hi = found.interval("slope")
        assert (hi - lo) / 2 == pytest.approx(factor * found.uncertainties["slope"])
    two = fit("line", x[:2], y[:2], u_y=0.1)
    assert math.isfinite(two.interval("slope")[0])


def test_a_slope_may_be_shared_by_runs_of_two_readings():
    sets = [Set([0.0, 1.0], [0.0, 1.01]), Set([0.0, 1.0], [3.0, 4.0])]
    first, second = fit_together("line", sets, ["slope"])
    assert first.params["slope"] == second.params["slope"] == pytest.approx(1.005)
    assert first.uncertainties["slope"] == pytest.approx(0.005, rel=1e-6)
    assert first.interval("slope")[1] - 1.005 == pytest.approx(t.ppf(0.975, 1) * 0.005, rel=1e-6)
    three = fit_together("line", [*sets, Set([2.0], [3.0])], ["slope"])
    assert three[2].params["intercept"] == pytest.approx(3.0 - 2 * 1.005)


@pytest.mark.parametrize(
    ("formula", "truth"),
    [
        ("max(a*x + b, c)", {"a": 0.5, "b": -3.0, "c": 1.0}),
        ("min(a*x, b)", {"a": 0.5, "b": 4.0}),
        ("a*min(x, b) + c", {"a": 2.0, "b": 6.1, "c": 1.0}),
    ],
)
def test_a_model_may_take_the_lower_or_the_higher_of_two(formula, truth):
    x = np.linspace(0, 20, 81)
    y = chosen_model(formula).values(x, truth)
    found = fit(formula, x, y + np.random.default_rng(1).normal(0, 0.01, x.size))
    for name, value in truth.items():
        assert found.params[name] == pytest.approx(value, abs=5 * found.uncertainties[name])


@pytest.mark.parametrize("model", MODELS)
def test_the_formula_of_a_shipped_model_can_be_typed(model):
    shipped = MODELS[model]
    truth = {name: USUAL[name] for name in shipped.parameters}
    typed = compile_model(shipped.formula)
    assert typed.values(X, truth) == pytest.approx(shipped.values(X, truth), rel=1e-12)


def test_a_shared_error_moves_a_fit_far_from_zero_as_it_does_near():
    z = np.linspace(-50.0, 50.0, 101)
    y = 2 + 0.5 * z + 0.03 * z**2
    for model in ("quadratic", "a*x^2 + b*x + c"):
        near, far = (fit(model, z + origin, y) for origin in (0.0, 1.7e9))
        shifts = [moved(one, z + origin, np.full(z.size, 0.2) + 0.01 * z)
                  for one, origin in ((near, 0.0), (far, 1.7e9))]  # fmt: skip
        assert shifts[1]["a"] == pytest.approx(shifts[0]["a"], abs=1e-9)
        assert 2 * 1.7e9 * shifts[1]["a"] + shifts[1]["b"] == pytest.approx(0.01, abs=1e-5)
