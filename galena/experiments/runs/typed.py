"""Typed tables: columns that were typed or pasted, as they are in force."""

import math
from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import NumberError, TableError
from galena.experiments import table_flows
from galena.experiments.data.cache import Cache
from galena.experiments.data.exclusions import mask
from galena.experiments.data.readings import Readings
from galena.experiments.data.rows import Block, Column
from galena.experiments.data.uncertainty import ruled, step_of_texts
from galena.experiments.models import Quantity, Run, TypedColumn
from galena.experiments.runs.kind import LeftOut, RunKind

ROOM = 50_000_000  # bytes of typed columns

_numbers: Cache[NDArray[np.float64]] = Cache(ROOM)


@dataclass(frozen=True)
class WorkedOut:
    """A column of a table that was not typed: a value a row, the uncertainty of each by itself,
    and the error that all of them share."""

    quantity: Quantity
    values: NDArray[np.float64]
    u: NDArray[np.float64] | None
    shared: NDArray[np.float64] | None


class Typed(RunKind):
    """A table that was typed: one block, a column for each typed one."""

    key: str = Run.Plan.TYPED
    word = "typed"
    has_cells = True
    is_typed = True

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        by_run = columns_of(runs)
        return {
            run.pk: [block(run, by_run[run.pk], left_out.get((run.pk, None), ()))] for run in runs
        }

    def planned(self, run: Run) -> str:
        return "typed by hand"

    def counts(self, runs: list[Run]) -> dict[int, int]:
        return {
            key: max((values_of(column).size for column in columns), default=0)
            for key, columns in columns_of(runs).items()
        }

    def type_cell(self, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
        column = run.typed_columns.filter(quantity=quantity, replaced_at=None)
        column = column.select_related("quantity__experiment", "run__experiment").first()
        if column is None:
            raise TableError("There is no such column any more.")
        table_flows.set_cell(column, row, text, person)


def columns_of(runs: Iterable[Run]) -> dict[int, list[TypedColumn]]:
    """Give the typed columns in force, by the run's key; one query."""
    columns: dict[int, list[TypedColumn]] = {run.pk: [] for run in runs}
    kept = TypedColumn.objects.filter(run__in=columns, replaced_at=None)
    for column in kept.select_related("quantity").order_by("quantity_id"):
        columns[column.run_id].append(column)
    return columns


def block(
    run: Run, typed: list[TypedColumn], stretches, worked: Iterable[WorkedOut] = (),
    names: tuple[str, ...] = (), *, shares_in_places: bool = False,
) -> Block:  # fmt: skip
    """Put typed columns beside those that were worked out, which come first; all as long as the
    longest. Nobody knows when a row was made."""
    worked = list(worked)
    values = {column.quantity.pk: values_of(column) for column in typed}
    sizes = [column.values.size for column in worked] + [one.size for one in values.values()]
    count = max(sizes, default=0)
    aside = mask(stretches, count)
    columns = {}
    for column in worked:
        quantity = column.quantity
        texts = [numbers.fixed(value, quantity.decimals) for value in column.values
                 if value == value]  # fmt: skip
        u = _padded(column.u, count, 0.0)
        readings = _readings(column.values, count, u, _padded(column.shared, count, 0.0))
        columns[quantity.pk] = _column(quantity, readings, texts, aside)
    for column in typed:
        readings = _readings(values[column.quantity.pk], count)
        typed_column = _column(column.quantity, readings, column.cells, aside)
        columns[column.quantity.pk] = replace(
            typed_column, cells=tuple(column.cells), is_editable=True, is_typed=True
        )
    return Block(run, count, columns, None, False, aside, names=names,
                 shares_in_places=shares_in_places)  # fmt: skip


def _readings(
    values: NDArray[np.float64], count: int, u: NDArray[np.float64] | None = None,
    shared: NDArray[np.float64] | None = None,
) -> Readings:  # fmt: skip
    whole = _padded(values, count, math.nan)
    return Readings(np.full(count, math.nan), whole, shared, u)


def _padded(
    part: NDArray[np.float64] | None, count: int, fill: float
) -> NDArray[np.float64] | None:
    return None if part is None else np.pad(part, (0, count - part.size), constant_values=fill)


def _column(quantity: Quantity, readings: Readings, texts: list[str], aside) -> Column:
    ruled_readings = replace(ruled(readings, quantity, step_of_texts(texts)), aside=aside)
    parts = (ruled_readings.y, ruled_readings.shared, ruled_readings.u, ruled_readings.aside)
    version = (quantity.pk, *(part.tobytes() for part in parts if part is not None))
    return Column(
        quantity, ruled_readings, version, u_shown=readings.u, file_decimals=quantity.decimals
    )  # fmt: skip


def values_of(column: TypedColumn) -> NDArray[np.float64]:
    """Give the numbers of a column, NaN for empty cells."""
    values = _numbers.get(column.pk)
    if values is None:
        cells = column.texts.split("\n") if column.texts else []
        values = np.array([value_of(cell) for cell in cells], dtype=float)
        _numbers.put(column.pk, values, values.nbytes)
    return values


def value_of(text: str) -> float:
    """Give the number of a cell, NaN for an empty one or one that is no number."""
    try:
        return numbers.parse(text) if text else math.nan
    except NumberError:
        return math.nan
