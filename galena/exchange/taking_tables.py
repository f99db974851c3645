"""A table that was understood becomes a run: at times, typed, or, where it is long, as rows."""

import json
import math
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone
from numpy.typing import NDArray

from galena.core import units
from galena.core.errors import TableError, UnitError
from galena.core.formats.heads import Head, head
from galena.core.formats.tables import FEW
from galena.core.numbers import grouped
from galena.core.series import STAMPS, VALUES, pack
from galena.experiments import flows, table_flows
from galena.experiments.models import Experiment, Quantity, Run, Series, SeriesChunk, Stream
from galena.experiments.runs.taken_in import AS_ROWS, AT_TIMES

AT_ONCE = 50_000  # readings of a chunk
LONGEST_SYMBOL = 12
_MOST_TICKS = 2.0**53  # that a time can be counted in without loss
_FINEST = 12  # decimals of a microsecond
_TIME_NAMES = ("t", "time", "zeit", "temps", "tiempo", "tempo", "tijd")


@dataclass(frozen=True)
class Chosen:
    """What is taken of a part: the head of each column, None for one that is left out, and which
    column holds the times, if one does."""

    heads: tuple[Head | None, ...]
    time: int | None = None


def usual(part: dict[str, Any]) -> Chosen:
    """Choose what a person would: all columns with numbers, the times of the first that has any."""
    heads = [
        Head(one["name"], one["symbol"], one["unit"]) if one["filled"] else None
        for one in part["columns"]
    ]
    return Chosen(tuple(heads), time_column(part))


def time_column(part: dict[str, Any]) -> int | None:
    """Tell which column holds the times: one of times of day or dates, or one that says so."""
    columns = list(enumerate(part["columns"]))
    for place, column in columns:
        if column["kind"] == "time" and column["rises"]:
            return place
    for place, column in columns:
        named = column["symbol"] == "t" or column["name"].casefold() in _TIME_NAMES
        if named and column["rises"] and _seconds_in(column["unit"]) is not None:
            return place
    return None


def _seconds_in(unit: str) -> float | None:
    """Tell how many seconds a unit has; None where it is none of time. No unit is taken for s."""
    try:
        return units.affine(units.parse(unit), units.parse("s"))[0] if unit else 1.0
    except UnitError:
        return None


def head_text(column: dict[str, Any]) -> str:
    """Write the head of a column as people do: `water level h / mm`."""
    named = " ".join(one for one in (column["name"], column["symbol"]) if one)
    return f"{named} / {column['unit']}" if column["unit"] else named


def heads_of(texts: list[str | None]) -> tuple[Head | None, ...]:
    """Read the heads that a person wants; None for a column that is left out. Raises TableError."""
    heads: list[Head | None] = []
    for place, text in enumerate(texts, start=1):
        try:
            heads.append(None if text is None else head(text))
        except UnitError as error:
            raise TableError(f"Column {place}: {error}") from error
    return tuple(heads)


def take(
    experiment: Experiment, person, part: dict[str, Any], folder: Path, place: int,
    chosen: Chosen, file: str, name: str, taken: Callable[[float], None] = lambda _: None,
) -> Run:  # fmt: skip
    """Make a run of a part. Raises TableError where it cannot be one; nothing is changed then.

    place: the number of the part, by which its columns lie in the folder. taken: is told which
    part of the work is done.
    """
    wanted = [
        (at, heading)
        for at, heading in enumerate(chosen.heads)
        if heading is not None and at != chosen.time
    ]
    if not wanted:
        raise TableError("Choose at least one column to take in.")
    with transaction.atomic():
        if chosen.time is None and part["rows"] <= FEW:
            columns = [(heading, _texts(folder, place, at)) for at, heading in wanted]
            run = table_flows.table_of_file(experiment, person, name, columns)
        else:
            run = _stored(experiment, person, part, folder, place, chosen, file, name, taken)
        flows.touch(experiment)
    return run


def _texts(folder: Path, place: int, column: int) -> list[str]:
    try:
        return [str(text) for text in json.loads((folder / f"{place}-{column}.json").read_text())]
    except FileNotFoundError:
        values = _values(folder, place, column)
        return ["" if value != value else f"{value:.12g}" for value in values.tolist()]


def _values(folder: Path, place: int, column: int) -> NDArray[np.float64]:
    return np.load(folder / f"{place}-{column}.npy", allow_pickle=False)


