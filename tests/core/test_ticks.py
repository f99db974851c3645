import itertools
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.ticks import decades, ticks, widened
from scripts import js_cases


@pytest.mark.parametrize(
    ("lo", "hi", "about", "labels"),
    [
        (0, 60, 6, ["0", "10", "20", "30", "40", "50", "60"]),
        (-0.35, 0.33, 7, ["−0.3", "−0.2", "−0.1", "0.0", "0.1", "0.2", "0.3"]),
        (0.2, 0.45, 5, ["0.20", "0.25", "0.30", "0.35", "0.40", "0.45"]),
        (900, 2100, 3, ["1000", "1500", "2000"]),
    ],
)
def test_ticks_have_the_decimals_of_their_step(lo, hi, about, labels):
    assert list(ticks(lo, hi, about).labels) == labels


@given(st.floats(-1e3, 1e3), st.floats(1e-3, 1e6), st.integers(1, 12))
def test_ticks_stand_at_steps_of_one_two_or_five(lo, width, about):
    found = ticks(lo, lo + width, about)
    assert len(found.places) <= math.sqrt(2.5) * about + 2
    assert all(
        lo - 1e-9 * abs(lo) - 1e-300 <= place <= lo + width * (1 + 1e-9) + 1e-9
        for place in found.places
    )
    if len(found.places) > 1:
        step = np.diff(found.places).mean()
        digits = step / 10 ** np.floor(np.log10(step) + 1e-6)
        assert min(abs(digits - one) for one in (1, 2, 5)) < 1e-3
        assert len(set(found.labels)) == len(found.labels)


@pytest.mark.parametrize(
    ("lo", "hi", "expected"), [(0, 100, (-4, 104)), (5, 5, (4.5, 5.5)), (0, 0, (-1, 1))]
)
def test_limits_get_room(lo, hi, expected):
    assert widened(lo, hi) == pytest.approx(expected)


def test_very_large_and_very_small_places_have_a_power_of_ten():
    assert ticks(0, 4e7, 4).labels == ("0", "1.00×10⁷", "2.00×10⁷", "3.00×10⁷", "4.00×10⁷")
    assert ticks(-1e-7, 1e-7, 2).labels == ("−1×10⁻⁷", "0", "1×10⁻⁷")
    assert all(len(label) < 13 for label in ticks(-1e300, 1e300, 5).labels)


@pytest.mark.parametrize(
    ("lo", "hi", "labels"),
    [
        (0.2, 1.3, ("0.2", "0.5", "1")),
        (0.05, 2000, ("0.1", "1", "10", "100", "1000")),
        (1e-8, 1e8, ("10⁻⁸", "10⁻⁴", "1", "10000", "10⁸")),
        (21, 39, ("25", "30", "35")),
    ],
)
def test_a_logarithmic_axis_has_decades(lo, hi, labels):
    found = decades(lo, hi, 5)
    assert tuple(label for _, label in found) == labels
    assert all(lo <= place <= hi for place, _ in found)


@pytest.mark.many
def test_labels_of_any_axis_are_distinct_in_order_and_equal_to_their_places():
    rng = np.random.default_rng(5)
    number = 100_000
    centre = rng.choice([-1.0, 0.0, 1.0], number) * 10 ** rng.uniform(-12, 16, number)
    width = 10 ** rng.uniform(-13, 16, number)
    los, his = centre - width * rng.random(number), centre + width * rng.random(number)
    apart = his - los > 1e-12 * np.maximum(np.abs(los), np.abs(his))  # as an axis must have it
    abouts = rng.integers(1, 13, number)
    for lo, hi, about in zip(los[apart], his[apart], abouts[apart], strict=True):
        shown = ticks(lo, hi, int(about))
        read = [_read(label) for label in shown.labels]
        assert read == list(shown.places)
        assert all(lo <= place <= hi for place in shown.places)
        assert all(a < b for a, b in itertools.pairwise(read))


def _read(label):
    mantissa, _, power = label.replace("−", "-").partition("×10")
    return float(f"{mantissa}e{power.translate(_LOWERED) or 0}")


_LOWERED = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")


def test_large_numbers_keep_the_digits_that_tell_them_apart():
    assert ticks(1.24e6, 1.26e6, 5).labels == (
        "1.240×10⁶", "1.245×10⁶", "1.250×10⁶", "1.255×10⁶", "1.260×10⁶",
    )  # fmt: skip
    assert ticks(1000, 1000.000002, 2).labels == ("1000.000000", "1000.000001", "1000.000002")


def test_the_cases_of_the_scripts_are_those_of_the_core():
    assert js_cases.FILE.read_text("utf-8") == js_cases.text(), "run python -m scripts.js_cases"
