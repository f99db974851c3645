"""Typed tables: columns that were typed or pasted, as they are in force."""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import NumberError
from galena.experiments.data.readings import Readings
from galena.experiments.models import Quantity, Run, TypedColumn


class WorkedOut(Protocol):
    """A column of numbers that a table gets from elsewhere: a value a row, the
    uncertainty of each by itself, and what all of them share."""

    quantity: Quantity
    values: NDArray[np.float64]
    u: NDArray[np.float64] | None
    shared: NDArray[np.float64] | None


class Rows(Protocol):
    """Columns that a table gets from elsewhere, and a name for each row."""

    columns: list[WorkedOut]
    names: list[str]


# Set by what harvests findings; this layer does not know them.
_harvested: list[Callable[[list[Run]], Mapping[int, Rows]]] = []


def harvested_by(tables: Callable[[list[Run]], Mapping[int, Rows]]) -> None:
    """Name what gives the harvested columns of runs, by the run's key."""
    _harvested[:] = [tables]


@dataclass(frozen=True)
class TypedTable:
    """The columns of a typed run in the order they were made, all as long as the longest.

    `harvested` are those that were not typed; they come first.
    """

    run: Run
    columns: dict[int, TypedColumn]
    harvested: dict[int, WorkedOut] = field(default_factory=dict)
    names: tuple[str, ...] = ()

    @property
    def quantities(self) -> list[Quantity]:
        typed = [column.quantity for column in self.columns.values()]
        return [*(one.quantity for one in self.harvested.values()), *typed]

    @property
    def count(self) -> int:
        """How many rows the longest column has."""
        sizes = [one.values.size for one in self.harvested.values()]
        return max([*sizes, *(len(values_of(one)) for one in self.columns.values())], default=0)

    def texts(self, quantity: Quantity) -> list[str]:
        """Give a column as it is written."""
        if quantity.pk not in self.harvested:
            return self.columns[quantity.pk].cells
        values = self.harvested[quantity.pk].values
        return [numbers.fixed(value, quantity.decimals) for value in values if value == value]

    def values(self, quantity: Quantity) -> NDArray[np.float64]:
        """Give a column, shape (count,), with NaN for empty cells."""
        if quantity.pk in self.harvested:
            known = self.harvested[quantity.pk].values
        else:
            known = values_of(self.columns[quantity.pk])
        rest = np.full(self.count - known.size, math.nan)
        return np.concatenate((known, rest)) if rest.size else known

    def readings(self, quantity: Quantity) -> Readings:
        """Give a column as readings; nobody knows when each was made."""
        u = shared = None
        if quantity.pk in self.harvested:
            column = self.harvested[quantity.pk]
            u, shared = self._as_long(column.u), self._as_long(column.shared)
        return Readings(np.full(self.count, math.nan), self.values(quantity), shared, u)

    def _as_long(self, part: NDArray[np.float64] | None) -> NDArray[np.float64] | None:
        return None if part is None else np.pad(part, (0, self.count - part.size))


def typed_tables(runs: Iterable[Run], *, harvests: bool = True) -> dict[int, TypedTable]:
    """Give the tables of typed runs, by the run's key; one query.

    Without harvests, what was harvested into them is left out: it takes longer.
    """
    by_key = {run.pk: run for run in runs if run.is_typed}
    if not by_key:
        return {}
    found: dict[int, dict[int, TypedColumn]] = {key: {} for key in by_key}
    kept = TypedColumn.objects.filter(run__in=by_key, replaced_at=None)
    for column in kept.select_related("quantity").order_by("quantity_id"):
        found[column.run_id][column.quantity_id] = column
    rows: dict[int, Rows] = {}
    if harvests and any(run.plan == Run.Plan.HARVEST for run in by_key.values()):
        for tables in _harvested:
            rows |= tables(list(by_key.values()))
    return {key: _table(run, found[key], rows.get(key)) for key, run in by_key.items()}


def _table(run: Run, columns: dict[int, TypedColumn], rows: Rows | None) -> TypedTable:
    if rows is None:
        return TypedTable(run, columns)
    by_quantity = {one.quantity.pk: one for one in rows.columns}
    return TypedTable(run, columns, by_quantity, tuple(rows.names))


def values_of(column: TypedColumn) -> NDArray[np.float64]:
    """Give the numbers of a column, NaN for empty cells."""
    return _values(column.pk, column.texts)


@lru_cache(maxsize=128)
def _values(key: int, texts: str) -> NDArray[np.float64]:
    return np.array([value_of(cell) for cell in texts.split("\n")] if texts else [], dtype=float)


def forget() -> None:
    """Throw away all that is in memory."""
    _values.cache_clear()


def value_of(text: str) -> float:
    """Give the number of a cell, NaN for an empty one or one that is no number."""
    try:
        return numbers.parse(text) if text else math.nan
    except NumberError:
        return math.nan