def _stored(
    experiment: Experiment, person, part: dict[str, Any], folder: Path, place: int,
    chosen: Chosen, file: str, name: str, taken: Callable[[float], None],
) -> Run:  # fmt: skip
    """Make a run whose readings are stored as measured ones are."""
    now = timezone.now()
    timed = chosen.time is not None
    if chosen.time is not None:
        rows, times = _times(part, folder, place, chosen)
    else:
        rows, times = slice(None), np.arange(part["rows"], dtype=np.float64)
    stamps, scale = ticks_of(times)
    number = flows.next_number(experiment)
    step = float(np.median(np.diff(times))) if timed and times.size > 1 else None
    run = Run.objects.create(
        experiment=experiment, number=number, place=number, plan=AT_TIMES if timed else AS_ROWS,
        state=Run.State.FINISHED, name=name[:80], started_at=now, ended_at=now,
        started_by=person, details={"file": file}, rate=1 / step if step else None,
    )  # fmt: skip
    stream = Stream.objects.create(
        run=run, instrument=file[:120], origin_us=0, scale=scale if timed else 1.0
    )
    _chunks(Series.objects.create(stream=stream), stamps, STAMPS)
    used: set[int] = set()
    for at, heading in enumerate(chosen.heads):
        if heading is None or at == chosen.time:
            continue
        quantity = _quantity(experiment, heading, part["columns"][at], used)
        used.add(quantity.pk)
        series = Series.objects.create(stream=stream, quantity=quantity, unit=heading.unit)
        _chunks(series, _values(folder, place, at)[rows], VALUES)
        taken((at + 1) / len(chosen.heads))
    return run


def _times(
    part: dict[str, Any], folder: Path, place: int, chosen: Chosen
) -> tuple[NDArray[np.bool_] | slice, NDArray[np.float64]]:
    """Give which rows have a time, and the times in s. Raises TableError where they do not rise."""
    assert chosen.time is not None
    heading = chosen.heads[chosen.time]
    factor = _seconds_in("" if heading is None else heading.unit)
    if factor is None:
        raise TableError(
            f"The column of the times is in {heading.unit if heading else ''}, which is no unit "
            "of time. Choose another, or none."
        )
    values = _values(folder, place, chosen.time) * factor
    rows = np.isfinite(values)
    times = values[rows]
    if times.size == 0:
        raise TableError("The column of the times holds no numbers. Choose another, or none.")
    back = np.flatnonzero(np.diff(times) <= 0)
    if back.size:
        row = int(np.flatnonzero(rows)[back[0] + 1]) + 1
        raise TableError(
            f"The times do not rise at row {grouped(row)}. Choose another column for them, or none."
        )
    return (slice(None) if rows.all() else rows), times


def ticks_of(times: NDArray[np.float64]) -> tuple[NDArray[np.int64], float]:
    """Count times, in s, in ticks of 1e-6·scale s: of microseconds where that loses nothing.

    Gives the ticks, shape (n,), and the scale.
    """
    largest = max(float(np.abs(times).max()), 1e-300)
    step = float(np.diff(times).min()) if times.size > 1 else largest
    finest = 0
    for finer in range(_FINEST + 1):
        scaled = times * 10.0 ** (6 + finer)
        if largest * 10.0 ** (6 + finer) >= _MOST_TICKS:
            break
        finest = finer
        if float(np.abs(scaled - np.rint(scaled)).max()) < 1e-3 * min(
            1.0, step * 10.0 ** (6 + finer)
        ):
            break
    if largest * 1e6 >= _MOST_TICKS:  # longer than 285 years: in whole powers of ten
        scale = 10.0 ** math.ceil(math.log10(largest * 1e6 / _MOST_TICKS))
        return np.rint(times * 1e6 / scale).astype(np.int64), scale
    return np.rint(times * 10.0 ** (6 + finest)).astype(np.int64), 10.0**-finest


def _chunks(series: Series, numbers: NDArray[Any], dtype: np.dtype) -> None:
    SeriesChunk.objects.bulk_create(
        [
            SeriesChunk(series=series, sequence=sequence, first_index=chunk.first_index,
                        count=chunk.count, data=chunk.data, crc32=chunk.crc32)
            for sequence, first in enumerate(range(0, numbers.size, AT_ONCE))
            for chunk in [pack(numbers[first : first + AT_ONCE], first, dtype)]
        ],
        batch_size=20,
    )  # fmt: skip


def _quantity(
    experiment: Experiment, heading: Head, column: dict[str, Any], used: set[int]
) -> Quantity:
    """Give the quantity of a column: one that is measured here with its symbol, or a new one."""
    measured = experiment.quantities.filter(kind=Quantity.Kind.MEASURED).exclude(pk__in=used)
    for same in measured.filter(symbol=heading.symbol) if heading.symbol else ():
        if _converts(heading.unit, same.unit):
            return same
    symbol = heading.symbol or table_flows.symbol_for(experiment, heading.name)
    if symbol == "t" and heading.unit and _seconds_in(heading.unit) is None:
        symbol = "T"  # t stands for the time
    return Quantity.objects.create(
        experiment=experiment, name=(heading.name or f"column {symbol}")[:100], unit=heading.unit,
        symbol=flows.free_symbol(experiment, symbol[:LONGEST_SYMBOL]),
        decimals=min(column["decimals"], 9), used=False,
    )  # fmt: skip


def _converts(unit: str, to: str) -> bool:
    try:
        units.affine(units.parse(unit), units.parse(to))
    except UnitError:
        return False
    return True
