import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import FormulaError
from galena.core.formula import Symbol, compile
from galena.core.units import parse

SYMBOLS = {
    "F": "N", "x": "m", "y": "m", "v": "m/s", "m": "kg", "t": "s", "T_1": "°C", "T_room": "°C",
    "U": "V", "I": "mA", "A_1": "cm^2", "V": "mL", "n": "", "k": "N/m", "φ": "°", "f": "Hz",
    "P": "W", "h": "mm", "K_1": "K", "c": "J/(kg·K)",
}  # fmt: skip


@pytest.mark.parametrize(
    ("text", "unit"),
    [
        ("0.5*m*v^2", "J"),
        ("m*g_n*y + 0.5*k*y^2", "J"),
        ("U*I", "mW"),
        ("U/I", "kΩ"),
        ("A_1*x", "m³"),
        ("rate(y, t)", "m/s"),
        ("rate(y)", "m/s"),
        ("rate(rate(y, t), t)", "m/s²"),
        ("rate(P, U)", "W/V"),
        ("rate(T_1, t)", "K/s"),
        ("area(F, x)", "J"),
        ("running_area(U, t)", "V·s"),
        ("smooth(h, 5)", "mm"),
        ("previous(h) - h", "mm"),
        ("max(h, 3 cm)", "mm"),
        ("5 mm + y", "m"),
        ("mean(T_1)", "°C"),
        ("T_1 - T_room", "K"),
        ("T_1 - 20 °C", "K"),
        ("T_1 + 5 K", "°C"),
        ("(T_1 + T_room)/2", "°C"),
        ("(T_1 + T_room + 20 °C)/3", "°C"),
        ("abs(T_1 - 0 °C)", "K"),
        ("n*R*T_1", "J/mol"),
        ("ln((T_1 - T_room)/1 K)", ""),
        ("sqrt(V)", "mL¹⁄²"),
        ("sqrt(k/m)", "s⁻¹"),
        ("x^-2", "m⁻²"),
        ("(x*x*x)^(1/3)", "m"),
        ("sin(φ) + cos(2*π*f*t) + tan(0)", ""),
        ("atan(y/x)", "rad"),
        ("rate(φ, t)", "°/s"),
        ("φ*x", "m"),
        ("7 deg + φ", "°"),
        ("π/2 - φ", "°"),
        ("1 - φ^2/2", ""),
        ("n^n", ""),
        ("exp(-t/(2 s))", ""),
        ("h*f", "mm/s"),
    ],
)
def test_units_work_themselves_out(text, unit):
    assert str(compile(text, SYMBOLS).unit) == unit


