"""Numbers in a unit in which they have few digits."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.prefixes import with_prefix
from galena.core.units import convert, parse, typeset


@pytest.mark.parametrize(("value", "unit", "shown"), [
    (0.01138 / 10, "s", (1.138, "ms")), (-0.0000346, "J/s", (-34.6, "µJ/s")),
    (101325.0, "Pa", (101.325, "kPa")), (0.5, "s", (0.5, "s")), (8550.0, "s", (8550.0, "s")),
    (85500.0, "s", (85500.0, "s")), (0.00012, "1/s", (0.00012, "s⁻¹")),
    (0.002, "mm", (0.002, "mm")),
    (0.001, "°C", (0.001, "°C")), (0.0, "s", (0.0, "s")), (math.nan, "s", (math.nan, "s")),
    (0.004, "", (0.004, "")), (3e12, "Hz", (3e12, "Hz")),
])  # fmt: skip
def test_a_prefix_is_taken_only_where_it_helps(value, unit, shown):
    scaled, _, of = with_prefix(value, 0.0, parse(unit))
    assert (scaled, typeset(of)) == (pytest.approx(shown[0], nan_ok=True), shown[1])


@given(st.floats(1e-12, 1e12), st.sampled_from(["m", "s", "J/s", "V·s", "lx·m^2", "kg", "1/m"]))
def test_the_quantity_stays_the_same(value, unit):
    scaled, u, of = with_prefix(value, value / 100, parse(unit))
    assert convert(scaled, of, parse(unit)) == pytest.approx(value)
    assert u == pytest.approx(scaled / 100)
