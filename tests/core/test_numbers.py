import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core import numbers
from galena.core.errors import NumberError


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("20", 20),
        (" 2.5 ", 2.5),
        ("2,5", 2.5),
        ("−3", -3),
        ("1 200", 1200),
        ("6.0e-3", 0.006),
        ("− 3", -3),
        ("1 200 000,5", 1200000.5),
        ("0.123 456 7", 0.1234567),
        (".5", 0.5),
        ("5.", 5),
        ("1\u202f200", 1200),
    ],
)
def test_a_number_is_read_as_typed(text, value):
    assert numbers.parse(text) == value


@pytest.mark.parametrize(
    "text",
    [
        "",
        "abc",
        "1.2.3",
        "nan",
        "inf",
        "1_000",
        "1,2,3",
        "9" * 50,
        "1 2",
        "12 34",
        "1 2345",
        "1,234.5",
        "1e400",
    ],
)
def test_what_is_not_a_number_names_the_field(text):
    with pytest.raises(NumberError, match="Duration: .*Type digits, for example 60") as refused:
        numbers.parse(text, "Duration", "60")
    assert len(str(refused.value)) < 120


@pytest.mark.parametrize(
    "text", ["1e301", "1e-400", "0e1000", "0E1997777777777777736", "0e-" + "9" * 20]
)
def test_a_number_beyond_all_measuring_is_refused(text):
    with pytest.raises(NumberError, match="Duration: .* is beyond all measuring"):
        numbers.parse(text, "Duration", "60")


@pytest.mark.parametrize(
    ("value", "decimals", "shown"),
    [(2.5, 2, "2.50"), (-0.04, 1, "0.0"), (-3.26, 1, "−3.3"), (math.nan, 1, "–"), (7.0, 0, "7")],
)
def test_decimals_are_kept(value, decimals, shown):
    assert numbers.fixed(value, decimals) == shown


@pytest.mark.parametrize(
    ("value", "uncertainty", "shown"),
    [
        (2.00347, 0.00172, "2.0035 ± 0.0017"),
        (-812.3, 9.2, "−812.3 ± 9.2"),
        (418.04, 2.96, "418.0 ± 3.0"),
        (1.0, 0.0996, "1.00 ± 0.10"),
        (0.0, 0.5, "0.00 ± 0.50"),
        (-0.0001, 0.5, "0.00 ± 0.50"),
        (51234.0, 1200.0, "(5.12 ± 0.12) × 10⁴"),
        (0.0000123, 0.0000004, "(1.230 ± 0.040) × 10⁻⁵"),
        (12.0, 0.0, "12"),
        (12.0, math.nan, "12"),
        (2.0000000000000013, 8e-16, "2"),
        (math.nan, 1.0, "–"),
        (1234.5, 10.0, "1234 ± 10"),
    ],
)
def test_a_value_is_rounded_to_its_uncertainty(value, uncertainty, shown):
    assert numbers.estimate(value, uncertainty) == shown


@given(st.floats(-1e3, 1e3), st.floats(1e-9, 1e9))
def test_rounding_moves_a_value_by_less_than_a_tenth_of_its_uncertainty(value, uncertainty):
    shown = numbers.estimate(value, uncertainty).replace(numbers.MINUS, "-")
    mantissa, _, power = shown.partition(" × 10")
    exponent = int(power.translate(str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")) or 0)
    number, u = (float(part) for part in mantissa.strip("()").split(" ± "))
    assert number * 10.0**exponent == pytest.approx(value, abs=0.051 * uncertainty, rel=1e-14)
    assert u * 10.0**exponent == pytest.approx(uncertainty, rel=0.051)


@pytest.mark.parametrize(
    ("resolution", "count"), [(0.1, 1), (0.25, 2), (5.0, 0), (1.0, 0), (1e-4, 4)]
)
def test_decimals_of_a_resolution(resolution, count):
    assert numbers.decimals_of(resolution) == count


def test_long_counts_are_grouped():
    assert numbers.grouped(1234567) == "1\u2009234\u2009567"


@pytest.mark.parametrize(
    ("value", "shown"),
    [(0.2, "0.20"), (1.499, "1.5"), (321.0, "320"), (-0.0125, "−0.012"), (0, "0")],
)
def test_significant_digits_keep_their_zeros(value, shown):
    assert numbers.significant(value) == shown


@pytest.mark.parametrize(
    ("step", "count"), [(0.05, 2), (0.25, 2), (0.1, 1), (1 / 30, 3), (1, 0), (0.001, 3), (60, 0)]
)
def test_decimals_keep_steps_apart(step, count):
    assert numbers.decimals_for_steps(step) == count


@pytest.mark.parametrize(
    ("value", "digits", "shown"),
    [(9.96, 2, "10"), (0.0996, 2, "0.10"), (0.96, 1, "1"), (-9.96, 2, "−10"), (9.94, 2, "9.9"),
     (0.2, 2, "0.20"), (320.4, 2, "320"), (999.6, 3, "1000")],
)  # fmt: skip
def test_significant_digits_stay_so_many_where_rounding_carries(value, digits, shown):
    assert numbers.significant(value, digits) == shown
