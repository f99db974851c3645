"""Queries that are written once give what Django gives, and rows at hand narrow as its own do."""

import pytest
from django.db.models import Count

from galena.desk.models import Graph, Sheet, Trace
from galena.desk.sheets import flows as sheet_flows
from galena.desk.sheets.loading import sheet_in, sheets_in
from galena.experiments import flows as experiment_flows
from galena.experiments.models import Run, Series
from galena.shell.prepared import prepared, prepared_objects
from tests import making


@pytest.fixture
def two(ada):
    """Two experiments with runs and two sheets each."""
    experiments = [
        experiment_flows.create(ada, title, [("pump", "mL/s")]) for title in ("one", "other")
    ]
    for experiment in experiments:
        for seed in (1, 2):
            making.run(experiment, making.ramp(seed=seed), conditions=[f"{seed}0"])
        sheet_flows.first_sheet(experiment)
        sheet_flows.add_sheet(experiment, None, [experiment.quantities.get(symbol="h")])
    return experiments


def fields_of(rows):
    return [{**one.__dict__, "_state": None} for one in rows]


def of_runs(runs):
    kept = Series.objects.filter(stream__run__in=runs)
    return kept.select_related("quantity", "stream__run").order_by("-pk")


def test_rows_are_those_of_the_query_for_each_key(two, django_assert_num_queries):
    for experiment in two:
        by_django = list(Run.objects.filter(experiment=experiment.pk))
        read = prepared_objects(
            "runs in a test", lambda key: Run.objects.filter(experiment=key), experiment.pk
        )
        assert fields_of(read) == fields_of(by_django)
        assert not read[0]._state.adding
        values = prepared(
            "numbers in a test",
            lambda key: Run.objects.filter(experiment=key).values("number", "details"),
            experiment.pk,
        )
        assert list(values) == [{"number": one.number, "details": one.details} for one in by_django]
    every = [run.pk for experiment in two for run in experiment.runs.all()]
    for keys in ([], every[:1], every):
        with django_assert_num_queries(1):
            read = prepared_objects("series in a test", of_runs, keys)
            joined = [(one.quantity and one.quantity.symbol, one.stream.run.number) for one in read]
        by_django = list(of_runs(keys))
        assert [one.pk for one in read] == [one.pk for one in by_django]
        assert joined == [
            (one.quantity and one.quantity.symbol, one.stream.run.number) for one in by_django
        ]


def test_what_is_no_row_is_not_prepared(two):
    with pytest.raises(ValueError, match="Only rows"):
        prepared_objects(
            "counted in a test",
            lambda key: Sheet.objects.filter(pk=key).annotate(n=Count("graphs")),
            1,
        )
    with pytest.raises(ValueError, match="Only columns"):
        prepared(
            "annotated in a test",
            lambda key: Sheet.objects.filter(pk=key).values("pk").annotate(n=Count("graphs")),
            1,
        )


def test_a_name_stands_for_one_query(two):
    prepared_objects("sheets in a test", lambda key: Sheet.objects.filter(pk=key), 1)
    with pytest.raises(ValueError, match="another query"):
        prepared_objects("sheets in a test", lambda key: Sheet.objects.filter(experiment=key), 1)


def test_sheets_come_complete_in_four_queries(two, django_assert_num_queries):
    with django_assert_num_queries(4):
        sheets = sheets_in(two[0])
        named = [(str(sheet), sheet.x_symbol, sheet.experiment.title) for sheet in sheets]
        notes = [list(graph.notes.all()) for sheet in sheets for graph in sheet.graphs.all()]
    assert named == [("h over t", "t", "one")] * 2
    assert notes == [[], []]
    assert sheet_in(two[1], sheets[0].pk) is None
    assert str(sheet_in(two[0], sheets[1].pk)) == "h over t"


def test_rows_at_hand_are_narrowed_within_their_relation(two):
    first, second = sheets_in(two[0])
    graph = first.graphs.all()[0]
    assert graph.sheet is first
    assert list(first.graphs.all()) == [graph] == list(first.graphs.filter(share=1.0))
    assert first.graphs.first() == graph
    assert first.graphs.count() == 1
    assert first.graphs.exists()
    assert not first.graphs.filter(pk=second.graphs.first().pk).exists()
    assert Graph.objects.count() > 1
    added = first.graphs.create(place=1)
    trace = Trace.objects.create(graph=added, quantity=first.quantity)
    assert first.graphs.order_by("-pk").first() == added  # asked anew
    assert [one.pk for one in sheets_in(two[0])[0].graphs.last().traces.all()] == [trace.pk]
