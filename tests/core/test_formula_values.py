"""Values and uncertainties of formulas, against simulation and against numeric derivatives."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from galena.core.errors import FormulaError
from galena.core.formula import compile

SYMBOLS = {"x": "m", "y": "m", "a": "m", "b": "", "t": "s"}
ROWS = 9
T = np.array([0.0, 0.4, 1.1, 1.5, 2.6, 3.0, 3.9, 4.2, 5.0])
VALUES = {
    "x": np.array([1.2, 1.9, 1.4, 2.3, 2.8, 2.2, 3.1, 2.6, 1.7]),
    "y": np.array([2.4, 1.1, 1.8, 2.9, 1.5, 2.0, 1.3, 2.2, 2.7]),
    "a": 1.6,
    "b": 0.7,
    "t": T,
}
SIZES = {"x": 0.02, "y": 0.03, "a": 0.02, "b": 0.01}

# Formulas of numbers: units are divided out at the leaves, and of angles, so that any of them fits
# any other.
LEAVES = st.sampled_from(["x/1 m", "y/1 m", "a/1 m", "b", "2", "x/y", "(x - a)/1 m"])


def _grown(parts):
    return st.one_of(
        st.tuples(parts, st.sampled_from("+-*"), parts).map(lambda p: f"({p[0]}){p[1]}({p[2]})"),
        parts.map(lambda p: f"({p})/(3 + ({p})^2)"),
        parts.map(lambda p: f"sin(({p})*1 rad)"),
        parts.map(lambda p: f"exp(-({p})^2/9)"),
        parts.map(lambda p: f"sqrt(4 + ({p})^2)"),
        parts.map(lambda p: f"ln(4 + ({p})^2)"),
        parts.map(lambda p: f"({p})^2"),
        parts.map(lambda p: f"atan({p})/1 rad"),
    )


PLAIN = st.recursive(LEAVES, _grown, max_leaves=6)
OVER_ROWS = st.tuples(
    PLAIN,
    st.sampled_from(
        [
            "rate({0}, t)*1 s",
            "rate(rate({0}, t), t)*1 s*1 s",
            "rate({0}, t, 5)*1 s",
            "rate({0}, x/1 m)",
            "running_area({0}, t)/1 s",
            "area({0}, t)/1 s",
            "area({0}, x/1 m)",
            "running_area({0}, y/1 m)",
            "smooth({0}, 5)",
            "mean({0})",
            "previous({0})",
            "first({0})",
            "last({0})",
            "{0} - mean({0})",
            "{0} - smooth({0}, 3)",
            "running_area(rate({0}, t), t)",
            "rate(running_area({0}, t), t)",
            "running_area(running_area({0}, t), t)/1 s^2",
            "mean(running_area({0}, t))*b/1 s",
            "smooth({0} - mean({0}), 3)*a/1 m",
            "max({0})*x/1 m",
        ]
    ),
).map(lambda pair: pair[1].format(f"({pair[0]})"))


def inputs(**changed):
    return {**VALUES, **changed}


def evaluated(text: str, values: dict) -> np.ndarray:
    found = compile(text, SYMBOLS).evaluate(values).values
    return np.broadcast_to(np.asarray(found, dtype=float), ROWS)


def propagated(text: str, **options) -> np.ndarray:
    known = {
        name: (value, np.broadcast_to(SIZES[name], np.shape(value))) if name in SIZES else value
        for name, value in VALUES.items()
    }
    values, u = compile(text, SYMBOLS).evaluate(known, **options)
    # A row that has no value has no uncertainty; here it counts as none.
    return np.broadcast_to(0.0 if u is None else np.where(np.isfinite(values), u, 0.0), ROWS)


def by_differences(text: str) -> np.ndarray:
    """Propagate by changing every input by itself: slow, and with nothing in common."""
    step, total = 1e-5, np.zeros(ROWS)
    for name, size in SIZES.items():
        places = range(ROWS) if np.ndim(VALUES[name]) else [None]
        for place in places:
            up, down = np.array(VALUES[name], dtype=float), np.array(VALUES[name], dtype=float)
            up[place if place is not None else ...] += step
            down[place if place is not None else ...] -= step
            change = evaluated(text, inputs(**{name: up})) - evaluated(text, inputs(**{name: down}))
            total += np.nan_to_num(size * change / (2 * step)) ** 2
    return np.sqrt(total)


@settings(max_examples=40)
@given(OVER_ROWS)
def test_uncertainties_over_rows_are_those_of_every_single_derivative(text):
    u, expected = propagated(text), by_differences(text)
    assert u == pytest.approx(expected, rel=2e-5, abs=1e-7 + 1e-6 * expected.max())


@settings(max_examples=60)
@given(PLAIN, st.integers(0, 2**32 - 1))
def test_uncertainties_agree_with_simulation(text, seed):
    draws = 20_000
    rng = np.random.default_rng(seed)
    row = {
        name: float(np.ravel(value)[3 if np.ndim(value) else 0]) for name, value in VALUES.items()
    }
    expression = compile(text, SYMBOLS)
    known = {name: (np.array([row[name]]), np.array([0.2 * SIZES[name]])) for name in SIZES}
    u = expression.evaluate({**known, "t": np.zeros(1)}).uncertainties
    u = 0.0 if u is None else float(np.ravel(u)[0])
    drawn = {name: row[name] + rng.normal(0, 0.2 * SIZES[name], draws) for name in SIZES}
    values = expression.evaluate({**drawn, "t": np.zeros(draws)}).values
    found = float(np.std(values))
    # Where the slope itself vanishes, what is left is curvature, which first order leaves out.
    assume(_is_straight(expression, row, u))
    # The standard deviation of so many draws is known to 1/sqrt(2 draws): five of them, and 2 %
    # for what is left of curvature.
    assert u == pytest.approx(found, rel=5 / np.sqrt(2 * draws) + 0.02, abs=1e-12)


def _is_straight(expression, row: dict, u: float) -> bool:
    """Tell whether three uncertainties on either side the formula is as good as a line."""
    for name in SIZES:
        ends = [
            expression.evaluate({**row, name: row[name] + sign * 0.6 * SIZES[name]}).values
            for sign in (-1, 0, 1)
        ]
        if abs(ends[0] - 2 * ends[1] + ends[2]) > 0.05 * u:
            return False
    return True


@pytest.mark.many
@pytest.mark.parametrize(
    "text",
    [
        "rate(x, t)",
        "running_area(x*y, t)",
        "smooth(x, 5) - x",
        "area(x, y)",
        "rate(y, x, 5)",
        "mean(x)*a - x*y",
    ],
)
def test_uncertainties_over_rows_agree_with_simulation(text):
    draws, rng = 600, np.random.default_rng(5)
    rows = []
    for _ in range(draws):
        drawn = {
            name: VALUES[name] + rng.normal(0, SIZES[name] / 4, np.shape(VALUES[name]))
            for name in SIZES
        }
        rows.append(evaluated(text, inputs(**drawn)))
    found = np.std(rows, axis=0)
    assert propagated(text) / 4 == pytest.approx(found, rel=5 / np.sqrt(2 * draws) + 0.02)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("x - x", 0.0),
        ("x*x", 2 * 3.0 * 0.1),
        ("x + x", 0.2),
        ("x + y", np.hypot(0.1, 0.2)),
        ("x/x", 0.0),
        ("a + a - 2*a", 0.0),
        ("a*x/a", 0.1),
    ],
)
def test_a_source_that_enters_twice_is_counted_with_its_sign(text, expected):
    given = {"x": (np.full(3, 3.0), np.full(3, 0.1)), "y": (np.full(3, 2.0), np.full(3, 0.2)),
             "a": (1.6, 0.1)}  # fmt: skip
    u = compile(text, SYMBOLS).evaluate(given).uncertainties
    assert np.ravel(u) == pytest.approx(expected, abs=1e-15)


def test_what_is_shared_by_all_rows_does_not_average_out():
    x = (np.full(100, 2.0), np.full(100, 0.1))
    alone = compile("mean(x)", SYMBOLS).evaluate({"x": x}).uncertainties
    assert alone == pytest.approx(0.01)
    with_given = compile("mean(x + a)", SYMBOLS).resolve({"x": x, "a": (1.0, 0.05)})
    assert with_given.independent == pytest.approx(0.01)
    assert with_given.shared == pytest.approx(0.05)


def test_a_quantity_made_of_a_quantity_keeps_what_they_have_in_common():
    readings = {"x": (VALUES["x"], np.full(ROWS, 0.1)), "a": (1.6, 0.2)}
    product = compile("x*a", SYMBOLS).value(readings)
    known = {**SYMBOLS, "p": "m^2"}
    u = compile("p - x*a", known).evaluate({**readings, "p": product}).uncertainties
    assert u == pytest.approx(0.0, abs=1e-12)
    u = compile("p/a", known).evaluate({**readings, "p": product}).uncertainties
    assert u == pytest.approx(0.1)


def test_readings_that_were_set_aside_are_passed_over():
    x = np.array([1.0, 2.0, 99.0, 4.0, 5.0])
    t = np.arange(5.0)
    counted = np.array([True, True, False, True, True])
    slopes = compile("rate(x, t)", SYMBOLS).evaluate({"x": x, "t": t}, counted=counted).values
    assert slopes[[0, 1, 3, 4]] == pytest.approx(1.0)
    assert np.isnan(slopes[2])
    mean = compile("mean(x)", SYMBOLS).evaluate({"x": x}, counted=counted).values
    assert mean == 3.0
    before = compile("previous(x)", SYMBOLS).evaluate({"x": x}, counted=counted).values
    assert before[3] == 2.0
    area = compile("area(x, t)", SYMBOLS).evaluate({"x": x, "t": t}, counted=counted).values
    assert area == pytest.approx(12.0)


def test_rows_of_a_table_go_in_the_order_of_x():
    order = np.array([3, 0, 4, 1, 2])
    x = np.array([0.0, 1.0, 3.0, 4.0, 6.0])
    known = {"x": (x, np.zeros(5)), "y": (x**2, np.full(5, 0.1))}
    expected = compile("rate(y, x)", SYMBOLS).evaluate(known)
    mixed = {name: (values[order], u[order]) for name, (values, u) in known.items()}
    found = compile("rate(y, x)", SYMBOLS).evaluate(mixed, by_place=True)
    assert found.values == pytest.approx(expected.values[order])
    assert found.uncertainties == pytest.approx(expected.uncertainties[order])
    running = compile("running_area(y, x)", SYMBOLS)
    found, expected = running.evaluate(mixed, by_place=True), running.evaluate(known)
    assert found.values == pytest.approx(expected.values[order])
    assert found.uncertainties == pytest.approx(expected.uncertainties[order])


@pytest.mark.parametrize(
    ("text", "without"),
    [
        ("1/x", [False, True, False]),
        ("ln(x)", [False, True, True]),
        ("lg(x/1 m)", [False, True, True]),
        ("sqrt(x)", [False, False, True]),
        ("x^-2", [False, True, False]),
        ("asin(x/1 m)", [True, False, True]),
        ("(x/1 m)^b", [False, False, True]),
        ("1/x + x/(1 m^2)", [False, True, False]),
    ],
)
def test_where_a_formula_has_no_number_there_is_a_gap(text, without):
    found = compile(text, SYMBOLS).evaluate({"x": np.array([2.0, 0.0, -3.0]), "b": 0.5}).values
    assert (~np.isfinite(found)).tolist() == without


@pytest.mark.parametrize("text", ["rate(x, t)", "smooth(x, 5)", "area(x, t)", "running_area(x, t)",
                                  "mean(x)", "first(x)", "previous(x)", "max(x)"])  # fmt: skip
@pytest.mark.parametrize("size", [0, 1, 2])
def test_too_few_rows_give_gaps_and_no_error(text, size):
    known = {"x": (np.ones(size), np.ones(size)), "t": np.arange(float(size))}
    found = compile(text, SYMBOLS).evaluate(known)
    assert np.size(found.values) in (size, 1)


def test_columns_of_different_lengths_are_refused():
    with pytest.raises(FormulaError, match="different numbers of readings: x 3, y 2"):
        compile("x + y", SYMBOLS).evaluate({"x": np.ones(3), "y": np.ones(2)})
    with pytest.raises(FormulaError, match="y has no values here"):
        compile("x + y", SYMBOLS).evaluate({"x": np.ones(3)})


def test_a_long_row_worked_out_in_blocks_is_the_same_as_in_one_piece():
    rng = np.random.default_rng(2)
    n = 100_001
    x, u = rng.random(n) + 1, rng.random(n)
    known = {"x": (x, u), "a": (1.5, 0.1), "b": (0.5, 0.01)}
    text = "a*x^2*exp(-b*x/1 m) + x*x*b*1 m"
    whole = compile(text, SYMBOLS).evaluate(known)
    parts = compile(text, SYMBOLS).resolve(known)
    some = slice(65_500, 65_600)
    piece = compile(text, SYMBOLS).evaluate({**known, "x": (x[some], u[some])})
    assert whole.values[some] == pytest.approx(piece.values, rel=1e-15)
    assert whole.uncertainties[some] == pytest.approx(piece.uncertainties, rel=1e-14)
    assert np.hypot(parts.independent, parts.shared) == pytest.approx(whole.uncertainties)


def test_readings_that_are_given_are_never_written_into():
    x = np.linspace(1, 2, 50)
    before = x.copy()
    for text in ("x + x", "2*x", "x*3 - 1 m", "-x", "x", "(x)*(x*2)"):
        compile(text, SYMBOLS).evaluate({"x": x})
    assert (x == before).all()


def test_what_would_take_too_long_or_too_much_memory_is_refused_or_left_open():
    n = 1_000_000
    known = {"x": (np.ones(n), np.ones(n)), "t": np.arange(float(n))}
    with pytest.raises(FormulaError, match="A window of 101 over 1000000 readings would take too"):
        compile("smooth(x, 101)", SYMBOLS).evaluate(known)
    few = {"x": (np.ones(900), np.ones(900)), "t": np.arange(900.0)}
    assert np.isfinite(compile("smooth(x, 101)", SYMBOLS).evaluate(few).uncertainties).all()


def test_smoothing_goes_by_the_times_of_the_rows_where_they_are_known():
    x = 0.3 * T**2 + T
    by_times = compile("smooth(x, 5)", SYMBOLS).evaluate({"x": x, "t": T}).values
    assert by_times == pytest.approx(x)  # a parabola over uneven times stays what it is
    by_rows = compile("smooth(x, 5)", SYMBOLS).evaluate({"x": x}).values
    assert by_rows != pytest.approx(x)


@pytest.mark.parametrize("formula", ["2*x^1", "x^1 + 1", "(x^1 - 1)*2", "2*abs(x)", "-(x^1)*3"])
def test_what_goes_in_is_never_written_over(formula):
    x = np.linspace(1.0, 2.0, 50).copy()  # an array of its own, not a view
    before = x.copy()
    compile(formula, {"x": ""}).evaluate({"x": x})
    assert np.array_equal(x, before)


GAPPED = ["mean(x)", "area(x, t)", "running_area(x, t)", "rate(x, t)", "smooth(x, 3)",
          "mean(1/rate(x, t))", "rate(x, t, 3)", "area(rate(x, t), t)", "mean(x^2*a)",
          "previous(x)", "running_area(smooth(x, 3), t)", "max(x)", "x - mean(x)"]  # fmt: skip


@pytest.mark.parametrize("formula", GAPPED)
def test_a_gap_takes_itself_out_of_values_and_uncertainties(formula):
    gaps = np.array([2, 6])
    kept = np.setdiff1d(np.arange(ROWS), gaps)
    x, u = VALUES["x"].copy(), np.full(ROWS, 0.02)
    x[gaps] = u[gaps] = np.nan
    made = compile(formula, SYMBOLS)
    given = {"t": T, "a": (1.6, 0.02)}
    with_gaps = made.evaluate(given | {"x": (x, u)})
    without = made.evaluate(given | {"x": (x[kept], u[kept]), "t": T[kept]})
    for found, expected in zip(with_gaps, without, strict=True):
        if np.ndim(expected):
            assert np.isnan(found[gaps]).all()
            found = found[kept]
        np.testing.assert_allclose(found, expected, rtol=1e-12)


def test_a_rate_of_zero_is_a_gap_in_what_divides_by_it():
    x = (np.array([1.0, 1.0, 1.0, 2.0, 4.0, 4.0, 5.0]), np.full(7, 0.1))
    made = compile("mean(1/rate(x, t))", SYMBOLS).evaluate({"x": x, "t": np.arange(7.0)})
    assert np.isfinite(made.values)
    assert 0 < made.uncertainties < np.inf


@pytest.mark.parametrize(
    ("formula", "x", "u"),
    [
        ("abs(b)", 0.0, 0.1),
        ("abs(b)", -2.0, 0.1),
        ("sqrt(b)", 0.0, np.nan),
        ("b^0.5", 0.0, np.nan),
        ("b^2", 0.0, 0.0),
        ("b^1", 0.0, 0.1),
        ("b^0", 0.0, 0.0),
        ("asin(b)", 1.0, np.nan),
        ("acos(b)", -1.0, np.nan),
        ("mean(sqrt(b))", [0.0, 1.0, 4.0], np.nan),
        ("mean(abs(b))", [0.0, 1.0, -4.0], 0.1 / np.sqrt(3)),
    ],
)
def test_at_a_kink_the_uncertainty_is_that_of_the_limit_or_unknown(formula, x, u):
    given = np.array(x)
    u_b = 0.1 if given.ndim == 0 else np.full(given.shape, 0.1)
    made = compile(formula, SYMBOLS).evaluate({"b": (given, u_b)})
    assert made.uncertainties == pytest.approx(u, nan_ok=True)


def test_at_zero_a_power_with_an_uncertain_exponent_has_the_limits_too():
    symbols = {"x": "", "n": ""}
    x, n = np.zeros(4), np.array([2.0, 0.5, 1.0, 3.0])
    made = compile("x^n", symbols).evaluate({"x": (x, np.full(4, 0.1)), "n": (n, np.full(4, 0.1))})
    assert made.uncertainties == pytest.approx([0.0, np.nan, 0.1, 0.0], nan_ok=True)


def test_times_with_an_uncertainty_go_along_into_a_formula_that_does_not_name_them():
    t, u = np.arange(5.0), np.full(5, 0.1)
    values, _ = compile("previous(1)", {}).evaluate({"t": (t, u)})
    assert np.shape(values) == (5,)


@pytest.mark.parametrize("formula", ["ln(k)", "lg(k)", "sqrt(k)", "1/k", "k^(-1)", "asin(k+1)"])
def test_one_number_at_a_place_without_a_slope_has_no_uncertainty_and_is_no_fault(formula):
    values, u = compile(formula, {"k": ""}).evaluate({"k": (0.0, 0.1)})
    assert np.ndim(values) == 0
    assert u is None or not np.isfinite(u) or formula.startswith("sqrt")
