import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import GalenaError, NumberError, TableError, UnitError
from galena.core.formats.heads import Head, head
from galena.core.formats.pasted import cell_text, pasted


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("overhang L / m", Head("overhang", "L", "m")),
        ("s/mm", Head("", "s", "mm")),
        ("sag s (mm)", Head("sag", "s", "mm")),
        ("air speed, v [m/s]", Head("air speed", "v", "m/s")),
        ("v / m/s", Head("", "v", "m/s")),
        ("E_1 / lx", Head("", "E_1", "lx")),
        ("number of turns", Head("number of turns", "", "")),
        ("pH", Head("", "pH", "")),
        ("θ / °", Head("", "θ", "°")),
        ("", Head("", "", "")),
    ],
)
def test_a_head_is_read_as_people_write_it(text, expected):
    assert head(text) == expected


def test_a_head_with_an_unknown_unit_is_refused():
    with pytest.raises(UnitError):
        head("L / blorps")


@pytest.mark.parametrize(
    ("text", "heads", "rows"),
    [
        ("L / m\ts / mm\n0,10\t1,2\n0,20\t9,8\n", 2, (("0.10", "1.2"), ("0.20", "9.8"))),
        ("1;2\n3;", 0, (("1", "2"), ("3", ""))),
        ("1.0,2.0,3.0\n4.0,5.0,6.0", 0, (("1.0", "2.0", "3.0"), ("4.0", "5.0", "6.0"))),
        ("0,5\n0,6\r\n0,70", 0, (("0.5",), ("0.6",), ("0.70",))),
        ("1\n2\n3", 0, (("1",), ("2",), ("3",))),
        ("−1.50\t2e-3", 0, (("-1.50", "2e-3"),)),
        ('"L"\t"s"\n"1"\t"2"', 2, (("1", "2"),)),
    ],
)
def test_a_table_is_read_as_spreadsheets_give_it(text, heads, rows):
    found = pasted(text)
    assert (len(found.heads), found.rows) == (heads, rows)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "nothing to paste"),
        ("\n \n", "nothing to paste"),
        ("It was a dark night.\nThe lamp went out, and so did we.", "is not a number"),
        ("L\ts\n1\tabout 2", "“about 2” in row 1, column 2 is not a number"),
        ("\t".join("1" * 31), "at most 30 columns; these are 31"),
        ("1\n" * 20_002, "at most 20,000 rows"),
        ("1\t" * 3_000_000, "too long"),
        ("1\tnan", "is not a number"),
    ],
)
def test_what_is_no_table_is_explained(text, words):
    with pytest.raises(TableError, match=words):
        pasted(text)


@given(st.text(max_size=200))
def test_any_text_is_a_table_or_is_explained(text):
    try:
        found = pasted(text)
    except GalenaError as error:
        assert str(error)
    else:
        assert len({len(row) for row in found.rows}) == 1


@given(st.decimals(allow_nan=False, allow_infinity=False, places=3, min_value=-1e6, max_value=1e6))
def test_the_digits_of_a_cell_stay_as_typed(value):
    assert cell_text(str(value).replace(".", ",")) == str(value)
    with pytest.raises(NumberError):
        cell_text(f"{value} m")
