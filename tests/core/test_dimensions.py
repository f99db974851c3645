import pytest

from galena.core import dimensions
from galena.core.errors import UnitError
from galena.core.units import in_words, parse


@pytest.mark.parametrize(
    ("written", "shown"),
    [
        ("kg m^2 s^-2", "J"),
        ("N m", "J"),
        ("kN·mm", "J"),
        ("V·mA", "mW"),
        ("V/A", "Ω"),
        ("N/m^2", "Pa"),
        ("kW h", "J"),
        ("mm/s", "mm/s"),
        ("m/s^2", "m/s²"),
        ("V s", "V·s"),
        ("J/(kg K)", "J/(kg·K)"),
        ("cm^2 m", "m³"),
        ("mL/m^2", "m"),
        ("mm/m", ""),
        ("rad/s", "rad/s"),
        ("rad m/s", "m/s"),
        ("°·m", "m"),
        ("mL^(1/2)", "mL¹⁄²"),
        ("N^(1/2)/(m^(1/2) kg^(1/2))", "s⁻¹"),
        ("1/s", "s⁻¹"),
        ("", ""),
    ],
)
def test_the_simplest_unit_is_found(written, shown):
    unit = parse(written)
    assert str(dimensions.simplest(unit, dimensions.of(unit))) == shown


def test_what_a_value_may_be_shown_in_measures_the_same():
    for text in ("J", "mm/s", "V·s", "m³", "°C", "K", "kg", "rad", "", "cm^2"):
        unit = parse(text)
        offered = dimensions.choices(unit)
        assert offered[0] == unit
        assert all(dimensions.of(one) == dimensions.of(unit) for one in offered)
    assert "eV" in [str(one) for one in dimensions.choices(parse("J"))]
    assert [str(one) for one in dimensions.choices(parse("°C"))] == ["°C", "K"]
    assert "Hz" not in [str(one) for one in dimensions.choices(parse("rad/s"))]


def test_sizes_and_origins_in_si_units():
    assert dimensions.factor(parse("km/h")) == pytest.approx(1 / 3.6)
    assert dimensions.factor(parse("mL^(1/2)")) == pytest.approx(1e-3)
    assert dimensions.factor(parse("°")) == pytest.approx(0.017453292519943295)
    assert dimensions.origin(parse("°C")) == 273.15
    assert dimensions.origin(parse("K")) == 0.0


def test_a_logarithmic_unit_has_no_place():
    with pytest.raises(UnitError, match="dB is a logarithm of a ratio"):
        dimensions.of(parse("dB"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("N", "newtons"),
        ("mm", "millimetres"),
        ("°C", "degrees Celsius"),
        ("klx", "kilolux"),
        ("H", "henrys"),
        ("mL", "millilitres"),
        ("m/s^2", "m/s²"),
        ("", "a plain number"),
    ],
)
def test_units_are_named_as_one_reads_them_aloud(text, words):
    assert in_words(parse(text)) == words
