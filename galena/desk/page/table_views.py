"""The readings drawer: the table of a run, typed, pasted into, corrected and set aside."""

import json

from django.db.models import Q
from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.utils.html import format_html
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import GalenaError, SeriesError, TableError
from galena.core.formats import pasted
from galena.desk import history
from galena.desk.tables.table import RunTable, table_of
from galena.experiments import table_flows
from galena.experiments.access import experiment_for, run_for
from galena.experiments.models import Run, Stream, TypedColumn
from galena.experiments.runs.kind import MEASURED
from galena.shell import requested

MOST_ROWS = 500  # that one request gives
KEPT_CHANGES = 12
FURTHEST = 10**12  # a row that no run has


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
        label, act = _act(request, run, post.get("act", ""))
        with history.changing(run.experiment, request.user, label):
            done = act()
        table = _table(request, run)
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    if post.get("act") in {"head", "column", "paste"}:
        return show_table(request, run, took=done if post["act"] == "paste" else "")
    return JsonResponse({"count": table.count, "statistics": table.statistics()})


def _act(request, run: Run, act: str):
    """Give an act's name and what does it."""
    post, person = request.POST, request.user
    row = _row(post, "row")
    if act in {"aside", "back"}:
        return _aside(request, run, act, row)
    if not run.kind.has_cells:
        raise TableError(MEASURED)
    if act == "cell":
        quantity = get_object_or_404(
            run.experiment.quantities, pk=requested.key(post.get("column"))
        )
        label, text = f"{quantity.symbol} in row {row + 1}", post.get("text", "")
        return label, lambda: run.kind.type_cell(run, row, quantity, text, person)
    if not run.kind.is_typed:
        raise TableError(MEASURED)
    if act == "paste":
        table = pasted.pasted(post.get("text", ""))
        # The page counts all columns; only typed ones can be pasted into.
        shown = table_of(run).columns
        first = next((n for n, one in enumerate(shown) if one.key), len(shown))
        place = max(0, _row(post, "place") - first)
        return f"paste {len(table.rows)} rows", lambda: table_flows.paste(
            run, row, place, table, person
        )
    if act == "column":
        return "new column", lambda: table_flows.add_column(run, person)
    if act in {"insert", "remove"}:
        run.kind.refuse_reshaping(run)
        flow = table_flows.insert_row if act == "insert" else table_flows.remove_row
        return f"{act} row {row + 1}", lambda: flow(run, row, person)
    column = get_object_or_404(
        TypedColumn.objects.select_related("quantity__experiment", "run__experiment"),
        run=run, quantity=requested.key(post.get("column")), replaced_at=None,
    )  # fmt: skip
    symbol = column.quantity.symbol
    if act == "head":
        return f"head of {symbol}", lambda: table_flows.set_head(
            column.quantity, post.get("text", "")
        )
    if act == "fill":
        count = requested.whole(post.get("count"), "Rows", 1, pasted.MOST_ROWS)
        return f"fill {symbol}", lambda: table_flows.fill(
            column, row, post.get("start", ""), post.get("step", ""), count, person
        )
    raise TableError("This cannot be done with a table.")


def _aside(request, run: Run, act: str, row: int):
    stream = _stream(request, run)
    if act == "back":
        return f"row {row + 1} counts again", lambda: table_flows.take_back(
            run, stream, row, request.user
        )
    last = _row(request.POST, "last", row)
    if last >= table_of(run, stream.pk if stream else None).count:
        raise TableError("There are not so many rows to set aside.")
    reason = request.POST.get("reason", "")
    return f"set row {row + 1} aside", lambda: table_flows.set_aside(
        run, stream, row, last, reason, request.user
    )


def _row(post, name: str, otherwise: int = 0) -> int:
    return requested.whole(post.get(name), "Rows and columns", 0, FURTHEST, otherwise=otherwise)


def _stream(request, run: Run) -> Stream | None:
    key = request.GET.get("stream") or request.POST.get("stream") or ""
    if not run.kind.is_timed:
        return None
    return get_object_or_404(run.streams, pk=requested.key(key)) if key else run.streams.first()


def _table(request, run: Run) -> RunTable:
    stream = _stream(request, run)
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
        "columns": list(zip(table.columns, statistics, strict=True)),
        "statistic_names": (("count", "count"), ("mean", "mean"), ("sd", "standard deviation")),
        "changes": changes.order_by("-pk")[:KEPT_CHANGES] if run.kind.is_typed else (),
    }
    return render(request, "desk/_readings.html", context)
