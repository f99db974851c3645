"""Where fits meet or have a value: also at poles, far away and far from zero."""

import math

import numpy as np
import pytest

from galena.core.errors import FitError
from galena.core.fits import fit, intersect
from galena.core.fits.intersection import place_of

X = np.concatenate((np.linspace(-3, -0.2, 30), np.linspace(0.2, 3, 30)))
RNG = np.random.default_rng(1)
INVERSE = fit("inverse", X, 2 / X + RNG.normal(0, 0.01, X.size))


@pytest.mark.parametrize("y", [5.0, -5.0, 0.5, 1e6, -1e6, 1e9])
def test_an_inverse_model_has_each_value_on_either_side_of_its_pole(y):
    met = place_of(INVERSE, y)
    assert met.x == pytest.approx(2 / y, rel=0.01)
    assert met.u_x == pytest.approx(abs(met.x) * INVERSE.uncertainties["k"] / 2, rel=0.01)


def test_what_an_inverse_model_never_reaches_is_said():
    with pytest.raises(FitError, match="The fit does not reach 0 where there are readings"):
        place_of(INVERSE, 0.0)
    square = fit("inverse_square", X, 2 / X**2)
    with pytest.raises(FitError, match="The fit does not reach -1"):
        place_of(square, -1.0)
    assert abs(place_of(square, 1e8).x) == pytest.approx(math.sqrt(2e-8), rel=1e-6)


def test_a_line_meets_an_inverse_model_on_the_side_that_is_asked():
    line = fit("line", X, 0.5 * X + RNG.normal(0, 0.01, X.size))
    assert intersect(line, INVERSE, near=1.0).x == pytest.approx(2.0, abs=0.02)
    assert intersect(INVERSE, line, near=-1.0).x == pytest.approx(-2.0, abs=0.02)


def test_a_typed_pole_is_no_meeting():
    x = np.linspace(0, 4, 81)
    x = x[np.abs(x - 1.3) > 0.1]
    curve = fit("k/(x - b) + c", x, 2 / (x - 1.3) + 1, start={"k": 2, "b": 1.3, "c": 1.0})
    assert place_of(curve, 5.0).x == pytest.approx(1.8)
    with pytest.raises(FitError):
        place_of(curve, 1.0)


def test_a_line_is_followed_to_absolute_zero():
    t = np.linspace(0.0, 100.0, 11)
    p = 101_325 * (1 + t / 273.15) + RNG.normal(0, 20, t.size)
    met = place_of(fit("line", t, p), 0.0)
    assert met.x == pytest.approx(-273.15, abs=4 * met.u_x)
    assert 0 < met.u_x < 1
    with pytest.raises(FitError, match="does not reach 5"):
        place_of(fit("line", t, np.full(t.size, 3.0)), 5.0)


def test_lines_far_from_zero_meet_with_all_their_digits():
    x = 1.7e9 + np.arange(100.0)
    one = fit("line", x[:50], 2 * (x[:50] - 1.7e9) + 1)
    other = fit("line", x[50:], -1 * (x[50:] - 1.7e9) + 151.0)
    met = intersect(one, other)
    assert met.x - 1.7e9 == pytest.approx(50.0, abs=1e-5)
    assert met.y == pytest.approx(101.0, abs=1e-5)
