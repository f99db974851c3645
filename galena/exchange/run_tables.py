"""The tables of runs in the experiment file: a CSV each, described as a data resource.

Short runs have all columns, also those that formulas give. Of long ones what was measured is
written stretch by stretch, so that no run needs much memory.
"""

import csv
import io
from collections.abc import Iterator
from itertools import chain
from typing import Any

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import GalenaError
from galena.core.formats import comma_separated
from galena.core.formats.sheets import Column, Sheet
from galena.core.series import STAMPS, VALUES
from galena.exchange.packing import Packing
from galena.exchange.run_file import columns_of, head_of, heading, time_form
from galena.experiments.data.readings import seconds
from galena.experiments.models import Experiment, Run, Series, Stream

SHORT = 20_000  # readings of a run whose columns are all worked out
AT_ONCE = 20_000  # rows
_SIZE = 25  # bytes of a number, about


def write_all(experiment: Experiment, package: Packing) -> None:
    """Write a table for each run that is not removed; what cannot be read is told."""
    for run in experiment.runs.kept().order_by("number"):
        count = run.kind.counts([run]).get(run.pk, 0)
        try:
            tables = _long(run) if count > SHORT else iter([columns_of(run)])
            _write(run, next(tables, []), tables, count, package)
        except GalenaError as error:
            package.told.append(f"Run {run.number} has no table: {error}")


def _write(
    run: Run, first: list[Column], rest: Iterator[list[Column]], count: int, package: Packing
) -> None:
    names = _unique([column.heading for column in first])
    path = f"runs/run-{run.number}.csv"
    with package.file(path, count * (len(names) or 1) * _SIZE) as file:
        line = io.StringIO(newline="")
        csv.writer(line).writerow([comma_separated.harmless(name) for name in names])
        file.write(line.getvalue().encode())
        for columns in chain([first], rest):
            for piece in comma_separated.rows_of(Sheet("", (), tuple(columns))):
                file.write(piece.replace(b"nan", b"NaN"))  # as Table Schema has it
    if names:
        package.resources.append(_resource(run, path, names, file.size, file.checksum))


def _resource(run: Run, path: str, names: list[str], size: int, checksum: str) -> dict[str, Any]:
    fields = [{"name": comma_separated.harmless(name), "type": "number"} for name in names]
    conditions = [
        {"name": held.condition.name, "symbol": held.condition.symbol,
         "unit": held.condition.unit, "value": held.text}
        for held in run.condition_values.select_related("condition") if held.text
    ]  # fmt: skip
    return {
        "name": f"run-{run.number}", "path": path, "profile": "tabular-data-resource",
        "title": f"Run {run.number}", "description": "\n".join(head_of(run)),
        "format": "csv", "mediatype": "text/csv", "encoding": "utf-8",
        "bytes": size, "hash": f"sha256:{checksum}",
        "schema": {"fields": fields, "missingValues": [""]},
        "conditions": conditions,
    }  # fmt: skip


def _unique(names: list[str]) -> list[str]:
    """Tell headings apart that are the same."""
    told: list[str] = []
    for name in names:
        number, now = 1, name
        while now in told:
            number += 1
            now = f"{name} ({number})"
        told.append(now)
    return told


class _Row:
    """The numbers of a series, so many at a time."""

    def __init__(self, series: Series, dtype: np.dtype) -> None:
        self._chunks = series.stored.iterator(20)
        self._dtype = dtype
        self._waiting: NDArray[Any] = np.empty(0, dtype)

    def take(self, count: int) -> NDArray[Any]:
        """Give the next numbers, fewer at the end."""
        parts, size = [self._waiting], self._waiting.size
        while size < count and (chunk := next(self._chunks, None)) is not None:
            data = bytes(chunk.data)
            parts.append(np.frombuffer(data[: len(data) // 8 * 8], self._dtype))
            size += parts[-1].size
        joined = np.concatenate(parts)
        self._waiting = joined[count:]
        return joined[:count]


def _long(run: Run) -> Iterator[list[Column]]:
    """Give what was measured in a long run, stretch by stretch."""
    streams = list(run.streams.order_by("pk"))
    parts = [_stretches(stream, len(streams) > 1) for stream in streams]
    nothing: list[list[Column]] = [[] for _ in parts]
    while True:
        stretches = [next(part, None) for part in parts]
        for place, stretch in enumerate(stretches):
            if stretch is not None:
                nothing[place] = [_ended(column) for column in stretch]
        if all(stretch is None for stretch in stretches):
            return
        both = zip(stretches, nothing, strict=True)
        yield [column for stretch, ended in both
               for column in (ended if stretch is None else stretch)]  # fmt: skip


def _ended(column: Column) -> Column:
    return Column(column.heading, np.empty(0), column.form)


def _stretches(stream: Stream, is_one_of_several: bool) -> Iterator[list[Column]]:
    whose = f" ({stream})" if is_one_of_several else ""
    stored = stream.series.select_related("quantity", "stream__run").order_by("pk")
    measured = [series for series in stored if series.quantity_id is not None]
    stamps = next((series for series in stored if series.quantity_id is None), None)
    if stamps is None or stream.origin_us is None:
        return
    times, rows = _Row(stamps, STAMPS), [_Row(series, VALUES) for series in measured]
    while (taken := times.take(AT_ONCE)).size:
        t = seconds(taken, stream.origin_us, stream.scale)
        columns = [Column(f"t / s{whose}", t, time_form(stream))]
        for series, row in zip(measured, rows, strict=True):
            raw = row.take(AT_ONCE)
            form = f"%.{series.quantity.decimals + 2}f"
            values = series.correction.apply(raw)
            columns.append(Column(heading(series.quantity), values, form))
        yield columns
