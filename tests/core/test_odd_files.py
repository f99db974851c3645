"""Files as loggers, spreadsheets and people write them, and what is no table at all."""

import io
import math
import zipfile

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.errors import GalenaError, TableError
from galena.core.formats import comma_separated, office_open, open_document, tables
from galena.core.formats.clock_times import seconds_from_first
from galena.core.formats.sheets import Column, Sheet
from galena.core.formats.tables import understand

NAN = math.nan


def told(text, **said):
    data = text if isinstance(text, bytes) else text.encode()
    return understand(data, "odd.csv", **said)


def values(table):
    return [column.values.tolist() for column in table.columns]


LOGGER = """Tide logger TL-2, serial 0042
Started;28.11.2026 09:30
Operator;Ada

t / s;h / mm;T / °C
0,0;12,5;8,1
0,5;12,7;8,1
1,0;;8,2

Battery 3,1 V
End of file
"""


def test_what_a_logger_writes_about_itself_is_left_out_and_told():
    table = told(LOGGER)
    assert [(one.symbol, one.unit) for one in table.columns] == [
        ("t", "s"), ("h", "mm"), ("T", "°C"),
    ]  # fmt: skip
    np.testing.assert_array_equal(values(table), [[0, 0.5, 1], [12.5, 12.7, NAN], [8.1, 8.1, 8.2]])
    assert table.troubles == ()
    assert len(table.left_out) == 5
    assert table.left_out[0] == "line 1: “Tide logger TL-2, serial 0042”"
    assert table.left_out[-1] == "line 11: “End of file”"


@pytest.mark.parametrize(("text", "heads", "columns"), [
    # units in a line of their own
    ("time\tlevel\ns\tmm\n0\t1\n1\t2\n", [("time", "", "s"), ("level", "", "mm")],
     [[0, 1], [1, 2]]),
    ("time;level;\n(s);(mm);\n0;1;\n1;2;\n", [("time", "", "s"), ("level", "", "mm")],
     [[0, 1], [1, 2]]),
    # a group's title over its columns
    ("Run 1;;Run 2;\nt / s;h / mm;t / s;h / mm\n0;1;0;3\n1;2;1;4\n",
     [("", "t", "s"), ("", "h", "mm")] * 2, [[0, 1], [1, 2], [0, 1], [3, 4]]),
    # comments, with the heads in the last one
    ("# made by hand\n# t / s\th / mm\n0\t1\n1\t2\n", [("", "t", "s"), ("", "h", "mm")],
     [[0, 1], [1, 2]]),
    # a quoted head over two lines
    ('"water\nlevel / mm";"t / s"\n1;0\n2;1\n', [("water level", "", "mm"), ("", "t", "s")],
     [[1, 2], [0, 1]]),
    # a stated separator, a mark at the start, blank lines
    ("\ufeffsep=;\nt / s;h / mm\n\n0,5;1\n\n1,5;2\n", [("", "t", "s"), ("", "h", "mm")],
     [[0.5, 1.5], [1, 2]]),
    # strokes
    ("t / s|h / mm\n0|1.5\n1|2.5", [("", "t", "s"), ("", "h", "mm")], [[0, 1], [1.5, 2.5]]),
    # three ways to write a unit
    ("h / mm,T (°C),p [hPa]\n1.0,2.0,3.0", [("", "h", "mm"), ("", "T", "°C"), ("", "p", "hPa")],
     [[1], [2], [3]]),
])  # fmt: skip
def test_heads_are_found_where_people_put_them(text, heads, columns):
    table = told(text)
    assert [(one.name, one.symbol, one.unit) for one in table.columns] == heads
    np.testing.assert_array_equal(values(table), columns)
    assert table.troubles == ()


@pytest.mark.parametrize("row", ["0.00,-0.01", "1e-3,-2e-3", "-1,,-2", "1.5e2,2,3e-1"])
def test_no_row_of_numbers_is_taken_for_words(row):
    table = told(f"{row}\n{row}\n{row}\n")
    assert {column.values.size for column in table.columns} == {3}
    assert table.left_out == ()


def test_old_encodings_and_line_ends_are_read():
    text = "Zeit t / s;Höhe h / µm\r0,5;1,5\r1,0;2,5\r"
    for encoding in ("latin-1", "utf-8", "utf-8-sig", "utf-16"):
        table = told(text.encode(encoding))
        assert [(one.symbol, one.unit) for one in table.columns] == [("t", "s"), ("h", "µm")]
        assert values(table) == [[0.5, 1.0], [1.5, 2.5]]


