import math
import re

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import GalenaError, TableError
from galena.core.formats.tables import understand

NAN = math.nan


@pytest.mark.parametrize(
    ("text", "columns", "separator", "mark"),
    [
        ("1 2\n3 4", [[1, 3], [2, 4]], " ", "."),
        ("x,y\n1,2\n3,4", [[1, 3], [2, 4]], ",", "."),
        ("1,2", [[1.2]], "", ","),
        ("1,2\n3,4", [[1.2, 3.4]], "", ","),
        ("L / m\n1,2\n3,4", [[1.2, 3.4]], "", ","),
        ("1, 2\n3, 4", [[1, 3], [2, 4]], ",", "."),
        ("1,2,3\n4,5,6", [[1, 4], [2, 5], [3, 6]], ",", "."),
        ("1.5,2\n1,2", [[1.5, 1], [2, 2]], ",", "."),
        ('"1,5","2"\n"3","4"', [[1.5, 3], [2, 4]], ",", "."),
        ("1,\n2,3", [[1, 2], [NAN, 3]], ",", "."),
        ("1,2 3,4\n5,6 7,8", [[1.2, 5.6], [3.4, 7.8]], " ", ","),
        ("12 345\n6 789", [[12, 6], [345, 789]], " ", "."),
        ("1 234,5;2\n2;3", [[1234.5, 2], [2, 3]], ";", ","),
        ("1 234 567\t2", [[1234567], [2]], "\t", "."),
        ("1,234.5\t2", [[1234.5], [2]], "\t", "."),
        ("1.234,5\t2", [[1234.5], [2]], "\t", ","),
        ("1,234,567\t2.5", [[1234567], [2.5]], "\t", "."),
        ("1.234;2,5", [[1234], [2.5]], ";", ","),
        ("1,5;2.5", [[1.5], [2.5]], ";", "."),
        ("1\u202f200\n1\u202f300", [[1200, 1300]], "", "."),
        ("−1.5   2e-3\n+2   .5", [[-1.5, 2], [0.002, 0.5]], " ", "."),
        ("1\n\n3", [[1, NAN, 3]], "", "."),
        ("air speed, v [m/s]\n1.2\n1.3", [[1.2, 1.3]], "", "."),
    ],
)
def test_separator_and_decimal_mark_are_decided_from_the_whole_text(text, columns, separator, mark):
    table = understand(text.encode())
    assert (table.separator, table.decimal_mark, table.troubles) == (separator, mark, ())
    np.testing.assert_array_equal([column.values for column in table.columns], columns)


@pytest.mark.parametrize(
    ("text", "heads"),
    [
        ("t / s  x / m\n0.1 0.2", [("", "t", "s"), ("", "x", "m")]),
        ("t (s) length L (m)\n0.1 0.2 0.3", [("", "t", "s"), ("length", "", ""), ("", "L", "m")]),
        ("length L  time t\n0.1 0.2", [("length", "L", ""), ("time", "t", "")]),
        ("length L; time t / s\n0,1; 0,2", [("length", "L", ""), ("time", "t", "s")]),
        ("a b c\n1 2", [("", "", ""), ("", "", "")]),
    ],
)
def test_heads_are_read_with_their_symbols_and_units(text, heads):
    table = understand(text.encode())
    assert [(one.name, one.symbol, one.unit) for one in table.columns] == heads


@pytest.mark.parametrize(
    ("text", "trouble"),
    [
        ("1 2;3", "“1 2” in row 1, column 1 is not a number."),
        ("x;y\n1;2\n3;about 4", "“about 4” in row 2, column 2 is not a number."),
        ("1,23,456.7\t1", "“1,23,456.7” in row 1, column 1 is not a number."),
        ("1\t1e999", "“1e999” in row 1, column 2 is not a number."),
    ],
)
def test_a_cell_that_is_no_number_is_told_and_never_fused(text, trouble):
    table = understand(text.encode())
    assert table.troubles == (trouble,)
    assert any(np.isnan(column.values).any() for column in table.columns)


def test_many_troubles_are_counted():
    table = understand(b"x\n" + b"no\n" * 50)
    assert len(table.troubles) == 21
    assert table.troubles[-1] == "30 more cells are not numbers."


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16"])
def test_a_text_is_read_in_its_encoding(encoding):
    table = understand("θ / °\tE_1 / µV\n1\t2".encode(encoding))
    assert [(one.symbol, one.unit) for one in table.columns] == [("θ", "°"), ("E_1", "µV")]


def test_it_says_what_it_took():
    assert understand(b"x,y\n1,2").took == "2 columns, separated by commas; decimals with a point"
    assert understand(b"1,2").took == "one column; decimals with a comma"


def test_nothing_is_nothing_to_read():
    with pytest.raises(TableError, match="There is nothing to read in empty.csv."):
        understand(b" \n", "empty.csv")


@given(st.text(alphabet="12345,.; \t\n-ex", max_size=60))
def test_no_reading_is_made_of_two_cells(text):
    try:
        table = understand(text.encode())
    except GalenaError as error:
        assert str(error)
        return
    is_dated = re.search(r"\d[.-]\d+[.-]\d", text)  # a date becomes seconds, with digits of its own
    if not is_dated and not any(mark in text for mark in ",;\t"):  # then blanks part all columns
        longest = max(sum(map(str.isdigit, cell)) for cell in text.split())
        cells = [cell for column in table.columns for cell in column.texts]
        assert all(sum(map(str.isdigit, cell)) <= longest for cell in cells)
    for column in table.columns:
        assert len(column.texts) == column.values.size


@given(
    st.lists(st.tuples(*[st.decimals(-1000, 1000, places=2)] * 2), min_size=2, max_size=8),
    st.sampled_from(["\t", ";", " ", ","]),
    st.sampled_from([".", ","]),
)
def test_a_written_table_comes_back(rows, separator, mark):
    if separator == "," and mark == ",":
        return
    lines = [separator.join(str(cell).replace(".", mark) for cell in row) for row in rows]
    table = understand("\n".join(lines).encode())
    assert (table.separator, table.decimal_mark) == (separator, mark)
    np.testing.assert_array_equal(
        np.transpose([column.values for column in table.columns]),
        [[float(cell) for cell in row] for row in rows],
    )
