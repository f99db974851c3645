"""Typed tables: columns that were typed or pasted, as they are in force."""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import NumberError
from galena.experiments.models import Quantity, Run, TypedColumn
from galena.experiments.readings import Readings


@dataclass(frozen=True)
class TypedTable:
    """The columns of a typed run in the order they were made, all as long as the longest."""

    run: Run
    columns: dict[int, TypedColumn]

    @property
    def quantities(self) -> list[Quantity]:
        return [column.quantity for column in self.columns.values()]

    @property
    def count(self) -> int:
        """How many rows the longest column has."""
        return max((len(values_of(one)) for one in self.columns.values()), default=0)

    def values(self, quantity: Quantity) -> NDArray[np.float64]:
        """Give a column, shape (count,), with NaN for empty cells."""
        known = values_of(self.columns[quantity.pk])
        rest = np.full(self.count - known.size, math.nan)
        return np.concatenate((known, rest)) if rest.size else known

    def readings(self, quantity: Quantity) -> Readings:
        """Give a column as readings; nobody knows when each was made."""
        return Readings(np.full(self.count, math.nan), self.values(quantity))


def typed_tables(runs: Iterable[Run]) -> dict[int, TypedTable]:
    """Give the tables of typed runs, by the run's key; one query."""
    by_key = {run.pk: run for run in runs if run.is_typed}
    if not by_key:
        return {}
    found: dict[int, dict[int, TypedColumn]] = {key: {} for key in by_key}
    kept = TypedColumn.objects.filter(run__in=by_key, replaced_at=None)
    for column in kept.select_related("quantity").order_by("quantity_id"):
        found[column.run_id][column.quantity_id] = column
    return {key: TypedTable(run, found[key]) for key, run in by_key.items()}


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
