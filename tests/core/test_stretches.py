"""Values over stretches of rows, against a plain list of cells."""

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.stretches import StretchedCells, consecutive, overlaid

COUNT = 30
TYPED = st.tuples(
    st.integers(0, COUNT - 1), st.integers(0, COUNT - 1), st.sampled_from(["", "1", "2.5", "3"])
)


@given(st.lists(TYPED, max_size=12))
def test_laying_over_is_typing_into_cells(acts):
    stretches, cells = [], [""] * COUNT
    for one, other, text in acts:
        first, last = min(one, other), max(one, other)
        stretches = overlaid(stretches, first, last, text)
        cells[first : last + 1] = [text] * (last + 1 - first)
    kept = StretchedCells(stretches, COUNT)
    assert list(kept) == cells and kept[3:9] == cells[3:9] and kept[-1] == cells[-1]
    assert all(hi < lo for (_, hi, _), (lo, _, _) in itertools.pairwise(stretches))
    touching = [(a, b) for a, b in itertools.pairwise(stretches) if a[1] + 1 == b[0]]
    assert all(a[2] != b[2] for a, b in touching)


def test_there_is_no_cell_beyond_the_last():
    with pytest.raises(IndexError):
        StretchedCells([(0, 1, "5")], 2)[2]


@given(st.sets(st.integers(0, 60)))
def test_consecutive_rows_are_put_together(rows):
    groups = consecutive(rows)
    assert {row for lo, hi in groups for row in range(lo, hi + 1)} == rows
    assert all(before[1] + 1 < after[0] for before, after in itertools.pairwise(groups))