@pytest.mark.parametrize(("cells", "seconds"), [
    (["09:30:00", "09:30:00.5", "09:31:00"], [0, 0.5, 60]),
    (["23:59:58", "23:59:59", "00:00:00", "00:00:02"], [0, 1, 2, 4]),
    (["1:05 pm", "1:06 PM", "2:05 pm"], [0, 60, 3600]),
    (["2026-11-28 12:00:00", "2026-11-28T12:00:01.25", "2026-11-29 12:00:00"], [0, 1.25, 86400]),
    (["28.11.2026 23:59", "29.11.2026 00:01"], [0, 120]),
    (["11/28/2026 11:59 pm", "11/29/2026 12:01 am"], [0, 120]),
    (["03/04/2026 10:00", "03/14/2026 10:00"], [0, 864_000]),
    (["1.2.1890", "2.2.1890"], [0, 86_400]),
    (["12:00:00", "", "12:00:10"], [0, NAN, 10]),
    (["1:02:03,5", "1:02:04,5"], [0, 1]),
])  # fmt: skip
def test_times_of_day_and_dates_become_seconds_from_the_first(cells, seconds):
    np.testing.assert_allclose(seconds_from_first(cells), seconds, atol=1e-6)


@pytest.mark.parametrize("cells", [["1.5", "2.5"], ["a", "b"], ["31.02.2026"], ["12:75"], []])
def test_what_is_no_time_stays_what_it_is(cells):
    assert seconds_from_first(cells) is None


def test_days_and_times_in_two_columns_are_taken_together():
    table = told("Date,Time,h / mm\n2026-11-28,23:59:59,1.5\n2026-11-29,00:00:01,2.5\n")
    assert [(one.symbol, one.unit, one.kind) for one in table.columns] == [
        ("t", "s", "time"), ("h", "mm", "number"),
    ]  # fmt: skip
    assert values(table) == [[0, 2], [1.5, 2.5]]


def test_what_a_person_says_goes_before_what_was_guessed():
    assert values(told("1,2\n3,4")) == [[1.2, 3.4]]
    assert values(told("1,2\n3,4", separator=",")) == [[1, 3], [2, 4]]
    assert values(told("1.234;2\n5.678;3")) == [[1.234, 5.678], [2, 3]]
    assert values(told("1,234;2\n5,678;3", decimal_mark=".")) == [[1234, 5678], [2, 3]]


BOOK = Sheet("run 1", ("Experiment: Tide tank",), (
    Column("t / s", np.array([0.0, 0.1, 0.1 + 0.2]), "%.1f"),
    Column("h / mm", np.array([1 / 3, NAN, -2e-9]), "%.3f"),
))  # fmt: skip


@pytest.mark.parametrize("write", [open_document.write, office_open.write])
def test_workbooks_come_back_with_all_digits(tmp_path, write):
    write([Sheet("about", ("nothing but words",), ()), BOOK], str(tmp_path / "book"))
    table = understand((tmp_path / "book").read_bytes(), "book")
    assert [(one.symbol, one.unit) for one in table.columns] == [("t", "s"), ("h", "mm")]
    np.testing.assert_array_equal(values(table), [one.numbers for one in BOOK.columns])
    assert "Experiment: Tide tank" in table.left_out[0]


def test_files_that_galena_writes_come_back():
    data = b"".join(comma_separated.write(BOOK))
    table = understand(data, "run.csv")
    assert [(one.symbol, one.unit) for one in table.columns] == [("t", "s"), ("h", "mm")]
    assert table.columns[0].values.tolist() == [0.0, 0.1, 0.3]


@pytest.mark.parametrize(("data", "words"), [
    (b"", "nothing to read"), (b"\n\n \n", "nothing to read"),
    (b"\x89PNG\r\n\x1a\n" + b"\x00" * 50, "no text"), (b"%PDF-1.7 ...", "no text"),
    (b"PK\x03\x04broken", "damaged"), (b"\xd0\xcf\x11\xe0broken", "damaged"),
    (b"1;" * 5000 + b"1\n", "at most 200 columns"),
])  # fmt: skip
def test_what_is_no_table_is_refused_in_words(data, words):
    with pytest.raises(TableError, match=words):
        understand(data, "odd.csv")


def test_a_bomb_is_not_unpacked(monkeypatch):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as zipped:
        zipped.writestr("xl/worksheets/sheet1.xml", b"0" * 10_000_000)
    monkeypatch.setattr("galena.core.formats.spreadsheets.MOST_UNPACKED", 1_000_000)
    with pytest.raises(TableError, match="too large to be unpacked"):
        understand(out.getvalue(), "bomb.xlsx")


def test_a_long_table_is_read_as_a_short_one_is(monkeypatch):
    rows = "\n".join(f"{k / 10:.1f};{k * 0.25:.2f};" for k in range(300)).replace(".", ",")
    text = f"t / s;h / mm;T / K\n{rows}\n"
    short = told(text)
    monkeypatch.setattr(tables, "FEW", 10)
    long = told(text)
    np.testing.assert_array_equal(values(long), values(short))
    assert long.columns[0].texts == ()
    odd = told(text.replace("5,0;", "nan;", 1))  # a word is no number, however many there are
    assert odd.troubles


@given(st.binary(max_size=200))
def test_any_bytes_are_read_or_refused_in_words(data):
    try:
        table = understand(data, "any")
    except GalenaError as error:
        assert str(error)
        return
    assert len({column.values.size for column in table.columns}) == 1
