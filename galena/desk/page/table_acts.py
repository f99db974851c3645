"""What can be done with a table in the drawer, each act stated once."""

from collections.abc import Callable, Mapping

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from galena.core.errors import TableError
from galena.core.formats import pasted
from galena.desk.page.forms import Fill
from galena.desk.tables.table import table_of
from galena.experiments import beside_flows, table_flows
from galena.experiments.models import Run, Stream, TypedColumn
from galena.experiments.runs.kind import MEASURED
from galena.shell import fields, requested

FURTHEST = 10**12  # a row that no run has

Act = tuple[str, Callable[[], object]]  # its name in the history, and what does it


def act_of(request: HttpRequest, run: Run) -> Act:
    """Give what is to be done, from what was pressed and typed. Raises TableError."""
    name = request.POST.get("act", "")
    if name not in ACTS:
        raise TableError("This cannot be done with a table.")
    may_be_done, act = ACTS[name]
    if not may_be_done(run):
        raise TableError(MEASURED)
    return act(request, run)


def stream_of(request: HttpRequest, run: Run) -> Stream | None:
    """Give the stream whose rows are shown; none where a run has no streams of rows."""
    key = request.GET.get("stream") or request.POST.get("stream") or ""
    if not run.kind.is_timed:
        return None
    return get_object_or_404(run.streams, pk=requested.key(key)) if key else run.streams.first()


def _place(request: HttpRequest, name: str, otherwise: int = 0) -> int:
    """Give the row or column that an act is at, counted from 0."""
    text = request.POST.get(name)
    return requested.whole(text, "Rows and columns", 0, FURTHEST, otherwise=otherwise)


def _set_aside(request: HttpRequest, run: Run) -> Act:
    stream, row = stream_of(request, run), _place(request, "row")
    last = _place(request, "last", row)
    if last >= table_of(run, stream.pk if stream else None).count:
        raise TableError("There are not so many rows to set aside.")
    reason = request.POST.get("reason", "")
    return f"set row {row + 1} aside", lambda: table_flows.set_aside(
        run, stream, row, last, reason, request.user
    )


def _count_again(request: HttpRequest, run: Run) -> Act:
    stream, row = stream_of(request, run), _place(request, "row")
    return f"row {row + 1} counts again", lambda: table_flows.take_back(
        run, stream, row, request.user
    )


def _type_cell(request: HttpRequest, run: Run) -> Act:
    row, key = _place(request, "row"), requested.key(request.POST.get("column"))
    quantity = get_object_or_404(run.experiment.quantities, pk=key)
    text = request.POST.get("text", "")
    return f"{quantity.symbol} in row {row + 1}", lambda: run.kind.type_cell(
        run, row, quantity, text, request.user
    )


def _paste(request: HttpRequest, run: Run) -> Act:
    table, row = pasted.pasted(request.POST.get("text", "")), _place(request, "row")
    # The page counts all columns; only typed ones can be pasted into.
    columns = table_of(run).columns
    first_typed = next((n for n, column in enumerate(columns) if column.key), len(columns))
    place = max(0, _place(request, "place") - first_typed)
    return f"paste {len(table.rows)} rows", lambda: table_flows.paste(
        run, row, place, table, request.user
    )


def _add_column(request: HttpRequest, run: Run) -> Act:
    if run.kind.takes_columns:
        stream = stream_of(request, run)
        return "new column", lambda: beside_flows.add_beside(run, stream, request.user)
    return "new column", lambda: table_flows.add_column(run, request.user)


def _know(request: HttpRequest, run: Run) -> Act:
    column, row, text = _column(request, run), _place(request, "row"), request.POST.get("text", "")
    last = _place(request, "last", row)
    if not row <= last < table_of(run, column.stream_id).count:
        raise TableError("There are not so many rows. The last one comes after the first.")
    return f"{column.quantity.symbol} from row {row + 1} on", lambda: beside_flows.know(
        column, [(row, last)], text, request.user
    )


def _insert(request: HttpRequest, run: Run) -> Act:
    row = _place(request, "row")
    run.kind.refuse_reshaping(run)
    return f"insert row {row + 1}", lambda: table_flows.insert_row(run, row, request.user)


def _remove(request: HttpRequest, run: Run) -> Act:
    row = _place(request, "row")
    run.kind.refuse_reshaping(run)
    return f"remove row {row + 1}", lambda: table_flows.remove_row(run, row, request.user)


def _column(request: HttpRequest, run: Run) -> TypedColumn:
    columns = TypedColumn.objects.select_related("quantity__experiment", "run__experiment")
    key = requested.key(request.POST.get("column"))
    kept = columns.filter(run=run, quantity=key, replaced_at=None)
    if run.kind.takes_columns and not kept.exists():
        raise TableError(MEASURED)
    return get_object_or_404(kept)


def _name_column(request: HttpRequest, run: Run) -> Act:
    quantity, text = _column(request, run).quantity, request.POST.get("text", "")
    return f"head of {quantity.symbol}", lambda: table_flows.set_head(quantity, text)


def _fill(request: HttpRequest, run: Run) -> Act:
    column, row = _column(request, run), _place(request, "row")
    typed = fields.read(Fill, request.POST)
    return f"fill {column.quantity.symbol}", lambda: table_flows.fill(
        column, row, typed["start"], typed["step"], typed["count"], request.user
    )


def _of_any_run(run: Run) -> bool:
    return True


def _with_cells(run: Run) -> bool:
    return run.kind.has_cells or run.kind.takes_columns


def _with_columns(run: Run) -> bool:
    return run.kind.is_typed or run.kind.takes_columns


def _beside_readings(run: Run) -> bool:
    return run.kind.takes_columns


def _typed(run: Run) -> bool:
    return run.kind.is_typed


ACTS: Mapping[str, tuple[Callable[[Run], bool], Callable[[HttpRequest, Run], Act]]] = {
    "aside": (_of_any_run, _set_aside),
    "back": (_of_any_run, _count_again),
    "cell": (_with_cells, _type_cell),
    "paste": (_typed, _paste),
    "column": (_with_columns, _add_column),
    "known": (_beside_readings, _know),
    "insert": (_typed, _insert),
    "remove": (_typed, _remove),
    "head": (_with_columns, _name_column),
    "fill": (_typed, _fill),
}