@pytest.mark.parametrize(
    ("text", "said", "place"),
    [
        ("F + x", "F is in newtons and x in metres: they cannot be added.", "F + x"),
        ("1 + (v - t)", "v is in m/s and t in seconds: they cannot be subtracted.", "v - t"),
        ("T_1 - 20", "T_1 is in degrees Celsius and 20 is a plain number: they cannot be "
         "subtracted. Give it its unit: 20 °C.", "T_1 - 20"),
        ("x + n", "x is in metres and n is a plain number: they cannot be added.", "x + n"),
        ("sin(7)", "sin needs an angle: write 7 deg or 7 rad.", "7"),
        ("sin(n)", "sin needs an angle: n is a plain number. If it is in radians, write n*1 rad.",
         "n"),
        ("2*cos(x)", "cos needs an angle: x is in metres.", "x"),
        ("exp(x)", "exp needs a plain number, and x is in metres. Divide by a quantity of the same "
         "kind, for example exp(x/1 m).", "x"),
        ("asin(x/t)", "asin needs a plain number, and x/t is in m/s. Divide by a quantity of the "
         "same kind, for example asin(x/t/(1 m/s)).", "x/t"),
        ("x^n", "x is in metres, so its power must be a number that does not change, as 2. "
         "Divide x by a quantity of its kind first.", "n"),
        ("n^x", "A power must be a plain number, and x is in metres.", "x"),
        ("x^0.123", "x is in metres; to this power it has no unit. Take a power such as 2, 1/2 "
         "or -1.", "0.123"),
        ("x^(1/3)", "The result has a power of a unit that no unit has. Check the powers.",
         "x^(1/3)"),
        ("max(x, t)", "x is in metres and t in seconds: max cannot compare them.", "t"),
        ("smooth(x, 4)", "A window is an odd number of readings from 3 to 201, typed as a number, "
         "for example 11.", "4"),
        ("rate(x, t, n)", "A window is an odd number of readings from 3 to 201, typed as a number, "
         "for example 11.", "n"),
        ("9^9^9^9", "9^9^9 is no finite real number. Check the power and the sign.", "9^9^9"),
        ("(-8)^0.5", "(-8)^0.5 is no finite real number. Check the power and the sign.",
         "(-8)^0.5"),
        ("T1 + 5 K", "There is no T1 in this experiment. Is T_1 meant?", "T1"),
        ("Z", "There is no Z in this experiment. Its symbols are: F, x, y, v, m, t, T_1, T_room.",
         "Z"),
        ("9.81*lx", "There is no lx in this experiment. If the unit is meant, put it right behind "
         "its number: 1 lx.", "lx"),
        ("rate + 1", "rate is a function: write rate(y, x) or rate(y, x, 11).", "rate"),
        ("sni(φ)", "There is no function sni. Is sin meant?", "sni"),
        ("x(3)", "There is no function x. To multiply write x*(…).", "x"),
        ("min(0,5,7)", "min is written min(x) or min(a, b). Decimals are written with a point, "
         "0.5.", "min(0,5,7)"),
        ("abs(T_1)", "T_1 is a temperature in °C, whose zero is chosen: it has no size without its "
         "sign. Take a difference, for example abs(T_1 - 0 °C).", "T_1"),
        ("T_1 + T_room", "T_1 + T_room adds up temperatures in °C: what that gives depends "
         "on where their zero lies. Take a difference, or a mean such as (T_1 + T_2)/2.",
         "T_1 + T_room"),
        ("c*m*(T_1 + T_room)", "T_1 + T_room adds up temperatures in °C: what that gives depends "
         "on where their zero lies. Take a difference, or a mean such as (T_1 + T_2)/2.",
         "T_1 + T_room"),
        ("K_1 - T_1", "K_1 - T_1 takes a temperature in °C away from nothing or from a "
         "difference: what is left depends on where its zero lies. Turn the order round.",
         "K_1 - T_1"),
        ("max(T_1, 5 K)", "T_1 is a temperature in °C and 5 K a difference in kelvins: max cannot "
         "compare them. Give both in °C.", "5 K"),
        ("φ + 1", "φ is an angle and 1 a plain number: they cannot be added. Give it its unit: "
         "1 rad or 1 deg.", "φ + 1"),
        ("5 °F", "Degrees Fahrenheit are not counted with here. Type the temperature in °C: take "
         "32 away and divide by 1.8.", "°F"),
        ("5 J/kg K", "“J/kg K” can be read in two ways. Write brackets after the /.", "J/kg K"),
        ("5 m^13", "“m^13”: a power of 13 is beyond what units have.", "m^13"),
        ("x^7*x^7", "“m¹⁴”: a power of 14 is beyond what units have.", "x^7*x^7"),
        ("5 dB", "dB is a logarithm of a ratio and has no place in a formula. Use lg.", "5 dB"),
    ],
)  # fmt: skip
def test_wrong_units_are_explained_in_words_with_their_place(text, said, place):
    with pytest.raises(FormulaError) as refused:
        compile(text, SYMBOLS)
    assert str(refused.value) == said
    assert text[refused.value.start : refused.value.end] == place


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("2 m*v", "2 m is read as 2 metres. If m shall be the symbol, write 2*m."),
        ("5 m/t", "5 m/t is read as 5 m/t. If t shall be the symbol, write * or / with blanks "
         "around it."),
        ("ln(V)", "ln takes V as a number of millilitres: ln(V/mL)."),
        ("lg(T_1)", "lg takes T_1 as a number of degrees Celsius: lg(T_1/°C)."),
        ("T_1 - K_1", "K_1 is taken as a difference in kelvins, so the result is a temperature. If "
         "K_1 is itself a temperature, choose °C as its unit."),
        ("2*T_1", "2*T_1 is counted in kelvins, from absolute zero."),
        ("c*m*2 °C", "2 °C is counted as 275.15 K here. For a difference write 2 K."),
        ("sin(φ) - φ", "φ is an angle and sin(φ) a plain number: φ is counted in radians."),
        ("h/1 mm", "h is the symbol of this experiment here, not the Planck constant."),
    ],
)  # fmt: skip
def test_what_may_not_be_meant_is_remarked_on(text, said):
    assert compile(text, SYMBOLS).remarks == (said,)


@pytest.mark.parametrize("text", ["9.81 m/s^2*x", "2*m*v", "ln(x/y)", "5 kg*x", "c_0*t"])
def test_nothing_is_remarked_on_what_is_plain(text):
    assert compile(text, SYMBOLS).remarks == ()


def test_a_temperature_may_be_shown_in_kelvins_but_a_difference_not_in_degrees():
    assert compile("T_1", SYMBOLS, unit="K").evaluate({"T_1": 20.0}).values == 293.15
    with pytest.raises(FormulaError, match="gives a difference of temperatures or a multiple"):
        compile("T_1 - T_room", SYMBOLS, unit="°C")


