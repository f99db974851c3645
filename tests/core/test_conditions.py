import contextlib
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import numbers
from galena.core.conditions import Held, hold, shown
from galena.core.errors import ConditionError


@pytest.mark.parametrize(
    ("typed", "held"),
    [
        ("0.30", Held("0.30", 0.3)),
        (" 30 cm ", Held("0.30", 0.3)),
        ("300 mm", Held("0.300", 0.3)),
        ("0,25", Held("0.25", 0.25)),
        ("0.30 ± 0.01", Held("0.30 ± 0.01", 0.3, 0.01)),
        ("30 ± 1 cm", Held("0.30 ± 0.01", 0.3, 0.01)),
        ("(30 +- 1) cm", Held("0.30 ± 0.01", 0.3, 0.01)),
        ("−1 200", Held("−1200", -1200.0)),
        ("", Held("")),
        ("0.005 km", Held("5", 5.0)),
    ],
)
def test_a_number_is_held_in_the_unit_of_its_condition_with_its_digits(typed, held):
    assert hold(typed, "drop", "number", "m") == held


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        ("abc", "drop: “abc” is not a number. Type digits, for example 0.30."),
        ("0.3 s", "drop: s cannot be expressed in m: they measure other things. Type it in m, "),
        ("0.3 ells", "drop: “ells” is not a unit that Galena knows."),
        ("1 ± 2 ± 3", "has more than one ±. Write 0.30 ± 0.01."),
        ("1 ± -2", "drop: an uncertainty is not negative. Write ± 2."),
        ("1" * 61, "drop: keep the value to 60 characters."),
        ("0E1997777777777777777", "is beyond all measuring"),
        ("0e-99999999999999999999", "is beyond all measuring"),
        ("1e299 km", "drop: “1e302” is beyond all measuring. Type numbers of up to 1e300."),
        ("1 ± 1e299 km", "is beyond all measuring"),
        ("1e-320 nm", "is beyond all measuring"),
    ],
)
def test_what_cannot_be_held_is_said_with_the_condition(typed, words):
    with pytest.raises(ConditionError, match=".*") as refused:
        hold(typed, "drop", "number", "m")
    assert words in str(refused.value)
    assert refused.value.name == "drop"


@pytest.mark.parametrize(
    ("typed", "unit", "value"),
    [
        ("5 1/s", "Hz", 5.0),
        ("60 1/min", "Hz", 1.0),
        ("7 d", "s", 604_800.0),
        ("45 deg", "rad", math.pi / 4),
        ("1 200 mm", "m", 1.2),
        ("1 200", "", 1200.0),
        ("2 kWh", "J", 7.2e6),
        ("-5 deg C", "K", 268.15),
        ("-5 ° C", "°C", -5.0),
        ("10 dB", "dB", 10.0),
        ("1 / s", "Hz", 1.0),
    ],
)
def test_a_value_is_a_number_and_then_a_unit_and_is_converted_in_full(typed, unit, value):
    held = hold(typed, "it", "number", unit)
    assert held.value == pytest.approx(value, rel=1e-15)
    assert hold(held.text, "it", "number", unit).value == held.value


@pytest.mark.parametrize(
    ("typed", "unit", "words"),
    [
        ("10 dB", "", "it: dB is a level, the logarithm of a ratio, and is not converted."),
        ("5 2", "m", "it: “2”: the number 2 follows no unit."),
        ("70 °F", "°C", "it: Degrees Fahrenheit are not counted with here. Type the temperature"),
    ],
)
def test_levels_and_odd_scales_are_explained(typed, unit, words):
    with pytest.raises(ConditionError) as refused:
        hold(typed, "it", "number", unit)
    assert words in str(refused.value)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("0.7853981633974483", "0.785398"),
        ("0.7853981633974483 ± 0.017453292519943295", "0.785 ± 0.017"),
        ("604800", "604800"),
        ("0.250 ± 0.002", "0.250 ± 0.002"),
        ("", ""),
        ("in front", "in front"),
    ],
)
def test_rounding_is_for_showing(text, words):
    assert shown(text) == words


def test_a_temperature_is_shifted_to_its_origin():
    assert hold("20.0 °C", "room", "number", "K").value == pytest.approx(293.15)


def test_a_choice_is_one_of_its_choices():
    assert hold("in front", "lens", "choice", "", ("none", "in front")) == Held("in front")
    with pytest.raises(ConditionError, match="lens: “behind” is not a choice. Choose one of: none"):
        hold("behind", "lens", "choice", "", ("none", "in front"))


@given(st.text(max_size=80), st.sampled_from(["number", "choice", "text"]))
def test_any_text_is_held_or_refused_with_a_sentence(text, kind):
    try:
        held = hold(text, "drop", kind, "m", ("a", "b"))
    except ConditionError as error:
        assert str(error).startswith("drop: ")
    else:
        assert hold(held.text, "drop", kind, "m", ("a", "b")).sameness == held.sameness


@given(
    st.from_regex(rf"{numbers.NUMBER}( ± {numbers.NUMBER})? (k|n)?m", fullmatch=True),
    st.sampled_from(["m", "nm", "km"]),
)
def test_any_number_is_one_that_can_be_worked_with_or_refused(text, unit):
    with contextlib.suppress(ConditionError):
        held = hold(text, "drop", "number", unit)
        assert math.isfinite(held.value) and math.isfinite(held.u or 0.0)
        assert shown(held.text)


def test_equal_values_are_the_same_however_they_were_typed():
    assert hold("30 cm", "H", "number", "m").sameness == hold("0.300", "H", "number", "m").sameness
    assert hold("Flat  wing", "wing", "text").sameness == hold("flat wing", "wing", "text").sameness
