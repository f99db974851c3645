"""A run's readings as a table: columns, rows as text, what was set aside, and statistics."""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import FormulaError, TooFewReadings
from galena.core.statistics import describe
from galena.core.units import shown
from galena.desk.sheets import x_places
from galena.experiments import columns
from galena.experiments.columns import RunColumns
from galena.experiments.data.rows import Block
from galena.experiments.data.rows import Column as RunColumn
from galena.experiments.models import Run, Stream


@dataclass(frozen=True)
class Column:
    """One column. `cells` are given for typed ones, as typed; else values to be written.

    `key` is what changes it: the quantity of a typed column, 0 where nothing may be typed;
    `is_named` tells whether its head may be typed, too.
    """

    name: str
    symbol: str
    unit: str
    decimals: int
    values: NDArray[np.float64]
    u: NDArray[np.float64] | None = None
    cells: Sequence[str] | None = None
    key: int = 0
    is_named: bool = False

    def text(self, row: int) -> str:
        """Write a cell as it is read."""
        if self.cells is not None:
            return self.cells[row] if row < len(self.cells) else ""
        if row >= self.values.size:
            return ""
        value = float(self.values[row])
        if self.u is not None and self.u[row] > 0:
            return numbers.estimate(value, float(self.u[row]))
        return numbers.fixed(value, self.decimals)

    @property
    def head(self) -> str:
        """The head as it would be typed."""
        named = f"{self.name} {self.symbol}" if self.name != self.symbol else self.symbol
        return f"{named} / {self.unit}" if self.unit else named


@dataclass(frozen=True)
class RunTable:
    """The table of a run, or of one of its instruments: `stream` is None where there is none."""

    run: Run
    columns: tuple[Column, ...]
    count: int
    aside: NDArray[np.bool_] | None = None
    stream: Stream | None = None
    streams: tuple[Stream, ...] = ()

    @property
    def typed(self) -> list[Column]:
        """The columns that were typed as a whole."""
        return [column for column in self.columns if column.is_named]

    def rows(self, first: int, count: int) -> list[list[str]]:
        """Write some rows."""
        last = min(self.count, first + count)
        return [[column.text(row) for column in self.columns] for row in range(first, last)]

    def statistics(self) -> list[dict[str, str]]:
        """Say of each column how many readings count, their mean and standard deviation."""
        return [self._statistics(column) for column in self.columns]

    def _statistics(self, column: Column) -> dict[str, str]:
        values = column.values
        if self.aside is not None:
            values = values[~self.aside[: values.size]]
        try:
            described = describe(values)
        except TooFewReadings:
            return {"count": "0", "mean": "–", "sd": "–"}
        sd = "–" if math.isnan(described.sd) else numbers.significant(described.sd)
        mean = numbers.fixed(described.mean, column.decimals + 1)
        return {"count": numbers.grouped(described.count), "mean": mean, "sd": sd}


def table_of(run: Run, stream: int | None = None) -> RunTable:
    """Give the table of a run, of a certain instrument's stream if one is named."""
    of_run = columns.of_run(run)
    blocks = of_run.blocks
    if not blocks:
        return RunTable(run, (), 0)
    block = next((one for one in blocks if one.key == stream), blocks[0])
    streams = tuple(one.stream for one in blocks if one.stream is not None)
    listed = (*_sources(block), *_times(block), *_own(block), *_by_formula(of_run, block))
    return RunTable(run, listed, block.count, block.aside, block.stream, streams)


def _sources(block: Block) -> Iterator[Column]:
    """Give what each row was taken from, where rows are of something."""
    if block.names:
        yield Column("from", "", "", 0, np.empty(0), cells=block.names)


def _times(block: Block) -> Iterator[Column]:
    if block.in_time and block.times is not None:
        yield Column("time", "t", "s", x_places.time_decimals(block.run), block.times)


def _own(block: Block) -> Iterator[Column]:
    for column in block.columns.values():
        yield _column(column)


def _by_formula(of_run: RunColumns, block: Block) -> Iterator[Column]:
    """Give what formulas make of a table, those that can be worked out for it."""
    for quantity in of_run.run.experiment.derived:
        try:
            column = of_run.column(quantity)
        except FormulaError:
            continue
        if column is not None and column.stream == block.key:
            yield _column(column)


def _column(column: RunColumn) -> Column:
    quantity, y = column.quantity, column.readings.y
    unit = quantity.unit if column.is_editable else shown(quantity.unit)
    key = quantity.pk if column.is_editable else 0
    return Column(quantity.name, quantity.symbol, unit, quantity.decimals, y, column.u_shown,
                  column.cells, key, column.is_typed)  # fmt: skip
