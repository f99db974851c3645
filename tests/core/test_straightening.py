"""Relations made straight: axes there and back, constants, claims, shapes, both ways."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import units
from galena.core.errors import FitError, FormulaError
from galena.core.fits import fit
from galena.core.straightening import RELATIONS, SHAPES, against, both_ways, claim, course
from galena.core.straightening.claims import near_half
from galena.core.straightness import straightness

NAMES = (
    "none proportional linear square cube square_root inverse inverse_square inverse_cube power "
    "exponential_growth exponential_decay logarithmic reciprocal turning_point own"
)
PLACES = np.array([0.2, 0.25, 0.3, 0.4, 0.5, 0.7, 0.9, 1.2, 1.6, 2.1])
LAWS = {
    "none": (lambda x: 2.5 + 0 * x, {"k": 0, "c": 2.5}),
    "linear": (lambda x: 2 * x + 3, {"k": 2, "c": 3}),
    "proportional": (lambda x: 7.3 * x, {"k": 7.3, "c": 0}),
    "square_root": (lambda x: 2.01 * np.sqrt(x), {"k": 2.01, "c": 0}),
    "square": (lambda x: 4.905 * x**2 + 0.1, {"k": 4.905, "c": 0.1}),
    "cube": (lambda x: 0.06 * x**3, {"k": 0.06, "c": 0}),
    "inverse": (lambda x: 12 / x - 1, {"k": 12, "c": -1}),
    "inverse_square": (lambda x: 32.04 / x**2 + 5.8, {"k": 32.04, "c": 5.8}),
    "inverse_cube": (lambda x: 0.3 / x**3, {"k": 0.3, "c": 0}),
    "logarithmic": (lambda x: 3 * np.log(x) + 9, {"k": 3, "c": 9}),
    "power": (lambda x: 0.06 * x**2.5, {"a": 0.06, "n": 2.5}),
    "exponential_growth": (lambda x: 3 * np.exp(x / 0.7), {"a": 3, "tau": 0.7}),
    "exponential_decay": (lambda x: 60 * np.exp(-x / 0.35), {"a": 60, "tau": 0.35}),
    "reciprocal": (lambda x: 5 * x / (0.7 + x), {"y_max": 5, "x_half": 0.7, "c": 0.2, "k": 0.14}),
    "turning_point": (lambda x: 2 - 3 * (x - 0.9) ** 2, {"k": -3, "c": 2}),
    "own": (lambda x: 2 * x + 3, {"k": 2, "c": 3}),
}


def line_through(key, y, x=PLACES, **more):
    seen = RELATIONS[key].straighten(x, y, **more)
    return seen, fit("line", seen.x, seen.y)


def claimed(key, y, x=PLACES):
    seen, line = line_through(key, y, x)
    return claim(seen.relation, line, straightness(seen.x, seen.y), seen.left_out)


def test_every_relation_is_there():
    assert sorted(RELATIONS) == sorted(NAMES.split()) == sorted(LAWS)
    assert all(shape in SHAPES for one in RELATIONS.values() for shape in one.shapes)
    shown = {shape for one in RELATIONS.values() for shape in one.shapes if one.key != "own"}
    assert shown == set(SHAPES) and len(SHAPES) == 7


@pytest.mark.parametrize("key", RELATIONS)
def test_constants_of_exact_readings_come_back_to_nine_digits(key):
    law, constants = LAWS[key]
    seen, line = line_through(key, law(PLACES))
    found = seen.relation.law(line)
    assert set(found) == set(constants)
    for name, value in constants.items():
        assert found[name][0] == pytest.approx(value, rel=1e-9, abs=1e-9)
    assert seen.kept.all() and seen.left_out == 0 and seen.u_y is None
    assert (
        seen.relation.back(line, PLACES) == pytest.approx(law(PLACES), rel=1e-9)
        or key == "turning_point"
    )  # whose other branch is as good


@given(
    st.sampled_from([key for key in RELATIONS if key != "own"]),
    st.lists(st.floats(1e-3, 1e3), min_size=1, max_size=20),
)
def test_both_axes_lead_there_and_back(key, numbers):
    relation = RELATIONS[key]
    for axis in (relation.x, relation.y):
        assert axis.inverse(axis.forward(numbers)) == pytest.approx(np.array(numbers), rel=1e-9)
        assert axis.has_place(numbers).all()


@given(
    st.sampled_from(list(RELATIONS)),
    st.lists(st.floats(-1e100, 1e100) | st.just(math.nan) | st.just(math.inf), min_size=4),
)
def test_whatever_the_readings_what_is_kept_is_finite(key, numbers):
    x, y = np.array(numbers), np.array(numbers[::-1])
    try:
        seen = RELATIONS[key].straighten(x, y, u_y=0.1)
    except FitError:
        assert key == "turning_point"
        return
    assert seen.kept.shape == x.shape and seen.x.size == seen.y.size == seen.kept.sum()
    assert np.isfinite(seen.x).all() and np.isfinite(seen.y).all()


def test_readings_without_a_place_are_counted():
    x, y = [-1.0, 0.0, 1.0, 2.0, np.nan], [1.0, 2.0, 0.0, -3.0, 1.0]
    kept = {key: list(RELATIONS[key].straighten(x, y).kept) for key in RELATIONS
            if key != "turning_point"}  # fmt: skip
    assert kept["linear"] == [True, True, True, True, False]
    assert kept["inverse_square"] == [True, False, True, True, False]
    assert kept["square_root"] == [False, True, True, True, False]
    assert kept["exponential_decay"] == [True, True, False, False, False]
    assert not any(kept["power"])


def test_error_bars_pass_through():
    seen = RELATIONS["reciprocal"].straighten([2.0, 4.0], [5.0, 10.0], u_y=[0.5, 0.1], u_x=0.2)
    assert seen.u_y == pytest.approx([0.5 / 25, 0.1 / 100])
    assert seen.u_x == pytest.approx([0.2 / 4, 0.2 / 16])
    logarithm = RELATIONS["power"].straighten([2.0, 4.0], [5.0, 10.0], u_y=0.1)
    assert logarithm.u_y == pytest.approx([0.02, 0.01])


@pytest.mark.many
@pytest.mark.parametrize("key", ["power", "exponential_decay", "reciprocal", "inverse_square"])
def test_the_uncertainty_of_a_constant_is_that_of_many_repetitions(key):
    law, _ = LAWS[key]
    noise = np.random.default_rng(6)
    u = 0.01 * law(PLACES)
    values, stated = {}, {}
    for _ in range(1500):
        seen = RELATIONS[key].straighten(PLACES, law(PLACES) + noise.normal(0, u), u_y=u)
        for name, (value, uncertainty) in seen.relation.law(
            fit("line", seen.x, seen.y, u_y=seen.u_y)
        ).items():
            values.setdefault(name, []).append(value)
            stated.setdefault(name, []).append(uncertainty)
    for name, repeated in values.items():
        assert np.mean(stated[name]) == pytest.approx(np.std(repeated, ddof=1), rel=0.08), name


def test_constants_have_units():
    metre, lux = units.parse("m"), units.parse("lx")
    shown = {key: {name: units.typeset(unit) for name, unit in one.units(metre, lux).items()}
             for key, one in RELATIONS.items()}  # fmt: skip
    assert shown["inverse_square"] == {"k": "lx·m²", "c": "lx"}
    assert shown["power"] == {"a": "lx", "n": ""}
    assert shown["exponential_decay"] == {"a": "lx", "tau": "m"}
    assert shown["reciprocal"]["y_max"] == "lx" and shown["reciprocal"]["x_half"] == "m"
    assert shown["turning_point"] == {"k": "lx/m²", "c": "lx"}
    axis = RELATIONS["inverse_square"].x
    assert (axis.symbol("d", metre), axis.shown("d", metre)) == ("d⁻²", "1/d²")
    assert axis.formula("d") == "1/d^2" and units.typeset(axis.unit(metre)) == "m⁻²"
    assert RELATIONS["power"].y.symbol("V", units.parse("mL")) == "ln(V/mL)"
    assert units.typeset(RELATIONS["square_root"].x.unit(metre)) == "m¹⁄²"


SCATTER = np.array([0.6, -1.1, 0.9, -0.4, 0.3, -0.9, 1.2, -0.7, 0.4, -0.3])  # of no shape


def noisy(law, share=0.004):
    return law * (1 + share * SCATTER)


def test_directly_proportional_is_open_only_through_the_origin():
    through = claimed("proportional", noisy(7.3 * PLACES))
    assert through.is_open and through.sentence == "{y} is directly proportional to {x}"
    beside = claimed("proportional", noisy(7.3 * PLACES + 2))
    assert not beside.is_open and any("Directly proportional" in note for note in beside.notes)
    assert claimed("linear", noisy(7.3 * PLACES + 2)).is_open
    ambient = claimed("inverse_square", noisy(32 / PLACES**2 + 40, 0.002))
    assert ambient.is_open and ambient.has_constant and "plus a constant" in ambient.sentence
    assert not claimed("inverse_square", noisy(32 / PLACES**2, 0.002)).has_constant


def test_a_falling_line_is_no_inverse_relation():
    falls = claimed("linear", noisy(10 - 3 * PLACES))
    assert falls.is_open and any("not an inverse" in note for note in falls.notes)
    assert "inverse" not in falls.sentence
    assert not claimed("inverse", noisy(10 - 3 * PLACES)).is_open


def test_a_wrong_guess_is_said_to_be_a_curve():
    wrong = claimed("exponential_decay", noisy(32 / PLACES**2))
    assert not wrong.is_open and wrong.sentence.startswith("This does not make a straight line")


def test_an_exponent_agrees_with_a_whole_or_half_number():
    assert claimed("power", noisy(0.06 * PLACES**3)).exponent == 3
    assert claimed("power", noisy(2 * np.sqrt(PLACES))).exponent == 0.5
    between = claimed("power", noisy(2 * PLACES**1.72))
    assert between.exponent is None and between.is_open
    assert (near_half(2.98, 0.03), near_half(2.98, 0.3), near_half(0.01, 0.02)) == (3, None, None)


def test_what_runs_the_wrong_way_or_depends_on_nothing_is_said():
    assert "not a growth" in claimed("exponential_growth", noisy(60 * np.exp(-PLACES))).sentence
    flat = 5 + np.random.default_rng(2).normal(0, 0.1, PLACES.size)
    assert claimed("none", flat).is_open
    assert claimed("linear", flat).sentence.startswith("No dependence is seen")
    assert "does depend" in claimed("none", noisy(3 * PLACES)).sentence
    few = claimed("linear", np.array([1.0, 2.1, 2.9]), np.array([1.0, 2.0, 3.0]))
    assert not few.is_open and "too few" in few.notes[0]
    left = claimed("power", np.append(noisy(PLACES**2), -1.0), np.append(PLACES, 3.0))
    assert left.notes[0].startswith("1 reading has no place")


@pytest.mark.parametrize(("shape", "law"), [
    ("rises_evenly", 3 * PLACES), ("rises_faster", PLACES**3), ("rises_slower", np.sqrt(PLACES)),
    ("falls_slower", 1 / PLACES), ("falls_evenly", 9 - 3 * PLACES), ("stays", 5 + 0 * PLACES),
    ("turns", 3 - (PLACES - 1.1) ** 2),
])  # fmt: skip
def test_a_shape_is_held_against_the_readings(shape, law):
    scatter = np.random.default_rng(4).normal(0, 0.01, PLACES.size)
    seen = course(PLACES, law + scatter)
    assert seen.words == SHAPES[shape].words
    others = {key: against(one, seen) for key, one in SHAPES.items()}
    assert others.pop(shape) == ""
    assert all(said.startswith("Look from left") for said in others.values())


def test_three_readings_speak_against_no_bend():
    seen = course([1.0, 2.0, 3.0], [1.0, 4.0, 9.0])
    assert seen.bend is None and against(SHAPES["rises_faster"], seen) == ""
    assert course([1.0, 1.0], [2.0, 3.0]).trend == 0


@pytest.mark.parametrize("key", [key for key in RELATIONS if key != "own"])
def test_the_curve_itself_gives_the_same_law(key):
    law, _ = LAWS[key]
    y = noisy(law(PLACES), 0.002)
    seen, line = line_through(key, y)
    beside = both_ways(seen, line, PLACES, y)
    assert not beside.trouble and set(beside.constants) == set(seen.relation.names)
    for name, (value, u) in beside.constants.items():
        theirs, u_theirs = seen.relation.law(line)[name]
        assert value == pytest.approx(theirs, abs=max(4 * u, 4 * u_theirs, 1e-9))
    assert bool(beside.differing) == bool(beside.why)
    if seen.relation.keeps_y:
        assert not beside.differing


def test_where_line_and_curve_differ_it_is_said_why():
    x = np.linspace(0, 1.6, 25)
    y = np.abs(60 * np.exp(-x / 0.4) + np.random.default_rng(7).normal(0, 0.5, x.size))
    seen, line = line_through("exponential_decay", y, x)
    beside = both_ways(seen, line, x, y)
    assert "tau" in beside.differing and "small readings" in beside.why
    assert beside.constants["tau"][0] == pytest.approx(0.4, rel=0.05)


def test_what_is_held_on_the_line_is_held_on_the_curve():
    y = noisy(0.06 * PLACES**3)
    seen = RELATIONS["power"].straighten(PLACES, y)
    line = fit("line", seen.x, seen.y, fixed={"slope": 3.0})
    assert seen.relation.law(line)["n"] == (3.0, 0.0)
    assert both_ways(seen, line, PLACES, y).constants["n"] == (3.0, 0.0)
    through = fit("proportional", PLACES, 7.3 * PLACES)
    proportional = RELATIONS["proportional"]
    assert proportional.law(through)["c"] == (0.0, 0.0)
    with pytest.raises(FitError, match="straight line"):
        proportional.law(fit("quadratic", PLACES, PLACES**2))


def test_own_formulas_are_worked_out_with_units():
    metre, lux = units.parse("cm"), units.parse("lx")
    own = RELATIONS["own"].with_formulas("1/d^2", "E", (("d", metre), ("E", lux)))
    seen = own.straighten(100 * PLACES, 32 / PLACES**2 + 5, u_y=0.5)
    line = fit("line", seen.x, seen.y)
    unit = own.units(metre, lux)["k"]
    in_square_metres = units.convert(own.law(line)["k"][0], unit, units.parse("lx*m^2"))
    assert in_square_metres == pytest.approx(32, rel=1e-9)
    assert own.back(line, 100 * PLACES) == pytest.approx(32 / PLACES**2 + 5)
    assert seen.u_y == pytest.approx(np.full(PLACES.size, 0.5))
    over = RELATIONS["own"].with_formulas("x", "y/x").straighten(PLACES, 3 * PLACES**2 + 2 * PLACES)
    assert fit("line", over.x, over.y).params == pytest.approx({"slope": 3, "intercept": 2})
    with pytest.raises(FormulaError, match="upwards"):
        RELATIONS["own"].with_formulas("x", "sqrt(")
    with pytest.raises(FormulaError, match="across"):
        RELATIONS["own"].with_formulas("7", "y")


def test_rows_that_differ_in_length_are_refused():
    for key in RELATIONS:
        with pytest.raises(FitError, match="same length"):
            RELATIONS[key].straighten([1.0, 2.0], [1.0])
    with pytest.raises(FitError, match="do not turn|turning point"):
        RELATIONS["turning_point"].straighten(PLACES, 0 * PLACES)
    assert math.isnan(RELATIONS["inverse"].x.forward(0.0))
