"""The shipped models: slopes, starts, uncertainties, and readings that they cannot follow."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import units
from galena.core.errors import FitError, FormulaError, TooFewReadings
from galena.core.fits import MODELS, fit, intersect
from galena.core.fits.each_reading import solve_each
from galena.core.fits.intersection import place_of
from galena.core.fits.together import Set, fit_together
from galena.core.formula.model import compile_model
from tests.reference_cases import case, kind

TRUTH = {
    "constant": {"c": 3.0},
    "proportional": {"slope": 2.0},
    "line": {"slope": 2.0, "intercept": 1.0},
    "quadratic": {"a": 1.0, "b": -2.0, "c": 3.0},
    "cubic": {"a": 0.1, "b": -1.0, "c": 2.0, "d": 1.0},
    "inverse": {"k": 2.0},
    "inverse_constant": {"k": 2.0, "c": 1.0},
    "inverse_square": {"k": 3.0},
    "inverse_square_constant": {"k": 2.0, "c": 1.0},
    "square_root": {"k": 2.0},
    "logarithm": {"a": 2.0, "b": 3.0},
    "turning_point": {"a": 2.0, "x_0": 3.0, "y_0": -1.0},
    "power": {"a": 2.0, "n": -1.7},
    "growth": {"a": 0.5, "τ": 3.0},
    "growth_constant": {"a": 0.5, "τ": 3.0, "c": -4.0},
    "decay": {"a": 5.0, "τ": 2.0},
    "decay_constant": {"a": 5.0, "τ": 2.0, "c": 1.0},
    "saturating": {"a": 4.0, "τ": 3.0},
    "sine": {"A": 2.0, "T": 1.3, "φ": 0.7, "c": 4.0},
    "damped_sine": {"A": 2.0, "τ": 4.0, "T": 1.3, "φ": 0.7, "c": 4.0},
    "gaussian": {"a": 3.0, "x_0": 4.0, "σ": 0.5, "c": 1.0},
    "step": {"a": -3.0, "x_0": 4.0, "σ": 0.5, "c": 1.0},
    "logistic": {"a": 3.0, "x_0": 4.0, "s": 0.5},
}
X = np.linspace(0.2, 10.0, 80)


def test_each_model_is_tried_here():
    assert set(TRUTH) == set(MODELS)


@pytest.mark.parametrize("key", MODELS)
def test_slopes_and_rate_are_those_of_small_steps(key):
    model, truth = MODELS[key], TRUTH[key]
    x = np.linspace(0.5, 9.0, 7)
    jacobian = model.jacobian(x, truth)
    for place, name in enumerate(model.parameters):
        ends = [model.values(x, truth | {name: truth[name] + way}) for way in (-1e-6, 1e-6)]
        assert jacobian[:, place] == pytest.approx((ends[1] - ends[0]) / 2e-6, rel=1e-5, abs=1e-7)
    ends = [model.values(x + way, truth) for way in (-1e-6, 1e-6)]
    assert model.derivative(x, truth) == pytest.approx(
        (ends[1] - ends[0]) / 2e-6, rel=1e-5, abs=1e-7
    )


@pytest.mark.parametrize("size", [1.0, 1e-12, 1e12])
@pytest.mark.parametrize("key", MODELS)
def test_parameters_are_found_without_a_start_at_any_scale(key, size):
    model, truth = MODELS[key], TRUTH[key]
    y = model.values(X, truth)
    y = y + np.random.default_rng(5).normal(0, 0.01 * (np.ptp(y) or 1.0), X.size)
    stretch = size if key not in ("power", "logarithm") else 1.0  # there x is counted in its unit
    found = fit(key, X * stretch, y / size)
    unit = units.parse("m"), units.parse("s")
    sizes = {"m": stretch, "s": 1 / size}
    for name, of in model.units(*unit).items():
        scale = np.prod([sizes[symbol] ** float(power) for symbol, power in of.factors])
        assert found.params[name] / scale == pytest.approx(
            truth[name], abs=4 * found.uncertainties[name] / scale
        )
    assert found.count == X.size


def test_two_places_make_one_y():
    reference = case("nonlinear", "Nelson")
    formula = reference["expression"].replace("**", "^")
    for begin in ("start1", "start2"):
        start = dict(zip(reference["param_names"], reference[begin], strict=True))
        found = fit(formula, reference["x"], np.log(reference["y"]), start=start)
        certified = reference["certified"]
        assert list(found.params.values()) == pytest.approx(certified["params"], rel=1e-6)
        assert list(found.uncertainties.values()) == pytest.approx(
            certified["standard_errors"], rel=1e-5
        )


@pytest.mark.parametrize(
    "reference", kind("analytic", "quadratic_fit"), ids=lambda one: one["name"]
)
def test_quadratics_have_their_exact_values(reference):
    found = fit("quadratic", reference["x"], reference["y"], u_y=reference.get("sigma"))
    expected = reference.get("expected_from_doubles") or reference["expected"]
    errors = expected.get("standard_errors") or expected["absolute_errors"]["standard_errors"]
    assert [found.params[name] for name in "cba"] == pytest.approx(expected["params"], rel=1e-9)
    assert [found.uncertainties[name] for name in "cba"] == pytest.approx(errors, rel=1e-9)


@pytest.mark.parametrize("reference", kind("analytic", "power_law"), ids=lambda one: one["name"])
def test_a_power_law_is_a_line_of_logarithms(reference):
    x, y = np.array(reference["x"]), np.array(reference["y"])
    sigma = reference.get("sigma")
    u = None if sigma is None else np.array(sigma) / y
    found = fit("line", np.log(x), np.log(y), u_y=u)
    expected = reference.get("expected_from_doubles") or reference["expected"]
    of = expected.get("absolute_errors", expected)
    assert found.params["slope"] == pytest.approx(expected["n"], rel=1e-9)
    assert found.params["intercept"] == pytest.approx(expected["lnA"], rel=1e-9)
    assert found.uncertainties["slope"] == pytest.approx(of["u_n"], rel=1e-9)


@pytest.mark.parametrize(
    "reference", kind("analytic", "line_intersection"), ids=lambda one: one["name"]
)
def test_two_lines_meet_where_they_should(reference):
    lines = [
        fit("line", reference[f"x{n}"], reference[f"y{n}"], u_y=reference.get(f"sigma{n}"))
        for n in (1, 2)
    ]
    expected = reference.get("expected_from_doubles") or reference["expected"]
    met = intersect(*lines)
    for name, key in (("x", "x"), ("y", "y"), ("u_x", "u_x"), ("u_y", "u_y"), ("u_xy", "cov_xy")):
        assert getattr(met, name) == pytest.approx(expected[key], rel=1e-9)


def test_curves_meet_nearest_to_the_place_that_was_meant():
    x = np.linspace(-3.0, 3.0, 40)
    parabola, level = fit("quadratic", x, x**2), fit("constant", x, np.full(40, 4.0))
    for near, place in ((-1.0, -2.0), (1.0, 2.0)):
        assert intersect(parabola, level, near).x == pytest.approx(place)
    assert place_of(parabola, 1.0, near=0.5).x == pytest.approx(1.0)
    with pytest.raises(FitError, match="does not reach"):
        place_of(parabola, -1.0)
    with pytest.raises(FitError, match="parallel"):
        intersect(fit("line", x, 2 * x), fit("line", x, 2 * x + 1))
    with pytest.raises(FitError, match="do not meet"):
        intersect(parabola, fit("constant", x, np.full(40, -1.0)))


def _covers(key, truth, x, sd, rng, sets=1000):
    model, inside = MODELS[key], 0
    y = model.values(x, truth)
    name = next(iter(truth))
    for _ in range(sets):
        found = fit(key, x, y + rng.normal(0, sd, x.size), start=truth)
        inside += abs(found.params[name] - truth[name]) <= found.uncertainties[name]
    return inside / sets


@pytest.mark.many
@pytest.mark.parametrize("key", ["line", "decay_constant", "sine"])
def test_the_interval_of_one_uncertainty_covers_the_truth_in_two_of_three(key):
    x = np.linspace(0.0, 8.0, 60)
    share = _covers(key, TRUTH[key], x, 0.1, np.random.default_rng(17))
    assert share == pytest.approx(0.68, abs=0.04)


@pytest.mark.many
def test_the_interval_of_a_meeting_covers_the_truth_in_two_of_three():
    rng, x, inside = np.random.default_rng(23), np.linspace(0.0, 5.0, 30), 0
    for _ in range(1000):
        first = fit("line", x, 1 + 2 * x + rng.normal(0, 0.3, x.size))
        second = fit("line", x + 6, 15 - 0.5 * (x + 6) + rng.normal(0, 0.3, x.size))
        met = intersect(first, second)
        inside += abs(met.x - 5.6) <= met.u_x
    assert inside / 1000 == pytest.approx(0.68, abs=0.04)


def test_a_band_is_as_wide_as_repeated_fits_scatter():
    rng, x = np.random.default_rng(4), np.linspace(0.2, 8.0, 40)
    y = MODELS["decay"].values(x, TRUTH["decay"])
    fits = [fit("decay", x, y + rng.normal(0, 0.05, 40), start=TRUTH["decay"]) for _ in range(300)]
    scatter = np.std([one.predict(1.0)[0] for one in fits], ddof=1)
    assert fits[0].band(1.0)[0] == pytest.approx(scatter, rel=0.2)
    lo, hi = fits[0].interval("τ")
    assert hi - lo == pytest.approx(2 * 2.02 * fits[0].uncertainties["τ"], rel=0.01)


def test_parameters_may_be_shared_by_several_runs():
    rng = np.random.default_rng(2)
    sets = [Set(X, a * np.exp(-X / 3.0) + rng.normal(0, 0.02, X.size)) for a in (2.0, 5.0)]
    found = fit_together("decay", sets, ["τ"])
    assert found[0].params["τ"] == found[1].params["τ"] == pytest.approx(3.0, abs=0.05)
    assert found[0].uncertainties["τ"] < min(
        fit("decay", one.x, one.y).uncertainties["τ"] for one in sets
    )
    alone = fit_together("decay", sets, [])
    assert alone[1].params == fit("decay", sets[1].x, sets[1].y).params
    weighted = fit_together("line", [Set(X, 2 * X + b, 0.1) for b in (1.0, 2.0)], ["slope"])
    assert [one.params["intercept"] for one in weighted] == pytest.approx([1.0, 2.0])
    assert weighted[0].uncertainties["slope"] == pytest.approx(
        fit("line", X, 2 * X, u_y=0.1).uncertainties["slope"] / np.sqrt(2)
    )
    with pytest.raises(FitError, match="b cannot be shared"):
        fit_together("decay", sets, ["b"])


@given(a=st.floats(0.5, 5.0), centre=st.floats(3.0, 7.0))
def test_a_parameter_is_found_from_every_reading_but_those_at_the_turning_point(a, centre):
    params = {"a": a, "x_0": centre, "y_0": 1.0}
    y = MODELS["turning_point"].values(X, params)
    found = solve_each(MODELS["turning_point"], X, y, "a", params | {"a": 3.0})
    assert found.counted == pytest.approx(a, rel=1e-6)
    assert 0 < np.count_nonzero(found.blunt) < 0.4 * X.size
    assert np.all(found.blunt[np.abs(X - centre) < 0.3])


def test_a_curved_parameter_is_found_from_every_reading():
    model = compile_model("a*exp(-x/b) + c")
    params = {"a": 2.0, "b": 3.0, "c": 1.0}
    found = solve_each(model, X, model.values(X, params), "b", params | {"b": 2.5})
    assert found.counted == pytest.approx(3.0)


def test_readings_where_a_model_has_no_value_are_left_out_and_counted():
    x = np.linspace(-2.0, 8.0, 41)
    found = fit("logarithm", x, 2 * np.log(np.maximum(x, 1e-9)) + 1)
    assert (found.excluded, found.count) == (9, 32)
    assert found.params["a"] == pytest.approx(2.0)
    assert fit("power", x, np.abs(x) ** 2).excluded == 9


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("a*(1 - exp(-b*x))", {"a": "lx", "b": "m⁻¹"}),
        ("E_0/(1 + x/d)^2 + c", {"E_0": "lx", "d": "m", "c": "lx"}),
        ("a*sin(w*x + p)", {"a": "lx", "w": "m⁻¹", "p": ""}),
        ("a*x^n", {"a": "lx", "n": ""}),
        ("a*x^2 + b*sqrt(x)", {"a": "lx/m²", "b": "lx/m¹⁄²"}),
        ("(a + b*x)/(1 + c*x)", {"a": "lx", "b": "lx/m", "c": "m⁻¹"}),
    ],
)
def test_parameters_of_a_typed_model_get_their_units(formula, expected):
    found = compile_model(formula).units(units.parse("m"), units.parse("lx"))
    assert {name: units.in_words(one) if not one.factors else str(one)
            for name, one in found.items()} == {
        name: text or "a plain number" for name, text in expected.items()}  # fmt: skip


@pytest.mark.parametrize(
    ("formula", "part"),
    [("a + b*x + 3", "a+b*x+3"), ("a*exp(x)", "exp(x)"), ("a*x^x", "x"), ("x + a", "x+a")],
)
def test_units_that_do_not_fit_are_shown_where(formula, part):
    with pytest.raises(FormulaError, match="units do not fit") as caught:
        compile_model(formula).units(units.parse("m"), units.parse("lx"))
    assert formula[caught.value.start : caught.value.end].replace(" ", "") == part


@pytest.mark.parametrize("key", MODELS)
def test_readings_that_carry_no_model_are_answered(key):
    for x, y in (([], []), ([1.0], [2.0]), (np.ones(9), np.arange(9.0)), (X, np.full(80, np.nan))):
        try:
            found = fit(key, x, y)
        except (FitError, TooFewReadings) as error:
            assert str(error).endswith(".")
        else:
            assert all(map(np.isfinite, found.params.values()))
    flat = MODELS[key].values(X, dict.fromkeys(MODELS[key].parameters, 1.0)) * 0 + 4.0
    try:
        assert np.isfinite(fit(key, X, flat).rss)
    except FitError as error:
        assert "cannot be told apart" in str(error) or "come to rest" in str(error)
