"""The readings drawer: the table of a run, typed, pasted into, corrected and set aside."""

import json

from django.db.models import Q
from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.utils.html import format_html
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import GalenaError, SeriesError
from galena.desk import history
from galena.desk.page.table_acts import FURTHEST, act_of, stream_of
from galena.desk.tables.table import RunTable, table_of
from galena.experiments import table_flows
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Run
from galena.shell import requested

MOST_ROWS = 500  # that one request gives
KEPT_CHANGES = 12


@require_GET
def drawer(request, experiment_id: int, number: int):
    """Give the table of a run, without its rows."""
    return show_table(request, run_for(request, experiment_id, number))


@require_GET
def rows(request, experiment_id: int, number: int):
    """Give some rows of a table, and which of them were set aside."""
    run = run_for(request, experiment_id, number)
    got = request.GET
    first = requested.whole(got.get("first"), "First", 0, FURTHEST, otherwise=0, clip=True)
    count = requested.whole(got.get("count"), "Count", 0, MOST_ROWS, otherwise=100, clip=True)
    try:
        table = _table(request, run)
    except SeriesError as error:
        return HttpResponse(str(error), status=400)
    return JsonResponse(_rows(table, first, count))


def _rows(table: RunTable, first: int, count: int) -> dict:
    stream = table.stream.pk if table.stream else None
    inside = Q(first__lt=first + count) & Q(last__gte=first)
    asides = table.run.asides.filter(inside, stream=stream).values_list("first", "last", "reason")
    return {
        "first": first,
        "count": table.count,
        "rows": table.rows(first, count),
        "asides": list(asides),
    }


@require_POST
def begin(request, experiment_id: int):
    """Begin a typed table and show it."""
    experiment = experiment_for(request, experiment_id)
    run = table_flows.new_table(experiment, request.user)
    response = show_table(request, run)
    response["HX-Trigger-After-Settle"] = json.dumps({"rail-changed": "", "table-begun": ""})
    return response


@require_POST
def change(request, experiment_id: int, number: int):
    """Change a table; answers with what is new in it, or why nothing is."""
    run = run_for(request, experiment_id, number)
    post = request.POST
    try:
        label, act = act_of(request, run)
        with history.changing(run.experiment, request.user, label):
            done = act()
        table = _table(request, run)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    if post.get("act") in {"head", "column", "paste"}:
        return show_table(request, run, took=str(done) if post["act"] == "paste" else "")
    return JsonResponse({"count": table.count, "statistics": table.statistics()})


def _table(request, run: Run) -> RunTable:
    stream = stream_of(request, run)
    return table_of(run, stream.pk if stream else None)


def show_table(request, run: Run, took: str = "") -> HttpResponse:
    """Answer with the table of a run for the drawer, and what a pasted table was taken for."""
    try:
        table = _table(request, run)
        statistics = table.statistics()
    except SeriesError as error:
        return HttpResponse(format_html('<p class="notice">{}</p>', error))
    changes = run.typed_columns.exclude(change="").select_related("made_by", "quantity")
    context = {
        "experiment": run.experiment,
        "run": run,
        "runs": run.experiment.runs.kept(),
        "took": took,
        "table": table,
        "takes_columns": run.kind.is_typed or run.kind.takes_columns,
        "columns": list(zip(table.columns, statistics, strict=True)),
        "statistic_names": (("count", "count"), ("mean", "mean"), ("sd", "standard deviation")),
        "changes": changes.order_by("-pk")[:KEPT_CHANGES],
    }
    return render(request, "desk/_readings.html", context)
