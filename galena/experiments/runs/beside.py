"""Typed columns that stand beside measured readings, as they are in force."""

from collections.abc import Collection, Iterable
from dataclasses import replace

import numpy as np
from django.db.models import QuerySet
from numpy.typing import NDArray

from galena.core.stretches import StretchedCells, consecutive
from galena.experiments import beside_flows
from galena.experiments.data.readings import Readings
from galena.experiments.data.rows import Column
from galena.experiments.data.uncertainty import ruled, step_of_texts
from galena.experiments.models import Quantity, Run, TypedColumn
from galena.experiments.runs.typed import value_of
from galena.shell.prepared import prepared_objects

Beside = dict[tuple[int, int | None], list[TypedColumn]]  # by run and stream


def beside(runs: Iterable[Run], wanted: Collection[Quantity] | None) -> Beside:
    """Give the typed columns that stand beside readings; one query.

    wanted: the quantities that are asked for; None for all.
    """
    quantities = None if wanted is None else {quantity.pk for quantity in wanted}
    columns: Beside = {}
    for column in prepared_objects("typed columns", _in_force, [run.pk for run in runs]):
        if quantities is None or column.quantity_id in quantities:
            columns.setdefault((column.run_id, column.stream_id), []).append(column)
    return columns


def _in_force(runs) -> QuerySet[TypedColumn]:
    kept = TypedColumn.objects.filter(run__in=runs, replaced_at=None)
    return kept.select_related("quantity").order_by("quantity_id")


def column_of(
    typed: TypedColumn, times: NDArray[np.float64], aside: NDArray[np.bool_] | None
) -> Column:
    """Put a typed column beside readings that were taken at these times, shape (n,)."""
    quantity, count, known = typed.quantity, times.size, typed.known
    values = np.full(count, np.nan)
    for first, last, text in known:
        values[first : last + 1] = value_of(text)
    step = step_of_texts([text for _, _, text in known])
    readings = replace(ruled(Readings(times, values), quantity, step), aside=aside)
    rule = (quantity.u_rule, quantity.u_absolute, quantity.u_relative, quantity.u_calibration)
    version = (typed.pk, count, rule, None if aside is None else aside.tobytes())
    return Column(
        quantity, readings, ("beside", *version), typed.stream_id,
        cells=StretchedCells(known, count), is_editable=True, is_typed=True,
        file_decimals=quantity.decimals,
    )  # fmt: skip


def type_beside(run: Run, row: int, quantity: Quantity, text: str, person) -> bool:
    """Type a cell of a column beside readings; tells whether there is such a column."""
    column = run.typed_columns.filter(quantity=quantity, replaced_at=None)
    found = column.select_related("quantity", "run__experiment").first()
    if found is None:
        return False
    beside_flows.know(found, [(row, row)], text, person)
    return True


def rows_between(
    places: NDArray[np.float64], rows: NDArray[np.intp] | None, lo: float, hi: float
) -> list[tuple[int, int]]:
    """Give the rows whose place lies from lo to hi, as first and last of those in a row.

    places: where the readings lie, shape (n,); rows: which row each is, None for their order.
    """
    inside = np.flatnonzero((places >= lo) & (places <= hi))
    return consecutive((inside if rows is None else rows[inside]).tolist())
