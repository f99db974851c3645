"""Runs that were taken in from a file: readings at times, or the rows of a long table.

They are stored as measured readings are. `Run.details` has the name of the file they came from.
"""

from collections.abc import Collection, Iterator

import numpy as np

from galena.core.errors import TableError
from galena.core.second_look import Remark
from galena.experiments.data.exclusions import mask
from galena.experiments.data.readings import Readings, of_series
from galena.experiments.data.rows import Block, Column
from galena.experiments.data.uncertainty import ruled, step_of
from galena.experiments.models import Quantity, Run, Series
from galena.experiments.runs.kind import MEASURED, LeftOut, RunKind
from galena.experiments.runs.timed import Timed

AT_TIMES, AS_ROWS = "taken", "taken-rows"  # the keys of the kinds


class TakenIn(Timed):
    """Readings at times, from a file."""

    key = AT_TIMES
    word = "taken in"
    is_recorded = False

    def planned(self, run: Run) -> str:
        return _from_file(run)

    def interval(self, run: Run) -> float | None:
        return 1 / run.rate if run.rate else None

    def remarks(self, run: Run) -> Iterator[Remark | None]:
        return iter(())


class TakenRows(RunKind):
    """The rows of a table that nobody knows times of, too long to be typed over."""

    key = AS_ROWS
    word = "taken in"

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        stored = Series.objects.filter(stream__run__in=runs).exclude(quantity=None)
        if wanted is not None:
            stored = stored.filter(quantity__in=[quantity.pk for quantity in wanted])
        measured = list(stored.select_related("quantity", "stream__run").order_by("pk"))
        by_run: dict[int, list[tuple[Series, Readings]]] = {run.pk: [] for run in runs}
        for series, readings in zip(measured, of_series(measured), strict=True):
            by_run[series.stream.run_id].append((series, readings))
        by_key = {run.pk: run for run in runs}
        return {
            key: [_block(by_key[key], of_run, left_out.get((key, None), ()))]
            for key, of_run in by_run.items() if of_run
        }  # fmt: skip

    def planned(self, run: Run) -> str:
        return _from_file(run)

    def counts(self, runs: list[Run]) -> dict[int, int]:
        return TAKEN_IN.counts(runs)

    def type_cell(self, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
        raise TableError(MEASURED)


def _block(run: Run, of_run: list[tuple[Series, Readings]], stretches) -> Block:
    count = max(len(readings) for _, readings in of_run)
    aside = mask(stretches, count) if stretches else None
    nowhen = np.full(count, np.nan)
    columns = {}
    for series, readings in of_run:
        quantity = series.quantity
        rule = (quantity.u_rule, quantity.u_absolute, quantity.u_relative, quantity.u_calibration)
        version = (series.pk, series.correction, len(readings), stretches, rule)
        rows = ruled(Readings(nowhen, readings.y, aside=aside), quantity, step_of(series))
        columns[quantity.pk] = Column(
            quantity, rows, version, file_decimals=quantity.decimals
        )  # fmt: skip
    return Block(run, count, columns, None, False, aside)


def _from_file(run: Run) -> str:
    return f"taken in from “{run.details.get('file', 'a file')}”"


TAKEN_IN = TakenIn()
