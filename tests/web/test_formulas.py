"""Formulas over the readings of runs: conditions, givens, tables, several instruments."""

import math

import numpy as np
import pytest

from galena.core.errors import FormulaError
from galena.core.formats.pasted import pasted
from galena.desk import history
from galena.desk.drawing import window
from galena.desk.sheets import flows as sheet_flows
from galena.exchange.duplicating import duplicate
from galena.experiments import columns, flows, table_flows
from galena.experiments import quantity_flows as quantities
from galena.experiments.flows import ExperimentError
from galena.experiments.formulas.symbols import formulas_of
from galena.experiments.models import Condition, Experiment, Quantity
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from tests import making

AIR = ChannelFacts("p", "air pressure", "p", "hPa", 900.0, 1100.0, 0.1, 100.0)
BAROMETER = Identity("Skerry Works", "Barometer BR-1", "0044", "1.0")
Y = np.array([5.0, 7.0, 10.0, 14.0, 19.0])


@pytest.fixture
def tank(ada):
    """An experiment whose two runs of a level have their own area as a condition."""
    made = flows.create(ada, "Tide tank")
    flows.add_condition(made, "cross-section", Condition.Kind.NUMBER, "A", "cm^2")
    making.run(made, Y, conditions=["400 ± 4"])
    making.run(made, 2 * Y, conditions=["200"])
    return made


def over_time(experiment, quantity, number=1):
    run = experiment.runs.get(number=number)
    troubles = {}
    found = columns.over(None, [(run, quantity)], troubles)
    return found[run.pk, quantity.pk].readings if found else next(iter(troubles.values()), None)


def level(experiment):
    return experiment.quantities.get(symbol="h")


def test_each_run_uses_its_own_conditions(tank):
    volume = quantities.add_derived(tank, "A*h", "volume", "V", "mL")
    assert over_time(tank, volume).y == pytest.approx(40 * Y)
    assert over_time(tank, volume, 2).y == pytest.approx(20 * 2 * Y)
    # The uncertainty of a condition is the same error in all rows.
    assert over_time(tank, volume).shared == pytest.approx(0.4 * Y)
    assert over_time(tank, volume).u is None
    tank.runs.get(number=2).condition_values.update(text="", value=None)
    said = over_time(tank, volume, 2)
    assert said == "Run 2 has no value for A (cross-section). Type it at the run."


def test_formulas_of_formulas_follow_a_given_that_changes(tank):
    given = quantities.save_given(tank, None, "density", "ρ", "1.00 ± 0.01", "g/mL")
    quantities.add_derived(tank, "A*h", "volume", "V", "mL")
    mass = quantities.add_derived(tank, "ρ*V", "mass", "m_w")
    flow = quantities.add_derived(tank, "rate(m_w, t)", "mass flow", "q")
    weight = quantities.add_derived(tank, "m_w*g_n", "weight", "F_g")
    assert [str(one.unit) for one in (mass, flow, weight)] == ["g", "g/s", "mN"]
    assert over_time(tank, mass).y == pytest.approx(40 * Y)
    assert over_time(tank, flow).y[0] == pytest.approx(10 * 40 * 1.5)
    assert over_time(tank, weight).y == pytest.approx(40 * Y * 9.80665)
    quantities.save_given(tank, given, "density", "ρ", "1.03 ± 0.01", "g/mL")
    assert over_time(tank, mass).y == pytest.approx(1.03 * 40 * Y)
    assert over_time(tank, weight).y == pytest.approx(1.03 * 40 * Y * 9.80665)
    # What goes in twice by two ways is counted once: m_w and V share A.
    ratio = quantities.add_derived(tank, "m_w/V - ρ", "nothing", "z")
    assert over_time(tank, ratio).combined == pytest.approx(0.0, abs=1e-12)


def test_a_circle_is_refused_and_named(tank):
    first = quantities.add_derived(tank, "2*h", "double", "a")
    quantities.add_derived(tank, "a + h", "more", "b")
    third = quantities.add_derived(tank, "b - h", "less", "c")
    with pytest.raises(FormulaError, match="a uses c, c uses b, b uses a. Break it at one place"):
        quantities.change_derived(first, "c*1", "double", "a")
    with pytest.raises(FormulaError, match="The formula of c uses c itself"):
        quantities.change_derived(third, "c + h", "less", "c")
    assert Quantity.objects.get(pk=first.pk).formula == "2*h"
    assert over_time(tank, Quantity.objects.get(pk=third.pk)).y == pytest.approx(2 * Y)


