import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.conditions import Held, hold
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
    ],
)
def test_what_cannot_be_held_is_said_with_the_condition(typed, words):
    with pytest.raises(ConditionError, match=".*") as refused:
        hold(typed, "drop", "number", "m")
    assert words in str(refused.value)
    assert refused.value.name == "drop"


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


def test_equal_values_are_the_same_however_they_were_typed():
    assert hold("30 cm", "H", "number", "m").sameness == hold("0.300", "H", "number", "m").sameness
    assert hold("Flat  wing", "wing", "text").sameness == hold("flat wing", "wing", "text").sameness
