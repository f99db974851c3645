"""Residuals, models side by side, and remarks on claims."""

import numpy as np
import pytest

from galena.core import second_look_claims as claims
from galena.core.fits import fit
from galena.core.fits.comparing import compare
from galena.core.residual_signs import signs

X = np.linspace(0.5, 10.0, 40)


def noise(seed=1, sd=0.1):
    return np.random.default_rng(seed).normal(0, sd, X.size)


def said(found):
    remarks = claims.of_fit(found, signs(found.residuals))
    return " ".join(str(one) for one in remarks)


def test_few_changes_of_sign_are_as_unlikely_as_counting_says():
    found = signs([1, 2, 1, 3, 1, -1, -2, -1, -4, -1])
    assert (found.count, found.changes, found.longest) == (10, 1, 5)
    assert found.probability == pytest.approx(2 / 252)
    assert found.said == "one sign for 5 readings on end: a curve is left in them"
    alternating = signs([1, -1] * 5)
    assert alternating.probability == pytest.approx(1.0)
    assert alternating.said == "no pattern (9 changes of sign in 10)"
    assert signs([1, -1, 0]).said == "too few residuals to see a pattern"
    assert not signs(np.zeros(20)).is_curve


@pytest.mark.parametrize("count", [30, 1000])
def test_chance_alone_is_called_a_curve_in_one_of_twenty(count):
    rng = np.random.default_rng(6)
    called = [signs(rng.normal(size=count)).is_curve for _ in range(2000)]
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
    assert "beyond the readings" in str(claims.beyond(falling, 15.0))
    assert claims.beyond(falling, 5.0) is None
    assert "2 readings lie where" in said(fit("logarithm", [-1, 0, *X], [0, 0, *np.log(X)]))


def test_uncertainties_that_cannot_be_right_are_remarked_on():
    y = 3 * X + noise()
    assert "scatter more" in said(fit("proportional", X, y, u_y=0.01))
    assert "scatter less" in said(fit("proportional", X, y, u_y=2.0))
    good = fit("proportional", X, y, u_y=0.1)
    assert good.reduced_chi_squared == pytest.approx(1.0, abs=0.5)
    assert said(good) == ""