def test_a_symbol_is_renamed_in_every_formula(tank):
    quantities.save_given(tank, None, "offset", "h_0", "2", "mm")
    made = quantities.add_derived(tank, "h - h_0 + 3 mm*(h/h)", "level", "Δh")
    quantities.describe(level(tank), "water level", "y", "2")
    made.refresh_from_db()
    assert made.formula == "y - h_0 + 3 mm*(y/y)"
    assert over_time(tank, made).y == pytest.approx(Y + 1)
    quantities.save_given(tank, tank.givens.get(), "offset", "y_0", "2", "mm")
    quantities.set_symbol(tank.conditions.get(), "S")
    made.refresh_from_db()
    assert made.formula == "y - y_0 + 3 mm*(y/y)"
    quantities.change_derived(made, made.formula, "level", "Δy")
    double = quantities.add_derived(tank, "2*Δy", "double", "D")
    quantities.change_derived(made, made.formula, "level", "L")
    double.refresh_from_db()
    assert double.formula == "2*L"


@pytest.mark.parametrize(
    ("symbol", "said"),
    [
        ("h", "h stands for “water level” already"),
        ("A", "A stands for “cross-section” already"),
        ("sin", "sin is the name of a function"),
        ("t", "t is the time since the start of a run"),
        ("2x", "“2x” is no symbol. Begin with a letter"),
        ("x y", "“x y” is no symbol"),
        ("", "Give the quantity a symbol"),
        ("averylongsymbol", "Keep the symbol to 12 characters"),
    ],
)
def test_symbols_that_cannot_be_had_are_refused(tank, symbol, said):
    with pytest.raises(ExperimentError, match=said):
        quantities.add_derived(tank, "2*h", "double", symbol)
    assert not tank.derived.exists()


def test_what_is_used_is_not_deleted(tank):
    given = quantities.save_given(tank, None, "offset", "h_0", "2", "mm")
    first = quantities.add_derived(tank, "h - h_0", "level", "L")
    second = quantities.add_derived(tank, "2*L", "double", "D")
    with pytest.raises(ExperimentError, match="h_0 is used by L = h - h_0. Change or remove that"):
        quantities.drop(given)
    with pytest.raises(ExperimentError, match="L is used by D = 2\\*L"):
        quantities.drop(first)
    with pytest.raises(ExperimentError, match="h is used by L"):
        quantities.drop(level(tank))
    quantities.drop(second)
    quantities.drop(first)
    quantities.drop(given)
    with pytest.raises(ExperimentError, match="h is measured, not made by a formula. It stays"):
        quantities.drop(level(tank))


def test_two_quantities_of_one_symbol_are_told_apart_first(tank):
    making.run(tank, Y, identity=BAROMETER)
    assert tank.quantities.filter(symbol="h").count() == 2
    with pytest.raises(FormulaError, match="h stands for “water level” and “water level”. Give"):
        quantities.add_derived(tank, "2*h", "double", "D")
    quantities.describe(tank.quantities.filter(symbol="h").last(), "second level", "h_2")
    assert quantities.add_derived(tank, "2*h", "double", "D").unit == "mm"


def test_units_and_decimals_follow_unless_they_are_chosen(tank):
    made = quantities.add_derived(tank, "h/(2 s)", "rise", "r")
    assert (made.unit, made.decimals, made.unit_chosen) == ("mm/s", 2, False)
    made = quantities.change_derived(made, "h/(2 s)", "rise", "r", "m/h", "4")
    assert (made.unit, made.decimals) == ("m/h", 4)
    assert over_time(tank, made).y == pytest.approx(Y / 2 * 3.6)
    with pytest.raises(FormulaError, match="The formula gives mm/s; that cannot be shown in jou"):
        quantities.change_derived(made, "h/(2 s)", "rise", "r", "J")
    with pytest.raises(ExperimentError, match="is not a unit that Galena knows"):
        quantities.change_derived(made, "h/(2 s)", "rise", "r", "furlongs")
    made = quantities.change_derived(made, "h/(2 s)", "rise", "r")
    # With an uncertainty of 5 mm two digits of it are shown: 2.5 mm/s.
    quantities.set_rule(level(tank), "absolute", "5")
    made.refresh_from_db()
    assert made.decimals == 1


