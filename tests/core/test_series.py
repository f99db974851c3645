import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from galena.core.errors import SeriesError
from galena.core.series import STAMPS, VALUES, Chunk, assemble, inside, nearest, pack

FINITE = st.floats(-1e9, 1e9)


@given(st.lists(arrays(np.float64, st.integers(0, 20), elements=st.floats()), max_size=6))
def test_what_is_read_back_is_bit_for_bit_what_was_stored(parts):
    chunks, first = [], 0
    for part in parts:
        chunks.append(pack(part, first, VALUES))
        first += part.size
    whole = np.concatenate([*parts, np.empty(0)])
    assert assemble(chunks, VALUES).tobytes() == whole.astype("<f8").tobytes()


def test_a_damaged_chunk_is_named():
    good = pack(np.arange(4), 0, STAMPS)
    bad = Chunk(4, 4, b"\x01" + good.data[1:], good.crc32)
    with pytest.raises(SeriesError, match="Readings 5 to 8 are damaged"):
        assemble([good, bad], STAMPS)


def test_a_missing_chunk_is_named():
    with pytest.raises(SeriesError, match="Readings 1 to 10 are missing"):
        assemble([pack(np.arange(4), 10, STAMPS)], STAMPS)


@given(arrays(np.float64, st.integers(0, 40), elements=FINITE), FINITE, FINITE)
def test_inside_counts_both_ends_in(x, lo, hi):
    x = np.sort(x)
    chosen = np.zeros(x.size, dtype=bool)
    chosen[inside(x, lo, hi)] = True
    assert np.array_equal(chosen, (x >= lo) & (x <= hi))


@given(arrays(np.float64, st.integers(1, 40), elements=FINITE), FINITE)
def test_nearest_is_nearest(x, place):
    x = np.sort(x)
    assert abs(x[nearest(x, place)] - place) == np.min(np.abs(x - place))


def test_nearest_is_the_earlier_on_a_tie():
    assert nearest(np.array([0.0, 1.0, 3.0]), 2.0) == 1


def test_nearest_of_nothing_is_refused():
    with pytest.raises(SeriesError, match="no reading to point at"):
        nearest(np.empty(0), 1.0)
