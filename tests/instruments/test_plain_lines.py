"""Lines of numbers as boards print them, and when they were sent."""

import math
import random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments.protocols.arrivals import Arrivals
from galena.instruments.protocols.plain_lines import (
    Column,
    Layout,
    heads_of,
    layout_of,
    with_decimal_comma,
)


def columns(*lines):
    layout = layout_of(lines)
    return None if layout is None else [(c.label, c.unit, c.decimals) for c in layout.columns]


@pytest.mark.parametrize(
    ("line", "expected", "values"),
    [
        ("23.4", [("", "", 1)], [23.4]),
        ("23.4,55", [("", "", 1), ("", "", 0)], [23.4, 55]),
        ("23.4\t55", [("", "", 1), ("", "", 0)], [23.4, 55]),
        ("23.4 , 55,", [("", "", 1), ("", "", 0)], [23.4, 55]),
        ("T:23.4 RH:55", [("T", "", 1), ("RH", "", 0)], [23.4, 55]),
        ("T=23.4;RH=55", [("T", "", 1), ("RH", "", 0)], [23.4, 55]),
        ("T = 23,4; RH = 55,1", [("T", "", 1), ("RH", "", 1)], [23.4, 55.1]),
        ("T: 23.4 °C RH: 55 %", [("T", "°C", 1), ("RH", "%", 0)], [23.4, 55]),
        ("Temp = 21.50 deg C", [("Temp", "°C", 2)], [21.5]),
        ("-1.5e-3 +.25", [("", "", 4), ("", "", 2)], [-0.0015, 0.25]),
        ("Well 1: 23.4, Well 2: 25.1", [("Well 1", "", 1), ("Well 2", "", 1)], [23.4, 25.1]),
    ],
)  # fmt: skip
def test_the_usual_lines_are_read(line, expected, values):
    assert columns(line, line, line) == expected
    assert layout_of([line] * 3).values(line) == values


def test_names_in_the_first_line_name_the_columns():
    lines = ["level (mm);lamp [lx];t", "23,4;55;1", "23,5;55;2", "23,5;56;3"]
    assert columns(*lines) == [("level", "mm", 1), ("lamp", "lx", 0), ("t", "", 0)]
    assert heads_of(lines[0], layout_of(lines)) == lines[0].split(";")
    assert heads_of("23,4;55;1", layout_of(lines)) is None


@pytest.mark.parametrize(
    "lines",
    [[], ["23.4"], ["ready", "steady", "go"], ["1,2", "1,2,3", "1"], ["", "", ""], ["#1,2*00"] * 4,
     ["1 " * 40] * 3, ["9" * 3000] * 3, ["Board,Gauge,7,1.0"] * 5],
)  # fmt: skip
def test_what_are_no_lines_of_numbers_that_are_alike_is_left(lines):
    assert layout_of(lines) is None


def test_the_digits_of_the_finest_line_count_and_a_garbled_one_does_not_tell_the_layout():
    assert columns("23.4,5", "23.45,5", "23.4,55", "2§3.4,5") == [("", "", 2), ("", "", 0)]


@pytest.mark.parametrize(
    "line", ["23.4", "23.4,55,1", "23.4,5x5y", "23.4,", "T:23.4,55", "23.4;55", "§§"]
)
def test_a_line_that_is_not_like_the_others_is_garbled(line):
    assert Layout(",", (Column(decimals=1), Column())).values(line) is None


def test_an_invalid_value_is_no_reading():
    (value, other) = Layout(" ", (Column(), Column())).values("nan 3")
    assert math.isnan(value) and other == 3


numbers = st.floats(-1e6, 1e6).map(lambda value: round(value, 4))


@given(
    st.lists(numbers, min_size=1, max_size=6),
    st.sampled_from([",", ";", "\t", " ", ", "]),
    st.booleans(),
)
def test_what_is_printed_is_what_is_read(values, separator, is_labelled):
    labels = [f"q{chr(97 + place)}:" if is_labelled else "" for place in range(len(values))]
    line = separator.join(
        f"{label}{value:.4f}" for label, value in zip(labels, values, strict=True)
    )
    layout = layout_of([line] * 3)
    assert layout.values(line) == values


