import csv
import io
import zipfile

import numpy as np
import pytest
import python_calamine
from asgiref.sync import async_to_sync
from django.urls import reverse
from hypothesis import example, given
from hypothesis import strategies as st

from galena.core.formats import comma_separated
from galena.core.formats.comma_separated import file_name
from galena.core.formats.sheets import Column, Sheet, names_of
from galena.exchange import sending
from galena.exchange.formats import FORMATS
from galena.experiments.models import Series
from galena.shell.worker import WORKERS
from tests import making


def read(content):
    lines = content.decode("utf-8-sig").splitlines()
    head = [line[2:] for line in lines if line.startswith("# ")]
    rows = list(csv.reader(line for line in lines if not line.startswith("# ")))
    return head, rows[0], rows[1:]


def test_a_run_as_csv_has_names_units_and_conditions_in_its_head(as_ada, experiment):
    y = np.round(making.ramp(), 1)
    making.run(experiment, y, conditions=["40", "closed"], note="calm sea")
    answer = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"]))
    head, headings, rows = read(answer.content)
    assert "Experiment: Tide tank" in head
    assert "Condition: pump 40 mL/s" in head
    assert "Note: calm sea" in head
    assert "h: water level in mm, Level gauge LG-1 0007" in head
    assert headings == ["t / s", "h / mm"]
    assert [float(row[1]) for row in rows] == y.tolist()
    assert rows[0] == ["0.000000", f"{y[0]:.1f}"]


def test_a_zero_in_force_is_applied_and_told(as_ada, experiment):
    run = making.run(experiment, [3.5, 4.0])
    Series.objects.filter(stream__run=run).exclude(quantity=None).update(zero=3.21)
    head, _, rows = read(as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"])).content)
    assert "h: water level in mm, Level gauge LG-1 0007, zero at 3.21 mm raw" in head
    assert [row[1] for row in rows] == ["0.290", "0.790"]


def test_the_file_name_takes_any_characters(as_ada, experiment):
    experiment.title = 'Tide/..\\ "tank" \u202egnp <3> קו 🌊'
    experiment.save()
    making.run(experiment, [1.0], note="a:b|c?\r\nSet-Cookie: x")
    answer = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"]))
    said = answer.headers["Content-Disposition"]
    assert said.startswith("attachment; filename*=utf-8''Tide_")
    assert "Set-Cookie" not in answer.headers
    assert not {"/", "\\", "\r", "\n", '"'} & set(said.split("''")[1])


@given(st.lists(st.text(max_size=80), min_size=1, max_size=3))
def test_a_file_name_is_never_empty_or_dangerous(parts):
    name = file_name(*parts)
    assert name
    assert len(name) <= 150
    assert not set(name) & set('/\\<>:"|?*\n\r\0')
    assert not name.startswith(".")


def as_csv(head, *columns):
    return b"".join(comma_separated.write(Sheet("run 1", tuple(head), columns))).decode("utf-8-sig")


def test_a_heading_cannot_be_a_formula():
    assert as_csv([], Column("=1+1", np.array([1.0]), "%.1f")) == "'=1+1\r\n1.0\r\n"


def test_columns_of_different_length_end_early():
    columns = Column("a", np.arange(3.0), "%.0f"), Column("b", np.arange(1.0), "%.0f")
    assert as_csv(["x"], *columns).split("\r\n") == ["# x", "a,b", "0,0", "1,", "2,", ""]


@given(st.lists(st.integers(0, 30), min_size=1, max_size=4), st.integers(1, 7))
def test_pieces_are_the_same_as_a_whole(counts, at_once):
    columns = [Column(f"c{k}", np.arange(n) / 8, "%.3f") for k, n in enumerate(counts)]
    whole = as_csv(["head"], *columns)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(comma_separated, "_AT_ONCE", at_once)
        assert as_csv(["head"], *columns) == whole


def whole(answer):
    """Give what a streamed answer sends."""

    async def collect():
        return [piece async for piece in answer.streaming_content]

    return async_to_sync(collect)()


def test_a_long_run_is_sent_as_it_is_written(as_ada, experiment):
    y = np.round(making.ramp(30_000, rate=1000.0), 1)
    making.run(experiment, y, rate=1000.0, chunk=30_000)
    answer = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"]))
    assert answer.streaming
    pieces = whole(answer)
    assert len(pieces) == 7  # the head, and 5,000 rows each
    _, _, rows = read(b"".join(pieces))
    assert len(rows) == 30_000
    assert float(rows[-1][1]) == y[-1]


@pytest.fixture
def two_runs(experiment, monkeypatch):
    """Two runs, and a worker that does its work here."""
    monkeypatch.setattr(sending.WORKERS, "do", lambda work, *given, patience: work(*given))
    making.run(experiment, np.array([1 / 3, 2e-9, 0.1 + 0.2]), conditions=["40", "closed"])
    making.run(experiment, making.ramp(), note="=HYPERLINK(1)")
    return experiment


@pytest.mark.parametrize("key", ["ods", "xlsx"])
def test_all_runs_leave_as_a_workbook_that_others_open(as_ada, two_runs, key):
    answer = as_ada.get(reverse("runs-file", args=[two_runs.pk, key]))
    assert answer.status_code == 200
    assert answer["Content-Type"] == FORMATS[key].media_type
    book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(answer.content))
    assert book.sheet_names == ["run 1", "run 2"]
    first, second = (book.get_sheet_by_name(name).to_python() for name in book.sheet_names)
    assert first[0][0] == "Experiment: Tide tank"
    heads = next(place for place, row in enumerate(first) if row[0] == "t / s")
    assert first[heads][1] == "h / mm"
    assert [row[1] for row in first[heads + 1 :]] == [1 / 3, 2e-9, 0.1 + 0.2]  # all digits
    assert [row[0] for row in first[heads + 1 :]] == [0.0, 0.1, 0.2]
    assert "Condition: pump 40 mL/s" in [row[0] for row in first]
    assert "Note: =HYPERLINK(1)" in [row[0] for row in second]  # a text, no formula
    assert len(second) == 200 + next(k for k, row in enumerate(second) if row[0] == "t / s") + 1


