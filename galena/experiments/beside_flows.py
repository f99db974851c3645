"""Typed columns beside measured readings: put there, and values known from a row to a row."""

from collections.abc import Iterable

from django.db import transaction
from django.utils import timezone

from galena.core.errors import TableError
from galena.core.formats.heads import Head, head
from galena.core.formats.pasted import MOST_COLUMNS, cell_text
from galena.core.numbers import decimals_of_text
from galena.core.stretches import overlaid
from galena.experiments.flows import touch
from galena.experiments.models import Quantity, Run, Stream, TypedColumn
from galena.experiments.table_flows import new_quantity

MOST_STRETCHES = 2000


def add_beside(
    run: Run, stream: Stream | None, person, heading: Head | None = None
) -> TypedColumn:  # fmt: skip
    """Put a typed column beside the readings of a run, or of one of its instruments."""
    if run.typed_columns.filter(replaced_at=None).count() >= MOST_COLUMNS:
        raise TableError(f"At most {MOST_COLUMNS} typed columns stand beside a run's readings.")
    quantity = new_quantity(run.experiment, heading or Head("", "", ""))
    return _keep(run, stream, quantity, [], person, "begun")


def know(column: TypedColumn, rows: Iterable[tuple[int, int]], text: str, person) -> None:
    """Have a value hold from a row to a row, for several such pairs; an empty one takes it away.

    Raises NumberError, TableError.
    """
    typed, stretches = cell_text(text), column.known
    pairs = list(rows)
    for first, last in pairs:
        stretches = overlaid(stretches, first, last, typed)
    if len(stretches) > MOST_STRETCHES:
        raise TableError(
            f"A typed column beside readings holds at most {MOST_STRETCHES:,} different values."
        )
    if stretches == column.known:
        return
    first, last = pairs[0][0] + 1, pairs[-1][1] + 1
    where = f"row {first}" if first == last else f"rows {first} to {last}"
    change = f"{where}: {typed or 'empty'}"
    _keep(column.run, column.stream, column.quantity, stretches, person, change)


def know_by_head(
    run: Run, stream: Stream | None, named: str, rows: list[tuple[int, int]], text: str, person
) -> None:
    """Have a value hold in the column of that head or symbol; one that is missing is put there.

    Raises NumberError, TableError, UnitError.
    """
    heading = head(named)
    symbol = heading.symbol or heading.name
    if not symbol:
        raise TableError("Say what is known here: a symbol, or a name with its unit: load F / N.")
    cell_text(text)
    quantity = run.experiment.quantities.filter(symbol=symbol).first()
    with transaction.atomic():
        if quantity is None:
            column = add_beside(run, stream, person, heading)
        else:
            _refuse_measured(quantity)
            kept = run.typed_columns.filter(quantity=quantity, replaced_at=None)
            column = kept.select_related("quantity__experiment", "run__experiment").first()
            column = column or _keep(run, stream, quantity, [], person, "begun")
        know(column, rows, text, person)


def _refuse_measured(quantity: Quantity) -> None:
    if quantity.kind != Quantity.Kind.ENTERED:
        raise TableError(f"{quantity.symbol} is measured or worked out. Choose another symbol.")


def _keep(
    run: Run, stream: Stream | None, quantity: Quantity, stretches: list, person, change: str
) -> TypedColumn:
    """Put a column in force; the one before is kept."""
    decimals = max((decimals_of_text(text) for _, _, text in stretches), default=None)
    now = timezone.now()
    with transaction.atomic():
        run.typed_columns.filter(quantity=quantity, replaced_at=None).update(replaced_at=now)
        column = run.typed_columns.create(
            quantity=quantity, stream=stream, stretches=stretches, change=change[:120],
            made_at=now, made_by=person,
        )  # fmt: skip
        if decimals is not None and decimals != quantity.decimals:
            Quantity.objects.filter(pk=quantity.pk).update(decimals=decimals)
        touch(run.experiment)
    return column