@pytest.mark.parametrize(
    ("rule", "absolute", "relative", "expected"),
    [
        ("none", "", "", None),
        ("scatter", "", "", None),
        ("resolution", "", "", np.full(5, 0.1 / np.sqrt(12))),
        ("absolute", "0,5", "", np.full(5, 0.5)),
        ("relative", "", "2 %", 0.02 * Y),
        ("both", "0.5", "2", np.hypot(0.5, 0.02 * Y)),
    ],
)
def test_the_uncertainty_of_readings_follows_the_rule(tank, rule, absolute, relative, expected):
    quantities.set_rule(level(tank), rule, absolute, relative)
    u = over_time(tank, level(tank)).u
    assert u is None if expected is None else u == pytest.approx(expected)
    double = quantities.add_derived(tank, "2*h", "double", "D")
    u = over_time(tank, double).u
    assert u is None if expected is None else u == pytest.approx(2 * expected)


@pytest.mark.parametrize(
    ("rule", "absolute", "said"),
    [
        ("absolute", "", "The absolute uncertainty: it is empty"),
        ("absolute", "-1", "“-1” is not a number"),
        ("absolute", "much", "“much” is not a number"),
        ("guess", "", "There is no rule “guess”"),
    ],
)
def test_a_rule_without_its_size_is_refused(tank, rule, absolute, said):
    with pytest.raises(ExperimentError, match=said):
        quantities.set_rule(level(tank), rule, absolute)
    assert level(tank).u_rule == "scatter"


def test_readings_of_another_instrument_are_taken_between_its_readings(ada):
    made = flows.create(ada, "Two gauges")
    run = making.run(made, Y, rate=10.0)
    other = making.run(made, 1000 + np.arange(9.0), rate=20.0, facts=AIR, identity=BAROMETER)
    other.streams.update(run=run)
    other.delete()
    product = quantities.add_derived(made, "p + 0 Pa*(h/1 mm)", "pressure at h", "p_h")
    found = over_time(made, product)
    assert found.t.size == 9  # the rows are those of what is named first
    product = quantities.add_derived(made, "h*p/(1 hPa)", "product", "x")
    found = over_time(made, product)
    assert found.y == pytest.approx(Y * (1000 + np.arange(0, 10, 2.0)))


def test_formulas_of_typed_tables_go_in_the_order_of_x_and_know_no_time(ada):
    made = flows.create(ada, "Gangway")
    run = table_flows.new_table(made, ada)
    text = "overhang L / m\tsag s / mm\n0.60\t9.0\n0.20\t1.0\n0.40\t4.0\n0.80\t16.0"
    table_flows.paste(run, 0, 0, pasted(text), ada)
    slope = quantities.add_derived(made, "rate(s, L)", "slope", "k_s")
    length = made.quantities.get(symbol="L")
    found = columns.over(length, [(run, slope)])[run.pk, slope.pk].readings
    assert found.t.tolist() == [0.2, 0.4, 0.6, 0.8]
    assert found.y == pytest.approx([0.01, 0.02, 0.03, 0.04])  # of mm/m nothing is left
    late = quantities.add_derived(made, "s/t", "late", "q")
    troubles = {}
    assert not columns.over(length, [(run, late)], troubles)
    assert "nobody knows its times t" in next(iter(troubles.values()))
    table_flows.set_head(made.quantities.get(symbol="s"), "sag z / cm")
    slope.refresh_from_db()
    assert (slope.formula, slope.unit) == ("rate(z, L)", "")
    # A reading that is set aside is passed over: its neighbours are the next ones.
    table_flows.set_aside(run, None, 0, 0, "misprint", ada)
    found = columns.over(length, [(run, slope)])[run.pk, slope.pk].readings
    assert np.isnan(found.y[2]) and found.aside.tolist() == [False, False, True, False]
    assert np.isfinite(found.y[[0, 1, 3]]).all()


def test_a_formula_over_a_formula_makes_a_graph_with_error_bars_and_counted_gaps(tank):
    quantities.set_rule(level(tank), "absolute", "0.5")
    log = quantities.add_derived(tank, "ln((h - 7 mm)/1 mm)", "logarithm", "N")
    double = quantities.add_derived(tank, "2*h", "double", "D")
    sheet = sheet_flows.first_sheet(tank)
    sheet_flows.choose_quantity(sheet, log)
    sheet_flows.choose_x(sheet, double)
    packed = window.encode(sheet_flows.first_sheet(tank), None, None, 400)
    head = packed[4 : 4 + int.from_bytes(packed[:4], "little")].decode()
    assert '"gaps": 2' in head and '"u_y": true' in head and '"u_x": true' in head


