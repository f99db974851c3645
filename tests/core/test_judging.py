"""Residuals, models side by side, and remarks on claims."""

import numpy as np
import pytest

from galena.core import second_look
from galena.core.calculus import smooth_rate
from galena.core.fits import fit
from galena.core.fits.comparing import compare
from galena.core.pooling import agreement
from galena.core.runs_test import runs_test
from galena.core.second_look import fits as claims
from galena.core.second_look import straightness

X = np.linspace(0.5, 10.0, 40)


def noise(seed=1, sd=0.1):
    return np.random.default_rng(seed).normal(0, sd, X.size)


def said(found, straight=None):
    remarks = second_look.remarks("fit", claims.Fitted(found, runs_test(found.residuals), straight))
    return " ".join(str(one) for one in remarks)


def test_few_changes_of_sign_are_as_unlikely_as_counting_says():
    found = runs_test([1, 2, 1, 3, 1, -1, -2, -1, -4, -1])
    assert (found.count, found.changes, found.longest) == (10, 1, 5)
    assert found.probability == pytest.approx(2 / 252)
    assert found.verdict == "one sign for 5 readings on end: a curve is left in them"
    alternating = runs_test([1, -1] * 5)
    assert alternating.probability == pytest.approx(1.0)
    assert alternating.verdict == "no pattern (9 changes of sign in 10)"
    assert runs_test([1, -1, 0]).verdict == "too few residuals to see a pattern"
    assert not runs_test(np.zeros(20)).is_curve


@pytest.mark.parametrize("count", [30, 1000])
def test_chance_alone_is_called_a_curve_in_one_of_twenty(count):
    rng = np.random.default_rng(6)
    called = [runs_test(rng.normal(size=count)).is_curve for _ in range(2000)]
    assert np.mean(called) <= 0.06


def test_an_extra_parameter_must_earn_its_place():
    y = 2 * X**2 + 1 + noise()
    cubic, quadratic, line = compare([fit(key, X, y) for key in ("cubic", "line", "quadratic")])[
        ::-1
    ]
    assert [one.fit.model.key for one in (line, quadratic, cubic)] == ["line", "quadratic", "cubic"]
    assert "does clearly better" in line.verdict
    assert "earns its place: AICc falls by" in quadratic.verdict
    assert "does not earn its place" in cubic.verdict
    assert cubic.fit.r_squared >= quadratic.fit.r_squared  # which is no reason
    assert (line.place, quadratic.place) == (1, 2)


def test_perfect_and_small_sets_are_compared_as_well():
    exact = compare([fit(key, X, 3 * X) for key in ("proportional", "line")])
    assert len(exact) == 2
    few = compare([fit(key, X[:4], X[:4] ** 2) for key in ("line", "quadratic")])
    assert "Too few readings" in few[1].verdict


def test_directly_proportional_is_said_only_where_zero_fits():
    through, off = fit("line", X, 3 * X + noise()), fit("line", X, 3 * X + 5 + noise())
    assert claims.is_proportional(through) and "may be said" in said(through)
    assert not claims.is_proportional(off) and "not directly proportional" in said(off)
    assert claims.is_proportional(fit("quadratic", X, X)) is None


def test_what_is_claimed_too_easily_is_remarked_on():
    falling = fit("line", X, 20 - 2 * X + noise())
    assert "not an inverse relation" in said(falling)
    lamp = fit("inverse_square_constant", X, 30 / X**2 + 4 + noise())
    assert "c is" in said(lamp) and "what else is there?" in said(lamp)
    assert "4 readings for 3 parameters" in said(fit("quadratic", X[:4], [1.0, 2.0, 2.0, 4.0]))
    bent = fit("line", X, X**1.3)
    assert "R² is 0.99" in said(bent) and "R² alone does not see a curve" in said(bent)
    early = fit("decay_constant", X[:8], 5 * np.exp(-X[:8] / 300) + noise(sd=1e-3)[:8])
    assert "can hardly be told apart" in said(early)
    assert "beyond the readings" in str(claims.beyond(claims.Place(falling, 15.0)))
    assert claims.beyond(claims.Place(falling, 5.0)) is None
    assert "2 readings lie where" in said(fit("logarithm", [-1, 0, *X], [0, 0, *np.log(X)]))