def test_all_runs_leave_as_a_zip_of_files_named_by_their_conditions(as_ada, two_runs):
    answer = as_ada.get(reverse("runs-file", args=[two_runs.pk, "tsv"]))
    with zipfile.ZipFile(io.BytesIO(answer.content)) as zipped:
        names = zipped.namelist()
        text = zipped.read(names[0]).decode("utf-8-sig")
    assert names[0].startswith("Tide tank - run 1 - pump 40 mL_s") and names[0].endswith(".tsv")
    assert len(set(names)) == 2
    assert "t / s\th / mm\r\n" in text


def test_what_is_too_long_for_a_workbook_is_said(as_ada, two_runs, monkeypatch):
    monkeypatch.setattr(sending, "MOST_IN_A_BOOK", 100)
    answer = as_ada.get(reverse("runs-file", args=[two_runs.pk, "xlsx"]))
    assert answer.status_code == 422
    assert "203 rows; a workbook takes 100. Take CSV instead." in answer.text


def test_an_experiment_without_runs_gives_an_empty_book(as_ada, experiment, monkeypatch):
    monkeypatch.setattr(sending.WORKERS, "do", lambda work, *given, patience: work(*given))
    for key in ("ods", "xlsx", "csv"):
        answer = as_ada.get(reverse("runs-file", args=[experiment.pk, key]))
        assert answer.status_code == 422
        assert "no runs yet" in answer.text


def test_workbooks_are_made_by_the_worker_and_streamed(as_ada, experiment):
    making.run(experiment, making.ramp(30_000, rate=1000.0), rate=1000.0, chunk=30_000)
    try:
        answer = as_ada.get(reverse("run-file", args=[experiment.pk, 1, "ods"]))
    finally:
        WORKERS.close()
    assert answer.streaming
    book = python_calamine.CalamineWorkbook.from_filelike(io.BytesIO(b"".join(whole(answer))))
    assert len(book.get_sheet_by_index(0).to_python()) > 30_000
    answer.close()


@given(st.lists(st.text(max_size=50), min_size=1, max_size=4))
@example(["", "", "run [1]", "RUN [1]"])
def test_names_of_sheets_are_taken_by_every_spreadsheet(names):
    given_names = names_of([Sheet(name, (), ()) for name in names])
    assert len({one.casefold() for one in given_names}) == len(names)
    for name in given_names:
        assert 0 < len(name) <= 31
        assert not set(name) & set("[]:*?/\\'")


@pytest.mark.parametrize("number", [2, 99])
def test_a_run_that_is_not_there(as_ada, experiment, number):
    making.run(experiment, [1.0])
    assert as_ada.get(reverse("run-file", args=[experiment.pk, number, "csv"])).status_code == 404
