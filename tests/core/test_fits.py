import math

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from galena.core import units
from galena.core.errors import FitError, TooFewReadings
from galena.core.fits import MODELS, fit
from galena.core.fits.linear import solve
from galena.core.fits.polynomial import fitted
from tests.reference_cases import case, cases, kind


def nine(value):
    return pytest.approx(value, rel=1e-9)


def test_line_has_the_certified_values():
    reference = case("linear", "Norris")
    result = fit("line", reference["x"], reference["y"])
    certified = reference["certified"]
    assert [result.params["intercept"], result.params["slope"]] == nine(certified["params"])
    assert [result.uncertainties["intercept"], result.uncertainties["slope"]] == nine(
        certified["standard_errors"]
    )
    assert result.rss == nine(certified["residual_sum_of_squares"])
    assert result.residual_sd == nine(certified["residual_sd"])
    assert result.r_squared == nine(certified["r_squared"])
    assert result.dof == certified["degrees_of_freedom"]


def test_proportional_has_the_certified_values():
    reference = case("linear", "NoInt1")
    result = fit("proportional", reference["x"], reference["y"])
    certified = reference["certified"]
    assert [result.params["slope"]] == nine(certified["params"])
    assert [result.uncertainties["slope"]] == nine(certified["standard_errors"])
    assert result.residual_sd == nine(certified["residual_sd"])
    assert result.r_squared == nine(certified["r_squared"])


@pytest.mark.parametrize(
    "reference", [one for one in cases("linear") if one["degree"] == 5], ids=lambda one: one["name"]
)
def test_the_solver_has_the_certified_values_of_fifth_degree_polynomials(reference):
    x, y = np.array(reference["x"]), np.array(reference["y"])
    solution = fitted(x, y, np.ones_like(x), 5).in_powers_of_x()
    certified = reference["certified"]
    assert solution.parameters == pytest.approx(certified["params"], rel=1e-7)
    variance = certified["residual_sum_of_squares"] / certified["degrees_of_freedom"]
    errors = np.sqrt(np.diag(solution.unscaled_covariance) * variance)
    assert errors == nine(certified["standard_errors"])


def test_the_solver_has_the_certified_values_of_nearly_dependent_columns():
    reference = case("linear", "Longley")
    design = np.column_stack([np.ones(reference["n"]), np.array(reference["x"])])
    assert design.shape == (16, 7)
    solution = solve(design, np.array(reference["y"]))
    assert solution.parameters == pytest.approx(reference["certified"]["params"], rel=1e-8)


@pytest.mark.parametrize(
    "reference", kind("analytic", "weighted_linear_fit"), ids=lambda one: one["name"]
)
def test_weighted_line_takes_its_uncertainties_from_those_of_the_readings(reference):
    result = fit("line", reference["x"], reference["y"], u_y=reference["sigma"])
    expected = reference.get("expected_from_doubles") or reference["expected"]
    assert [result.params["intercept"], result.params["slope"]] == nine(expected["params"])
    absolute = expected["absolute_errors"]["standard_errors"]
    assert [result.uncertainties["intercept"], result.uncertainties["slope"]] == nine(absolute)


@given(
    slope=st.floats(-1e3, 1e3),
    intercept=st.floats(-1e3, 1e3),
    x=arrays(np.float64, st.integers(3, 30), elements=st.floats(-100, 100), unique=True),
)
def test_line_through_exact_points_is_that_line(slope, intercept, x):
    assume(np.ptp(x) > 1e-3)
    result = fit("line", x, slope * x + intercept)
    tolerance = 1e-9 * (1 + abs(slope) + abs(intercept)) * (1 + 100 / np.ptp(x))
    assert result.params["slope"] == pytest.approx(slope, abs=tolerance)
    assert result.params["intercept"] == pytest.approx(intercept, abs=100 * tolerance)
    assert result.predict(x) == pytest.approx(slope * x + intercept, abs=100 * tolerance)


def test_standard_uncertainty_is_the_scatter_of_repeated_fits():
    noise = np.random.default_rng(11)
    x = np.linspace(0, 10, 40)
    slopes, stated = [], []
    for _ in range(2000):
        result = fit("line", x, 3 * x + 2 + noise.normal(0, 0.5, x.size))
        slopes.append(result.params["slope"])
        stated.append(result.uncertainties["slope"])
    assert np.mean(stated) == pytest.approx(np.std(slopes, ddof=1), rel=0.06)


def test_covariance_of_slope_and_intercept_is_minus_mean_x_times_the_slope_variance():
    x = np.array([1.0, 2.0, 4.0, 7.0])
    result = fit("line", x, [2.0, 3.9, 8.3, 13.8])
    assert result.covariance[0, 1] == nine(-x.mean() * result.uncertainties["slope"] ** 2)


def test_a_held_parameter_has_no_uncertainty():
    x, y = np.array([1.0, 2.0, 3.0]), np.array([3.1, 4.9, 7.2])
    result = fit("line", x, y, fixed={"intercept": 1.0})
    assert result.params["intercept"] == 1.0
    assert result.uncertainties["intercept"] == 0.0
    assert result.params["slope"] == nine(np.dot(x, y - 1) / np.dot(x, x))


def test_readings_that_are_not_numbers_are_left_out():
    whole = fit("line", [0, 1, 2, 3], [1.0, 3.1, 4.9, 7.0])
    gapped = fit("line", [0, 1, math.nan, 2, 3, 9], [1.0, 3.1, 0.0, 4.9, 7.0, math.nan])
    assert gapped.params == whole.params
    assert gapped.dof == whole.dof


@pytest.mark.parametrize(
    ("arguments", "error", "words"),
    [
        (("circle", [1], [1]), FitError, "There is no model “circle”."),
        (("line", [1], [1]), TooFewReadings, "needs at least 3 readings; here there is only one"),
        (("line", [], []), TooFewReadings, "needs at least 3 readings; here there is none"),
        (("line", [2, 2, 2], [1, 2, 3]), FitError, "All readings lie at the same x"),
        (("proportional", [0, 0, 0], [1, 2, 3]), FitError, "All readings have x = 0"),
        (("line", [1, 2, 3], [1, 2]), FitError, "two rows of the same length"),
    ],
)
def test_what_cannot_be_fitted_is_explained(arguments, error, words):
    with pytest.raises(error, match=words.replace(".", r"\.")):
        fit(*arguments)


def test_uncertainties_must_be_positive():
    with pytest.raises(FitError, match="above zero"):
        fit("line", [1, 2, 3], [1, 2, 3], u_y=[0.1, 0.0, 0.1])


def test_an_unknown_held_parameter_is_named():
    with pytest.raises(FitError, match="line has no parameter “a”. It has slope, intercept."):
        fit("line", [1, 2, 3], [1, 2, 3], fixed={"a": 1})


def test_parameters_get_their_units():
    found = MODELS["line"].units(units.parse("s"), units.parse("mm"))
    assert {name: str(unit) for name, unit in found.items()} == {
        "slope": "mm/s",
        "intercept": "mm",
    }
