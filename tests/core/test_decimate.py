import itertools

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from galena.core.decimate import BLOCK, Blocks, column_extremes, envelope


@given(
    y=arrays(np.float64, st.integers(0, 400), elements=st.floats(-100, 100)),
    seed=st.integers(0, 99),
    columns=st.integers(1, 20),
    window=st.tuples(st.floats(-10, 110), st.floats(-10, 110)),
)
def test_every_column_keeps_its_minimum_and_maximum(y, seed, columns, window):
    x = np.sort(np.random.default_rng(seed).uniform(0, 100, y.size))
    lo, hi = min(window), max(window)
    xs, ys = envelope(x, y, lo, hi, columns)
    assert xs.size <= 4 * columns + 2
    assert np.all(np.diff(xs) >= 0)
    kept = set(zip(xs, ys, strict=True))
    assert kept <= set(zip(x, y, strict=True))
    edges = np.linspace(lo, hi, columns + 1)
    for left, right in itertools.pairwise(edges):
        before, after = (x >= left) & (x < right), (xs >= left) & (xs < right)
        if before.any():
            assert ys[after].min() == y[before].min()
            assert ys[after].max() == y[before].max()


def test_the_readings_just_beyond_each_end_are_kept():
    x = np.arange(10.0)
    xs, _ = envelope(x, x, 3.5, 6.5, 100)
    assert list(xs) == [3, 4, 5, 6, 7]


def test_a_window_without_readings_keeps_its_neighbours():
    x = np.array([0.0, 10.0])
    assert list(envelope(x, x, 4, 6, 10)[0]) == [0, 10]


def test_not_a_number_hides_no_extreme():
    x = np.arange(1000.0)
    y = np.where(np.arange(1000) % 7 == 0, np.nan, np.sin(x))
    _, ys = envelope(x, y, 0, 999, 10)
    assert np.nanmax(ys) == np.nanmax(y)


@given(
    size=st.integers(1, 12 * BLOCK),
    seed=st.integers(0, 99),
    edges=st.lists(st.floats(-1, 13 * BLOCK), min_size=2, max_size=30, unique=True),
    gaps=st.sampled_from([0.0, 0.3, 1.0]),
)
def test_blocks_change_no_extreme_of_a_column(size, seed, edges, gaps):
    chance = np.random.default_rng(seed)
    x = np.sort(chance.integers(0, 12 * BLOCK, size)).astype(float)
    y = np.where(chance.random(size) < gaps, np.nan, chance.normal(size=size))
    edges = np.sort(edges)
    plain = column_extremes(x, y, edges)
    for without, with_blocks in zip(plain, column_extremes(x, y, edges, Blocks.of(y)), strict=True):
        np.testing.assert_array_equal(without, with_blocks)


def test_blocks_are_read_and_not_the_readings_within():
    y = np.zeros(5 * BLOCK)
    blocks = Blocks.of(y)
    blocks.highs[2] = 7.0
    edges = np.array([0.0, BLOCK + 5, 4 * BLOCK])
    assert column_extremes(np.arange(y.size, dtype=float), y, edges, blocks)[1].tolist() == [0, 7]
