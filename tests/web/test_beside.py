"""Typed columns beside measured readings: a value a row, or one known over a stretch."""

import numpy as np
import pytest
from django.urls import reverse

from galena.core.errors import NumberError, TableError
from galena.desk import history
from galena.desk.annotations import flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import beside_flows, columns
from galena.experiments.quantity_flows import add_derived
from tests import making


@pytest.fixture
def run(experiment):
    return making.run(experiment, making.ramp(60, rate=10.0), conditions=["40"])


def change(client, run, **fields):
    url = reverse("change-table", args=[run.experiment_id, run.number])
    return client.post(url, fields)


def column(run, symbol):
    run.experiment.refresh_from_db()
    quantity = run.experiment.quantities.get(symbol=symbol)
    placed = columns.over(None, [(run, quantity)])
    return placed[(run.pk, quantity.pk)].readings


def begun(client, run, head="load F / N"):
    assert change(client, run, act="column").status_code == 200
    typed = run.typed_columns.get(replaced_at=None)
    assert change(client, run, act="head", column=typed.quantity_id, text=head).status_code == 200
    return run.typed_columns.get(replaced_at=None)


def test_a_value_a_row_and_one_for_a_stretch_stand_beside_what_was_measured(as_ada, run):
    typed = begun(as_ada, run)
    key = typed.quantity_id
    for fields in ({"act": "known", "row": 10, "last": 19, "text": "5,0"},
                   {"act": "cell", "row": 3, "text": "2.5"}):  # fmt: skip
        assert change(as_ada, run, column=key, **fields).status_code == 200
    force = column(run, "F")
    expected = np.full(60, np.nan)
    expected[10:20], expected[3] = 5.0, 2.5
    assert np.array_equal(force.y, expected, equal_nan=True)
    assert np.array_equal(force.t, column(run, "h").t)
    page = as_ada.get(reverse("readings", args=[run.experiment_id, run.number]))
    assert 'value="load F / N"' in page.text and "in these rows" in page.text
    rows = as_ada.get(reverse("rows", args=[run.experiment_id, run.number]), {"count": 30}).json()
    assert [row[2] for row in rows["rows"]][9:12] == ["", "5.0", "5.0"]


def test_it_goes_into_formulas_and_over_it_goes_what_was_measured(as_ada, run):
    typed = begun(as_ada, run)
    change(as_ada, run, act="known", row=0, last=29, column=typed.quantity_id, text="2")
    product = add_derived(run.experiment, "F*h", "work", "W", "N*mm")
    level = column(run, "h").y
    assert np.allclose(column(run, product.symbol).y[:30], 2 * level[:30])
    assert np.isnan(column(run, product.symbol).y[30:]).all()
    along = columns.over(typed.quantity, [(run, run.experiment.quantities.get(symbol="h"))])
    assert len(next(iter(along.values())).readings) == 30


def test_a_span_says_from_where_to_where_a_value_is_known(as_ada, run):
    experiment = run.experiment
    span = flows.add_span(sheet_flows.first_sheet(experiment), 0.95, 2.05)
    url = reverse("know", args=[experiment.pk, span.pk])
    as_ada.post(url, {"named": "load F / N", "text": "7.5"})
    assert np.flatnonzero(column(run, "F").y == 7.5).tolist() == list(range(10, 21))
    span.lo, span.hi = 2.95, 3.05
    span.save()
    as_ada.post(url, {"named": "F", "text": "8"})
    assert column(run, "F").y[30] == 8
    for fields, words in (
        ({"named": "F", "text": "eight"}, "not a number"),
        ({"named": "", "text": "8"}, "Say what is known here"),
        ({"named": "h", "text": "8"}, "h is measured or worked out"),
    ):
        assert words in as_ada.post(url, fields).text
    span.lo, span.hi = 100, 200
    span.save()
    nowhere = as_ada.post(url, {"named": "F", "text": "8"})
    assert "No shown run has measured readings" in nowhere.text
    assert run.typed_columns.filter(replaced_at=None).count() == 1


def test_what_was_typed_is_undone_and_a_pull_back_keeps_the_rest(as_ada, run, ada):
    typed = begun(as_ada, run)
    change(as_ada, run, act="known", row=0, last=9, column=typed.quantity_id, text="1")
    change(as_ada, run, act="known", row=4, last=5, column=typed.quantity_id, text="")
    assert run.typed_columns.get(replaced_at=None).stretches == [[0, 3, "1"], [6, 9, "1"]]
    history.undo(run.experiment, ada)
    assert run.typed_columns.get(replaced_at=None).stretches == [[0, 9, "1"]]


def test_what_is_set_aside_does_not_count_there_either(as_ada, run):
    typed = begun(as_ada, run)
    change(as_ada, run, act="known", row=0, last=59, column=typed.quantity_id, text="1")
    change(as_ada, run, act="aside", row=5, last=6, reason="bumped")
    assert np.flatnonzero(column(run, "F").aside).tolist() == [5, 6]


@pytest.mark.parametrize(("fields", "words"), [
    ({"row": 50, "last": 60, "text": "1"}, "There are not so many rows"),
    ({"row": 9, "last": 8, "text": "1"}, "There are not so many rows"),
    ({"row": 0, "last": 1, "text": "x"}, "not a number"),
])  # fmt: skip
def test_what_cannot_be_known_is_said_and_nothing_is_kept(as_ada, run, fields, words):
    typed = begun(as_ada, run)
    answered = change(as_ada, run, act="known", column=typed.quantity_id, **fields)
    assert answered.status_code == 422 and words in answered.json()["trouble"]
    assert run.typed_columns.get(replaced_at=None).stretches == []


def test_a_measured_cell_is_not_typed_over(as_ada, run):
    key = run.experiment.quantities.get(symbol="h").pk
    answered = change(as_ada, run, act="cell", row=0, column=key, text="1")
    assert answered.status_code == 422 and "cannot be typed over" in answered.json()["trouble"]


def test_columns_and_stretches_are_bounded(run, ada, monkeypatch):
    monkeypatch.setattr(beside_flows, "MOST_STRETCHES", 2)
    typed = beside_flows.add_beside(run, run.streams.first(), ada)
    with pytest.raises(TableError, match="at most 2 different values"):
        beside_flows.know(typed, [(0, 0), (2, 2), (4, 4)], "1", ada)
    with pytest.raises(NumberError):
        beside_flows.know(typed, [(0, 0)], "one", ada)