@given(st.text(max_size=200))
def test_no_text_breaks_the_reader(text):
    layout_of([text] * 3)
    Layout(",", (Column("T"), Column())).values(text)


def read_as_they_came(interval, jitter, lines_a_read=1, count=400, seed=1):
    """Let a board print; gives how far its times are off, in µs, and what is said of them."""
    rng, arrivals, times = random.Random(seed), Arrivals(), []
    for number in range(0, count, lines_a_read):
        read = np.arange(number, number + lines_a_read)
        arrived = interval * read[-1] + rng.uniform(0, jitter)
        times.append(arrivals.times(read, arrived))
    times = np.concatenate(times)
    return times - interval * np.arange(times.size), arrivals


@pytest.mark.parametrize("lines_a_read", [1, 4])
def test_times_are_smoother_than_arrivals_and_as_uncertain_as_is_said(lines_a_read):
    off, arrivals = read_as_they_came(100_000.0, 16_000.0, lines_a_read)
    late = off[len(off) // 2 :]
    assert arrivals.is_steady
    assert arrivals.interval_us == pytest.approx(100_000, rel=2e-3)
    assert np.std(late) < 1_500 < 16_000 / math.sqrt(12)
    assert np.std(late) < 2 * arrivals.u_us


def test_the_stated_uncertainty_is_that_of_the_last_time():
    ends = [read_as_they_came(100_000.0, 16_000.0, count=60, seed=seed) for seed in range(300)]
    last = np.array([off[-1] for off, _ in ends])
    stated = np.mean([arrivals.u_us for _, arrivals in ends])
    assert np.std(last) == pytest.approx(stated, rel=0.15)


def test_lines_without_a_pace_keep_the_times_at_which_they_came():
    arrivals, rng, arrived = Arrivals(), random.Random(2), 0.0
    for number in range(100):
        arrived += rng.choice([1e3, 5e4, 3e5])
        (time,) = arrivals.times(np.array([number]), arrived)
        assert time == pytest.approx(arrived, abs=2)
    assert not arrivals.is_steady


def test_a_pause_does_not_bend_the_times():
    arrivals = Arrivals()
    for number in range(50):
        arrivals.times(np.array([number]), 1e5 * number)
    (time,) = arrivals.times(np.array([50]), 1e5 * 50 + 3e6)
    assert time == pytest.approx(1e5 * 50 + 3e6)


@given(st.lists(st.tuples(st.integers(1, 5), st.floats(0, 1e6)), min_size=1, max_size=60))
def test_times_ascend_whatever_comes(reads):
    arrivals, number, arrived, before = Arrivals(), 0, 0.0, -math.inf
    for count, waited in reads:
        arrived += waited
        times = arrivals.times(np.arange(number, number + count), arrived)
        number += count
        assert times.size == count and times[0] > before and (np.diff(times) > 0).all()
        before = times[-1]


@pytest.mark.parametrize(("lines", "decimals", "value"), [
    (["23,4", "23,5", "-0,25"], 2, -0.25), (["23,4 °C"] * 3, 1, 23.4), (["T=7,125"] * 4, 3, 7.125),
])  # fmt: skip
def test_one_number_with_a_decimal_comma_is_another_way_to_read(lines, decimals, value):
    layout = with_decimal_comma(lines)
    assert (len(layout), layout.columns[0].decimals) == (1, decimals)
    assert layout.values(lines[-1]) == [value]


@pytest.mark.parametrize("lines", [
    ["23,4"], ["23.4"] * 3, ["1,2,3"] * 3, ["23,4;55,1"] * 3,
    ["23,4", "a", "b", "23,4", "23,4", "c"],
])  # fmt: skip
def test_what_has_no_decimal_comma_or_too_few_lines_has_no_such_way(lines):
    assert with_decimal_comma(lines) is None
