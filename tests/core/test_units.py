import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import units
from galena.core.errors import UnitError

TYPED = [
    ("mm", "mm"), ("cm^-1", "cm⁻¹"), ("m/s^2", "m/s²"), ("m s^-2", "m/s²"), ("ml", "mL"),
    ("µS/cm", "µS/cm"), ("uS/cm", "µS/cm"), ("μs", "µs"), ("°C", "°C"), ("degC", "°C"),
    ("J/(kg·K)", "J/(kg·K)"), ("J kg^-1 K^-1", "J/(kg·K)"), ("lx·m²", "lx·m²"), ("1/s", "s⁻¹"),
    ("m*m", "m²"), ("m/m", ""), ("", ""), ("%", "%"), ("kHz", "kHz"), ("ohm", "Ω"),
    ("N m", "N·m"), ("1", ""), ("m−1", "m⁻¹"), ("°C/s", "K/s"), ("kg m^2 s^-2", "kg·m²/s²"),
]  # fmt: skip


@pytest.mark.parametrize(("typed", "shown"), TYPED)
def test_a_unit_is_read_as_typed_and_typeset(typed, shown):
    assert units.typeset(units.parse(typed)) == shown


@pytest.mark.parametrize(("typed", "shown"), TYPED)
def test_a_typeset_unit_is_read_back(typed, shown):
    assert units.parse(shown) == units.parse(typed)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("furlong", "“furlong” is not a unit"),
        ("m/s·kg", "can be read in two ways"),
        ("J/(kg", "lacks a closing bracket"),
        ("m)", "a closing bracket too many"),
        ("m^99", "a power of 99"),
        ("m ^ ?", "is not part of a unit"),
        ("2 m", "the number 2 follows no unit"),
        ("m" * 61, "too long"),
    ],
)
def test_what_is_not_a_unit_is_explained(text, words):
    with pytest.raises(UnitError) as refused:
        units.parse(text)
    assert words in str(refused.value)


@given(st.text(max_size=70))
def test_any_text_is_a_unit_or_refused(text):
    try:
        unit = units.parse(text)
    except UnitError:
        return
    assert units.parse(units.typeset(unit)) == unit


@pytest.mark.parametrize(
    ("value", "unit", "to", "expected"),
    [(1, "m", "mm", 1000), (36, "km/h", "m/s", 10), (25, "°C", "K", 298.15), (1, "V·s", "Wb", 1)],
)
def test_conversion(value, unit, to, expected):
    found = units.convert(value, units.parse(unit), units.parse(to))
    assert found == pytest.approx(expected)
    assert units.convert(found, units.parse(to), units.parse(unit)) == pytest.approx(value)


def test_conversion_between_kinds_is_refused():
    with pytest.raises(UnitError, match="m cannot be expressed in s"):
        units.convert(1, units.parse("m"), units.parse("s"))


LISTED = sorted(units._names_of_units()[0])


def test_every_unit_listed_is_known_to_pint():
    assert len(LISTED) > 100
    for symbol in LISTED:
        if symbol != units.LEVEL:
            assert units.in_base_units(symbol)[0] > 0
    assert units.in_base_units("kBq") == (1000.0, {"s": -1})


@pytest.mark.parametrize(
    ("unit", "others"),
    [
        ("mm", {"mm", "cm", "m"}),
        ("lx", {"lx", "klx"}),
        ("°C", {"°C", "K"}),
        ("µS/cm", {"µS/cm", "mS/cm"}),
        ("%", {"%"}),
        ("", {""}),
    ],
)
def test_related_units_can_stand_for_one_another(unit, others):
    parsed = units.parse(unit)
    related = units.related(parsed)
    assert others <= {str(one) for one in related}
    assert all(one.is_compatible(parsed) for one in related)


def test_a_change_of_unit_is_a_factor_and_a_shift():
    assert units.affine(units.parse("mm"), units.parse("cm")) == pytest.approx((0.1, 0.0))
    assert units.affine(units.parse("°C"), units.parse("K")) == pytest.approx((1.0, 273.15))


@pytest.mark.parametrize(
    ("text", "unit", "factor", "words"),
    [
        ("dm", "m", 0.1, "decimetres"),
        ("ppm", "", 1e-6, "parts per million"),
        ("rpm", "rad/s", 2 * math.pi / 60, "revolutions per minute"),
        ("mmHg", "Pa", 133.322387415, "millimetres of mercury"),
        ("atm", "Pa", 101_325.0, "atmospheres"),
        ("kWh", "J", 3.6e6, "kilowatt hours"),
        ("lux", "lx", 1.0, "lux"),
        ("dL", "L", 0.1, "decilitres"),
    ],
)
def test_units_of_everyday_instruments(text, unit, factor, words):
    assert units.convert(1.0, units.parse(text), units.parse(unit)) == pytest.approx(factor)
    assert units.in_words(units.parse(text)) == words


@pytest.mark.parametrize("text", ["°C", "deg C", "° C", "degC", "º C", "℃", "degrees C"])
def test_degrees_celsius_are_read_as_people_write_them(text):
    assert units.parse(text) == units.parse("°C")
    assert str(units.parse(f"J/(kg {text})")) == "J/(kg·K)"


@pytest.mark.parametrize("text", ["°F", "deg F", "℉", "W/°F"])
def test_fahrenheit_is_refused_in_words(text):
    with pytest.raises(UnitError, match="Fahrenheit are not counted with here. Type .* in °C"):
        units.parse(text)


def test_a_level_is_no_ratio():
    level, ratio = units.parse("dB"), units.parse("")
    assert not level.is_compatible(ratio)
    assert units.convert(10.0, level, level) == 10.0
    for one, other in ((level, ratio), (ratio, level)):
        with pytest.raises(UnitError, match="dB is a level"):
            units.affine(one, other)
