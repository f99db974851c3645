"""A run's readings as a table: columns, rows as text, what was set aside, and statistics."""

import math
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import FormulaError, TooFewReadings
from galena.core.statistics import describe
from galena.core.units import shown
from galena.desk.sheets import x_places
from galena.experiments.columns import column, over
from galena.experiments.data.exclusions import asides, mask
from galena.experiments.data.readings import Readings, of_series
from galena.experiments.formulas.derivation import Derivation
from galena.experiments.models import Quantity, Run, Series, Stream, TypedColumn
from galena.experiments.runs.stepwise import Table as Stepwise
from galena.experiments.runs.stepwise import tables
from galena.experiments.runs.typed import TypedTable, typed_tables


@dataclass(frozen=True)
class Column:
    """One column. `cells` are given for typed ones, as typed; else values to be written.

    `key` is what changes it: the quantity of a typed column, 0 where nothing may be typed.
    """

    name: str
    symbol: str
    unit: str
    decimals: int
    values: NDArray[np.float64]
    u: NDArray[np.float64] | None = None
    cells: tuple[str, ...] | None = None
    key: int = 0

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
    stream: Stream | None = None
    streams: tuple[Stream, ...] = ()

    @property
    def is_typed(self) -> bool:
        return self.run.is_typed

    @property
    def aside(self) -> NDArray[np.bool_] | None:
        """Which rows were set aside."""
        key = (self.run.pk, self.stream.pk if self.stream else None)
        return mask(asides([self.run]).get(key, ()), self.count)

    def rows(self, first: int, count: int) -> list[list[str]]:
        """Write some rows."""
        last = min(self.count, first + count)
        return [[column.text(row) for column in self.columns] for row in range(first, last)]

    def statistics(self) -> list[dict[str, str]]:
        """Say of each column how many readings count, their mean and standard deviation."""
        aside = self.aside
        return [self._statistics(column, aside) for column in self.columns]

    @staticmethod
    def _statistics(column: Column, aside: NDArray[np.bool_] | None) -> dict[str, str]:
        values = column.values
        if aside is not None:
            values = values[~aside[: values.size]]
        try:
            found = describe(values)
        except TooFewReadings:
            return {"count": "0", "mean": "–", "sd": "–"}
        sd = "–" if math.isnan(found.sd) else numbers.significant(found.sd)
        mean = numbers.fixed(found.mean, column.decimals + 1)
        return {"count": numbers.grouped(found.count), "mean": mean, "sd": sd}


def table_of(run: Run, stream: int | None = None) -> RunTable:
    """Give the table of a run, of a certain instrument's stream if one is named."""
    if run.is_typed:
        return _typed(run, typed_tables([run])[run.pk])
    if run.is_stepwise:
        return _stepwise(run, tables([run])[run.pk])
    return _timed(run, stream)


def _typed(run: Run, table: TypedTable) -> RunTable:
    taken = [_column(one.quantity, table.values(one.quantity), u=table.readings(one.quantity).u)
             for one in table.harvested.values()]  # fmt: skip
    columns = [_typed_column(one, table) for one in table.columns.values()]
    made = (*_sources(table), *taken, *columns, *_by_formula(run, table))
    return RunTable(run, made, table.count)


def _sources(table: TypedTable) -> Iterator[Column]:
    """Give what each row of a harvest was taken from."""
    if table.names:
        yield Column("from", "", "", 0, np.empty(0), cells=table.names)


def _by_formula(run: Run, table: TypedTable | Stepwise) -> Iterator[Column]:
    """Give what formulas make of a table, those that can be worked out for it."""
    derived = list(run.experiment.derived)
    if not derived:
        return
    derivation = Derivation(run.experiment, [run])
    stretches = asides([run]).get((run.pk, None), ())
    for quantity in derived:
        try:
            read = column(table, quantity, stretches, derivation)
        except FormulaError:
            continue
        if read is not None:
            yield _column(quantity, read.y, u=read.combined)


def _typed_column(column: TypedColumn, table: TypedTable) -> Column:
    quantity = column.quantity
    values = table.values(quantity)
    return _column(quantity, values, cells=tuple(column.cells), key=quantity.pk)


def _stepwise(run: Run, table: Stepwise) -> RunTable:
    entered = [_entered(one, table) for one in table.entered]
    measured = [_measured(one, table.readings(one)) for one in table.measured]
    return RunTable(run, (*entered, *measured, *_by_formula(run, table)), len(table.rows))


def _entered(quantity: Quantity, table: Stepwise) -> Column:
    entries = [row.entries.get(quantity.pk) for row in table.rows]
    cells = tuple(entry.text if entry else "" for entry in entries)
    return _column(quantity, table.readings(quantity).y, cells=cells, key=quantity.pk)


def _timed(run: Run, stream: int | None) -> RunTable:
    measured = Series.objects.filter(stream__run=run).exclude(quantity=None)
    measured = list(measured.select_related("quantity", "stream__run"))
    streams = tuple(dict.fromkeys(one.stream for one in measured))
    if not streams:
        return RunTable(run, (), 0)
    chosen = next((one for one in streams if one.pk == stream), streams[0])
    of_it = [one for one in measured if one.stream_id == chosen.pk]
    found = of_series(of_it)
    decimals = x_places.time_decimals(run)
    times = Column("time", "t", "s", decimals, found[0].t)
    columns = [_measured(one.quantity, read) for one, read in zip(of_it, found, strict=True)]
    count = max(len(read) for read in found)
    derived = over(None, [(run, one) for one in run.experiment.derived])
    for quantity in run.experiment.derived:
        made = derived.get((run.pk, quantity.pk))
        if made is not None and made.stream == chosen.pk:
            columns.append(_column(quantity, made.readings.y, u=made.readings.combined))
    return RunTable(run, (times, *columns), count, chosen, streams)


def _measured(quantity: Quantity, read: Readings) -> Column:
    return _column(quantity, read.y, u=read.u)


def _column(quantity: Quantity, values: NDArray[np.float64], **more) -> Column:
    unit = quantity.unit if more.get("key") else shown(quantity.unit)
    return Column(quantity.name, quantity.symbol, unit, quantity.decimals, values, **more)