def test_the_unit_may_be_chosen_among_those_of_its_kind():
    work = compile("F*x", SYMBOLS, unit="kJ")
    assert (str(work.unit), str(work.natural)) == ("kJ", "J")
    assert work.evaluate({"F": [2000.0], "x": [3.0]}).values == pytest.approx([6.0])
    with pytest.raises(FormulaError, match="The formula gives joules; that cannot be shown in "
                                           "metres. Choose another unit"):  # fmt: skip
        compile("F*x", SYMBOLS, unit="m")


@pytest.mark.parametrize(
    ("text", "values", "expected"),
    [
        ("U*I", {"U": 2.0, "I": 3.0}, 6.0),
        ("0.5*m*v^2", {"m": 0.25, "v": 2.0}, 0.5),
        ("T_1 - T_room", {"T_1": 60.0, "T_room": 20.0}, 40.0),
        ("T_1 + 5 K", {"T_1": 60.0}, 65.0),
        ("(T_1 + T_room)/2", {"T_1": 60.0, "T_room": 20.0}, 40.0),
        ("R*T_1", {"T_1": 26.85}, 2494.338785445972),
        ("ln(V)", {"V": 7.38905609893065}, 2.0),
        ("lg(T_1)", {"T_1": 100.0}, 2.0),
        ("sin(30 deg)", {}, 0.5),
        ("sin(π/6)", {}, 0.5),
        ("sin(φ)", {"φ": 90.0}, 1.0),
        ("atan(1)*180/π", {}, 45.0),
        ("h + 5 cm", {"h": 10.0}, 60.0),
        ("5 cm + h", {"h": 10.0}, 60.0),
        ("min(h, 1 cm)", {"h": 25.0}, 10.0),
        ("abs(-3 mm)", {}, 3.0),
        ("5 % * x", {"x": 2.0}, 0.1),
        ("3.6 km/h", {}, 3.6),
        ("sqrt(V)", {"V": 9.0}, 3.0),
        ("-5 °C", {}, -5.0),
        ("-5 deg C", {}, -5.0),
        ("T_1 - (-5 °C)", {"T_1": 20.0}, 25.0),
        ("T_1 - -5 °C", {"T_1": 20.0}, 25.0),
        ("max(T_1, -5 °C)", {"T_1": -9.0}, -5.0),
        ("-T_1 + T_room", {"T_1": 5.0, "T_room": 20.0}, 15.0),
        ("abs(T_1 - 0 °C)", {"T_1": -5.0}, 5.0),
        ("-(3 m)^2", {}, -9.0),
        ("0.002 mm/mm", {}, 0.002),
        ("1 - φ^2/2", {"φ": 180 / math.pi}, 0.5),
        ("erf(1)", {}, 0.8427007929497148),
    ],
)
def test_values_come_in_the_unit_that_is_shown(text, values, expected):
    assert compile(text, SYMBOLS).evaluate(values).values == pytest.approx(expected, rel=1e-12)


PARTS = (
    "T_1", "K_1", "φ", "n", "x", "m", "F", "V", "L", "+", "-", "*", "/", "^", "(", ")", ",",
    "sqrt(", "ln(", "sin(", "asin(", "abs(", "min(", "rate(", "smooth(", "erf(", "2", "0.5",
    "1e300", "0", "3 m", "5 °C", "2 m^6", "1/3", "^-3", "mm/mm", " ", "·", "π", "g_n",
    "5 J/kg K", "5 m^13", "²", "√",
)  # fmt: skip


@given(
    st.lists(st.sampled_from(PARTS), max_size=9).map("".join),
    st.sampled_from([None, "m", "K", "°C", "W/(m^2·K)", "blorp", "dB"]),
)
def test_whatever_is_typed_is_a_formula_or_is_explained_at_its_place(text, unit):
    try:
        made = compile(text, {**SYMBOLS, "L": "dB"}, unit=unit)
    except FormulaError as error:
        assert str(error)
        assert 0 <= error.start <= error.end <= len(text)
    else:
        assert parse(str(made.unit)).is_compatible(made.unit)


def test_constants_are_those_of_codata():
    assert compile("c_0", {}).evaluate({}).values == 299792458.0
    assert compile("g_n", {}).evaluate({}).values == 9.80665
    assert compile("N_A*k_B - R", {}).evaluate({}).values == pytest.approx(0, abs=1e-9)
    values, u = compile("m_e", {}).evaluate({})
    assert values == pytest.approx(9.1093837e-31, rel=1e-6)
    assert 0 < u < 1e-6 * values


def test_a_symbol_of_the_experiment_comes_before_a_constant():
    level = {"h": Symbol(parse("mm"), name="water level")}
    found = compile("2*h", level)
    assert str(found.unit) == "mm"
    assert found.remarks == ("h is water level here, not the Planck constant.",)
    assert str(compile("2*h", {}).unit) == "J·s"