def test_acts_on_formulas_and_givens_are_undone_and_done_again(tank, ada):
    with history.changing(tank, ada, "given"):
        quantities.save_given(tank, None, "offset", "h_0", "2", "mm")
    with history.changing(tank, ada, "formula"):
        made = quantities.add_derived(tank, "h - h_0", "level", "L")
    with history.changing(tank, ada, "graph"):
        sheet_flows.add_graph(sheet_flows.first_sheet(tank), made)
    with history.changing(tank, ada, "rename"):
        quantities.describe(level(tank), "water level", "y")
    assert Quantity.objects.get(pk=made.pk).formula == "y - h_0"
    history.undo(tank, ada)
    assert Quantity.objects.get(pk=made.pk).formula == "h - h_0"
    history.undo(tank, ada)
    history.undo(tank, ada)
    assert not tank.derived.exists()
    history.undo(tank, ada)
    assert not tank.givens.exists()
    for _ in range(4):
        history.redo(tank, ada)
    assert tank.derived.get().formula == "y - h_0"
    assert over_time(tank, tank.derived.get()).y == pytest.approx(Y - 2)
    assert sheet_flows.first_sheet(tank).graphs.count() == 2


def test_a_given_that_somebody_else_uses_by_now_is_not_undone(tank, ada, tern):
    with history.changing(tank, ada, "given"):
        quantities.save_given(tank, None, "offset", "h_0", "2", "mm")
    with history.changing(tank, tern, "formula"):
        quantities.add_derived(tank, "h - h_0", "level", "L")
    with pytest.raises(history.HistoryError, match="h_0 is used by L"):
        history.undo(tank, ada)
    assert tank.givens.exists()


def test_a_copy_has_its_own_formulas_and_givens(tank, ada):
    quantities.save_given(tank, None, "offset", "h_0", "2", "mm")
    quantities.add_derived(tank, "h - h_0", "level", "L")
    copy = duplicate(tank, ada, runs=True)
    quantities.save_given(copy, copy.givens.get(), "offset", "h_0", "4", "mm")
    for one, offset in ((tank, 2), (copy, 4)):
        one = Experiment.objects.get(pk=one.pk)
        assert over_time(one, one.derived.get()).y == pytest.approx(Y - offset)
    assert formulas_of(copy).users(copy.givens.get()) == [copy.derived.get()]


def test_one_click_shifts_the_origin_and_reverses_the_sign(tank):
    shifted = quantities.shift_origin(level(tank))
    turned = quantities.reverse_sign(level(tank))
    assert over_time(tank, shifted).y == pytest.approx(Y - 5)
    assert over_time(tank, turned).y == pytest.approx(-Y)
    again = quantities.shift_origin(level(tank))
    assert (shifted.symbol, again.symbol) == ("Δh", "Δh2")


@pytest.mark.parametrize(
    ("value", "unit", "said"),
    [
        ("", "mm", "Type the value"),
        ("two", "mm", "“two” is not a number"),
        ("2 ± ", "mm", "it is empty"),
        ("2 kg", "mm", "they measure other things"),
        ("2", "smoots", "“smoots” is not a unit"),
    ],
)
def test_a_given_that_is_no_quantity_is_refused(tank, value, unit, said):
    with pytest.raises(ExperimentError, match=said):
        quantities.save_given(tank, None, "offset", "h_0", value, unit)
    assert not tank.givens.exists()


def test_a_given_is_converted_in_full_and_shown_rounded(tank):
    angle = quantities.save_given(tank, None, "angle", "φ_0", "45.0 deg", "rad")
    assert angle.value == math.pi / 4
    again = quantities.save_given(tank, angle, "angle", "φ_0", angle.text, "rad")
    assert again.value == math.pi / 4


def test_a_given_keeps_its_digits_and_may_be_typed_in_another_unit(tank):
    made = quantities.save_given(tank, None, "mass", "m", "250 ± 2 g", "kg")
    assert (made.text, made.value, made.u) == ("0.250 ± 0.002", 0.25, 0.002)
