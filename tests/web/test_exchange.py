import csv

import numpy as np
import pytest
from django.urls import reverse
from hypothesis import given
from hypothesis import strategies as st

from galena.core.formats.comma_separated import Column, file_name, write
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


def test_a_heading_cannot_be_a_formula():
    content = write([], [Column("=1+1", np.array([1.0]), "%.1f")])
    assert content.decode("utf-8-sig") == "'=1+1\r\n1.0\r\n"


def test_columns_of_different_length_end_early():
    content = write(
        ["x"], [Column("a", np.arange(3.0), "%.0f"), Column("b", np.arange(1.0), "%.0f")]
    )
    assert content.decode("utf-8-sig").split("\r\n") == ["# x", "a,b", "0,0", "1,", "2,", ""]


def test_a_long_run_is_written_by_the_worker(as_ada, experiment):
    y = np.round(making.ramp(30_000, rate=1000.0), 1)
    making.run(experiment, y, rate=1000.0, chunk=30_000)
    try:
        _, _, rows = read(as_ada.get(reverse("run-file", args=[experiment.pk, 1, "csv"])).content)
    finally:
        WORKERS.close()
    assert len(rows) == 30_000
    assert float(rows[-1][1]) == y[-1]


@pytest.mark.parametrize("number", [2, 99])
def test_a_run_that_is_not_there(as_ada, experiment, number):
    making.run(experiment, [1.0])
    assert as_ada.get(reverse("run-file", args=[experiment.pk, number, "csv"])).status_code == 404
