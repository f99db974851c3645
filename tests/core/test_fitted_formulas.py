"""Formulas fitted as models, against certified values and simulation."""

import numpy as np
import pytest

from galena.core.errors import FitError, FormulaError, TooFewReadings
from galena.core.fits import fit
from tests.reference_cases import cases

# Two x, or a logarithm of y, is not what a formula of x can be fitted to.
REFERENCES = [one for one in cases("nonlinear") if len(one["x_names"]) == 1]
# Residuals near 1e-13 leave no digits for what follows from them in double precision.
WITHOUT_RESIDUALS = ("Lanczos1",)
X = np.linspace(0.0, 8.0, 60)


@pytest.mark.parametrize("begin", ["start1", "start2"])
@pytest.mark.parametrize("reference", REFERENCES, ids=lambda one: one["name"])
def test_certified_parameters_are_found_from_both_published_starts(reference, begin):
    names = reference["param_names"]
    formula = reference["expression"].replace("**", "^")
    start = dict(zip(names, reference[begin], strict=True))
    found = fit(formula, reference["x"], reference["y"], start=start)
    certified = reference["certified"]
    for place, name in enumerate(names):
        assert found.params[name] == pytest.approx(certified["params"][place], rel=1e-6)
        if reference["name"] not in WITHOUT_RESIDUALS:
            expected = certified["standard_errors"][place]
            assert found.uncertainties[name] == pytest.approx(expected, rel=1e-5)
    assert found.dof == len(reference["x"]) - len(names)


@pytest.mark.parametrize("reference", cases("linear"), ids=lambda one: one["name"])
def test_a_formula_that_is_linear_in_its_parameters_needs_no_start(reference):
    names = reference["param_names"]
    if len(reference["x_names"]) == 1:
        terms = [f"{name}*x^{name[1:]}" for name in names if name != "B0"]
    else:
        terms = [f"{name}*x{name[1:]}" for name in names if name != "B0"]
    formula = " + ".join([*terms, *(["B0"] if "B0" in names else [])])
    found = fit(formula, reference["x"], reference["y"])
    certified = reference["certified"]
    digits = 5e-6 if reference["name"] == "Wampler5" else 1e-9  # its residuals dwarf the rest
    parameters = [found.params[name] for name in names]
    assert parameters == pytest.approx(certified["params"], rel=digits)
    errors = [found.uncertainties[name] for name in names]
    assert errors == pytest.approx(certified["standard_errors"], rel=1e-9, abs=1e-9)


def test_a_start_is_found_where_none_is_given():
    rng = np.random.default_rng(3)
    y = 61.5 * np.exp(-0.45 * X) + 19.5 + rng.normal(0, 0.05, X.size)
    found = fit("T_0*exp(-k*x) + T_r", X, y)
    for name, truth in (("T_0", 61.5), ("k", 0.45), ("T_r", 19.5)):
        assert found.params[name] == pytest.approx(truth, abs=4 * found.uncertainties[name])
    assert found.predict([0.0])[0] == pytest.approx(81.0, abs=0.2)
    assert found.residual_sd == pytest.approx(0.05, rel=0.3)


def test_the_stated_uncertainty_is_that_of_repeated_fits():
    rng = np.random.default_rng(8)
    start, fits = {"a": 2.0, "b": 0.5}, []
    for _ in range(150):
        y = 2.0 * (1 - np.exp(-0.5 * X)) + rng.normal(0, 0.04, X.size)
        fits.append(fit("a*(1-exp(-b*x))", X, y, u_y=0.04, start=start))
    for name in start:
        scatter = np.std([one.params[name] for one in fits], ddof=1)
        assert fits[0].uncertainties[name] == pytest.approx(scatter, rel=5 / np.sqrt(2 * 150))


def test_a_parameter_may_be_held():
    y = 3.0 * X**1.5
    found = fit("a*x^n", X[1:], y[1:], fixed={"n": 1.5}, start={"a": 1.0})
    assert found.params == {"a": pytest.approx(3.0), "n": 1.5}
    assert found.uncertainties["n"] == 0.0
    assert fit("a*x^n", X, y, fixed={"a": 3.0, "n": 1.5}).residuals == pytest.approx(0, abs=1e-12)


def test_angles_are_plain_numbers_in_a_model():
    y = 0.8 * np.sin(2 * np.pi * X / 3.1 + 0.4)
    found = fit("A*sin(2*π*x/T + φ)", X, y, start={"A": 1.0, "T": 3.0, "φ": 0.0})
    assert found.params["T"] == pytest.approx(3.1)
    assert found.params["φ"] == pytest.approx(0.4)


@pytest.mark.parametrize(
    ("formula", "options", "error", "said"),
    [
        ("a*(1-exp(", {}, FormulaError, "The formula stops after"),
        ("rate(a*x, x)", {}, FormulaError, "rate looks at several readings"),
        ("3*x", {}, FormulaError, "has no parameter to find"),
        ("2 m*x + a", {}, FormulaError, "numbers have no units"),
        ("parabola", {}, FitError, "There is no model “parabola”"),
        ("a*x", {"fixed": {"b": 1}}, FitError, "a\\*x has no parameter “b”. It has a."),
        ("a*x", {"start": {"c": 1}}, FitError, "a\\*x has no parameter “c”"),
        ("a*b*x", {"start": {"a": 1, "b": 1}}, FitError, "a, b cannot be told apart"),
        ("ln(a*x - 100)", {"start": {"a": 1}}, FitError, "No start was found"),
        ("a*x^5+b*x+c", {"few": 2}, TooFewReadings, "needs at least 4 readings"),
    ],
)
def test_what_cannot_be_fitted_is_said(formula, options, error, said):
    few = options.pop("few", X.size)
    with pytest.raises(error, match=said):
        fit(formula, X[:few], 2 * X[:few] + 1, **options)
