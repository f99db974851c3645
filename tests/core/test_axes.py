import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from galena.core import axes
from galena.core.decimate import column_edges, column_extremes
from galena.core.errors import AxisError, NumberError


@pytest.mark.parametrize(
    ("lo", "hi", "log", "words"),
    [
        ("5", "", False, "Give both ends"),
        ("5", "5", False, "ends where it begins"),
        ("9", "5", False, "first end is the smaller"),
        ("1", "1.0000000000000002", False, "too close"),
        ("0", "10", True, "above zero"),
        ("-1", "10", True, "above zero"),
        ("-1e308", "1e308", False, "numbers of up to"),
    ],
)
def test_limits_that_cannot_be_are_explained(lo, hi, log, words):
    with pytest.raises(AxisError, match=words):
        axes.typed(lo, hi, log=log)


def test_limits_are_typed_as_numbers_are():
    assert axes.typed("−2,5", "1 000").limits == (-2.5, 1000)
    assert axes.typed(" ", "").limits is None
    with pytest.raises(NumberError, match="An end of the axis: “abc” is not a number"):
        axes.typed("abc", "5")


@given(st.lists(st.tuples(st.floats(-1e300, 1e300), st.floats(-1e300, 1e300)), max_size=5))
def test_no_reading_sits_on_an_edge(pairs):
    extremes = [(min(pair), max(pair)) for pair in pairs]
    lo, hi = axes.showing(extremes)
    assert lo < hi and math.isfinite(hi - lo)
    for low, high in extremes:
        assert lo <= low and high <= hi
        if high - low > 1e-6 * max(abs(low), abs(high)):
            assert lo < low and high < hi


@given(st.lists(st.tuples(st.floats(1e-300, 1e290), st.floats(1, 1e6)), min_size=1, max_size=5))
def test_a_logarithmic_axis_shows_all_that_lies_above_zero(pairs):
    extremes = [(low, low * factor) for low, factor in pairs]
    lo, hi = axes.showing(extremes, log=True)
    assert 0 < lo < min(low for low, _ in extremes)
    assert hi > max(high for _, high in extremes)


def test_what_is_not_finite_widens_no_axis():
    assert axes.showing([(math.nan, math.nan), (1.0, 3.0)]) == axes.showing([(1.0, 3.0)])
    assert axes.showing([]) == (0.0, 1.0)
    assert axes.showing([], log=True) == (1.0, 10.0)


@given(
    arrays(float, st.integers(0, 200), elements=st.floats(0, 100)),
    st.integers(1, 40),
    st.booleans(),
    st.randoms(use_true_random=False),
)
def test_every_column_has_the_extremes_of_its_readings(x, columns, log, random):
    x = np.sort(x)
    y = np.array([random.choice([random.uniform(-5, 5), math.nan]) for _ in x])
    edges = column_edges(10.0, 60.0, columns, log=log)
    lows, highs = column_extremes(x, y, edges)
    for place in range(columns):
        inside = (x >= edges[place]) & (x < edges[place + 1])
        if place == columns - 1:
            inside |= x == edges[-1]
        known = y[inside & np.isfinite(y)]
        if known.size:
            assert (lows[place], highs[place]) == (known.min(), known.max())
        else:
            assert math.isnan(lows[place]) and math.isnan(highs[place])