def test_uncertainties_that_cannot_be_right_are_remarked_on():
    y = 3 * X + noise()
    assert "scatter more" in said(fit("proportional", X, y, u_y=0.01))
    assert "scatter less" in said(fit("proportional", X, y, u_y=2.0))
    good = fit("proportional", X, y, u_y=0.1)
    assert good.reduced_chi_squared == pytest.approx(1.0, abs=0.5)
    assert said(good) == ""


def test_a_slope_that_agrees_with_zero_is_no_dependence_and_no_proportion():
    flat = fit("line", X, 0.002 * X + noise(sd=0.3))
    assert abs(flat.params["slope"]) < 2 * flat.uncertainties["slope"]
    words = said(flat, straightness(X, flat.predict(X) + noise(sd=0.3)))
    assert "No dependence is seen: the slope agrees with zero." in words
    assert "may be said" in words and "“Directly proportional”" not in words
    assert claims.is_proportional(flat) is False


def test_a_curve_is_never_called_linear_or_proportional():
    x = np.arange(1.0, 9.0)
    for y in (x**2, 5 * x**1.6, 30 / x, 60 - x**2):
        found = fit("line", x, y)
        words = said(found, straightness(x, y))
        assert "do not lie on a straight line" in words and "Do not call it linear." in words
        assert "proportional" not in words and "it is linear" not in words
        assert claims.is_proportional(found, straightness(x, y)) is False


def test_few_readings_allow_no_proportion_yet():
    x, y = X[:4], 3 * X[:4] + noise(sd=0.01)[:4]
    words = said(fit("line", x, y), straightness(x, y))
    assert "may not be said yet: 4 readings are too few" in words


def test_far_from_zero_needs_no_number():
    words = said(fit("line", X, 3 * X + 500 + noise()))
    assert "The intercept is far from zero: linear, but not directly proportional." in words
    near = said(fit("line", X, 3 * X + 0.5 + noise()))
    assert " of its uncertainties from zero" in near


def test_signs_of_a_smoothed_rate_tell_nothing_of_a_curve():
    rng, t = np.random.default_rng(2), np.arange(400) / 50.0
    rate = smooth_rate(3 * t + rng.normal(0, 0.05, t.size), t, 21)
    found = runs_test(rate - rate.mean())
    assert found.probability < 0.05 and found.follow and not found.is_curve
    assert (
        found.verdict == "neighbours are alike, whatever the model: signs tell nothing of a curve"
    )
    assert "keep one sign" not in said(fit("constant", t, rate))
    curve = runs_test(fit("line", X, X**1.5 + noise()).residuals)
    assert curve.is_curve


def test_models_are_compared_in_words_that_fit_them():
    y = 30 / X**2 + noise(sd=0.05)
    (alone,) = compare([fit("inverse", X, y)])
    assert alone.verdict == "There is nothing to compare it with."
    inverse, square = compare([fit("inverse", X, y), fit("inverse_square", X, y)])
    assert "clearly worse" in inverse.verdict and "more parameters" not in inverse.verdict
    assert square.verdict == "The best of these."
    both = compare([fit(key, X, 2 * X**2 + noise()) for key in ("proportional", "quadratic")])
    assert both[0].verdict == "The simplest; a model with more parameters does clearly better."
    three = compare([fit(key, X, 3 * X + noise()) for key in ("proportional", "inverse", "line")])
    verdicts = {one.fit.model.key: one.verdict for one in three}
    assert verdicts["proportional"] == "As simple as any, and none does clearly better."
    assert "clearly worse" in verdicts["inverse"]
    assert "does not earn its place" in verdicts["line"]


def test_runs_agree_by_the_one_that_lies_farthest_with_their_number_in_mind():
    rng = np.random.default_rng(3)
    for count in (2, 3, 8, 20):
        called = [agreement(rng.normal(0, 1, count), np.ones(count)).agree for _ in range(1000)]
        assert abs(np.mean(called) - 0.95) < 0.03
    odd = agreement([1.0, 1.1, 0.9, 3.0], [0.1, 0.1, 0.1, 0.2])
    assert (odd.odd, odd.agree) == (3, False)
    assert odd.apart > 8
