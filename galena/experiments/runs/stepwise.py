"""Stepwise runs: a row for each reading that was taken, in the order of taking.

The measured columns are means of what was sampled, worked out from the raw readings each time;
the entered columns are what was typed. Rows that were taken again show their latest reading.
"""

import math
from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass, field, replace

import numpy as np
from django.db import transaction
from django.db.models import Count
from django.utils import timezone
from numpy.typing import NDArray

from galena.core import symbols
from galena.core.errors import NumberError, TableError, TooFewReadings
from galena.core.plans import duration_in_words
from galena.core.second_look import Remark
from galena.core.second_look.recordings import unchanged_steps
from galena.core.statistics import describe
from galena.core.stepping import as_typed
from galena.experiments.data.exclusions import mask
from galena.experiments.data.readings import Readings, raw_of
from galena.experiments.data.rows import Block, Column
from galena.experiments.data.uncertainty import ruled, step_of_digits, step_of_texts
from galena.experiments.errors import CannotType
from galena.experiments.flows import touch
from galena.experiments.models import Entry, Quantity, Run, Series, Step, StepPart, TypedColumn
from galena.experiments.runs import judging
from galena.experiments.runs.beside import beside, column_of, type_beside
from galena.experiments.runs.kind import LeftOut, RunKind

FINER = 3  # further decimals in a file: a mean is finer than a single reading


@dataclass(frozen=True)
class Mean:
    """A reading: the mean of what was sampled, its standard error, and what calibration adds."""

    value: float
    u: float
    shared: float
    count: int


@dataclass
class Taken:
    """A step with its means by quantity."""

    step: Step
    means: dict[int, Mean] = field(default_factory=dict)


@dataclass
class Row:
    """A row as it is in force, and what was there before; newest first."""

    number: int
    entries: dict[int, Entry] = field(default_factory=dict)
    taken: Taken | None = None
    earlier: list[Taken] = field(default_factory=list)
    corrected: list[Entry] = field(default_factory=list)


@dataclass
class StepTable:
    """The rows of a stepwise run, and its columns: entered first, then measured."""

    run: Run
    entered: list[Quantity]
    measured: list[Quantity]
    rows: list[Row]

    @property
    def quantities(self) -> list[Quantity]:
        return [*self.entered, *self.measured]

    def texts(self, quantity: Quantity) -> tuple[str, ...]:
        """Give an entered column as it was typed, a text a row."""
        entries = [row.entries.get(quantity.pk) for row in self.rows]
        return tuple(entry.text if entry is not None else "" for entry in entries)

    def readings(self, quantity: Quantity) -> Readings:
        """Give a column as readings; the times are when each was taken."""
        t = np.array([self._time(row) for row in self.rows])
        if quantity in self.entered:
            values = [row.entries.get(quantity.pk) for row in self.rows]
            return Readings(t, np.array([math.nan if one is None else one.value for one in values]))
        means = [row.taken.means.get(quantity.pk) if row.taken else None for row in self.rows]
        nothing = Mean(math.nan, math.nan, 0.0, 0)
        means_or_nothing = [one or nothing for one in means]
        shared = np.array([one.shared for one in means_or_nothing])
        return Readings(
            t,
            np.array([one.value for one in means_or_nothing]),
            shared if shared.any() else None,
            np.array([one.u for one in means_or_nothing]),
        )

    def _time(self, row: Row) -> float:
        if row.taken is None:
            return math.nan
        return (row.taken.step.taken_at - self.run.started_at).total_seconds()


def tables(runs: Iterable[Run]) -> dict[int, StepTable]:
    """Give the tables of stepwise runs, by the run's key; six queries for all."""
    by_key = {run.pk: run for run in runs}
    if not by_key:
        return {}
    series = list(
        Series.objects.filter(stream__run__in=by_key)
        .exclude(quantity=None)
        .select_related("quantity", "stream__run")
    )
    rows: dict[int, dict[int, Row]] = {key: {} for key in by_key}
    _put_steps(rows, series)
    entered = _put_entries(rows)
    measured: dict[int, dict[int, Quantity]] = {key: {} for key in by_key}
    for each_series in series:
        measured[each_series.stream.run_id][each_series.quantity_id] = each_series.quantity
    return {
        key: StepTable(
            run,
            list(entered[key].values()),
            list(measured[key].values()),
            [rows[key][number] for number in sorted(rows[key])],
        )
        for key, run in by_key.items()
    }


def _put_steps(rows: dict[int, dict[int, Row]], series: list[Series]) -> None:
    """Put what was taken at each row into it, by the run's key and the row."""
    raw = raw_of(series)
    by_stream: dict[int, list[Series]] = {}
    for each_series in series:
        by_stream.setdefault(each_series.stream_id, []).append(each_series)
    parts: dict[int, list[StepPart]] = {}
    for part in StepPart.objects.filter(step__run__in=rows):
        parts.setdefault(part.step_id, []).append(part)
    for step in Step.objects.filter(run__in=rows).select_related("taken_by"):
        row = rows[step.run_id].setdefault(step.row, Row(step.row))
        taken = Taken(step, _means(parts.get(step.pk, []), by_stream, raw))
        if step.replaced_at is None:
            row.taken = taken
        else:
            row.earlier.insert(0, taken)


def _put_entries(rows: dict[int, dict[int, Row]]) -> dict[int, dict[int, Quantity]]:
    """Put what was typed at each row into it; give the quantities that were typed, by run."""
    entries = Entry.objects.filter(run__in=rows).select_related("quantity", "made_by")
    entered: dict[int, dict[int, Quantity]] = {key: {} for key in rows}
    for entry in entries:
        row = rows[entry.run_id].setdefault(entry.row, Row(entry.row))
        entered[entry.run_id][entry.quantity_id] = entry.quantity
        if entry.replaced_at is None:
            row.entries[entry.quantity_id] = entry
        else:
            row.corrected.insert(0, entry)
    return entered


def _means(
    parts: list[StepPart],
    by_stream: dict[int, list[Series]],
    raw: dict[int, NDArray[np.float64]],
) -> dict[int, Mean]:
    means = {}
    for part in parts:
        for series in by_stream.get(part.stream_id, []):
            sampled = raw[series.pk][part.first_index : part.first_index + part.count]
            correction = series.correction
            try:
                described = describe(correction.apply(sampled))
            except TooFewReadings:
                continue
            shared = 0.0
            if correction.has_shared_uncertainty:
                shared = float(np.nanmean(correction.shared_uncertainty(sampled)))
            time = part.correlation_times.get(str(series.quantity_id), 1.0)
            error = described.sd / math.sqrt(max(1.0, described.count / time))
            means[series.quantity_id] = Mean(described.mean, error, shared, described.count)
    return means


class Stepwise(RunKind):
    """A run whose readings are taken when a person says so, beside what that person typed."""

    key: str = Run.Plan.STEPWISE
    word = "stepwise"
    is_recorded = True
    can_go_on = True
    has_cells = True
    takes_columns = True

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        typed = beside(runs, wanted)
        return {
            key: [_block(table, left_out.get((key, None), ()), typed.get((key, None), ()))]
            for key, table in tables(runs).items()
        }

    def planned(self, run: Run) -> str:
        average = duration_in_words(run.details["average"])
        return f"stepwise, each reading the mean of {average}"

    def counts(self, runs: list[Run]) -> dict[int, int]:
        in_force = Step.objects.filter(run__in=runs, replaced_at=None)
        counted = in_force.values("run").annotate(n=Count("pk"))
        return dict.fromkeys((run.pk for run in runs), 0) | {
            row["run"]: row["n"] for row in counted
        }

    def remarks(self, run: Run) -> Iterator[Remark | None]:
        measured = judging.series_of(run)
        raw = raw_of(measured)
        for series in measured:
            yield judging.of_limits(series, raw[series.pk])
        table = tables([run])[run.pk]
        for place, remark in unchanged_rows(table).items():
            sentence = remark.observation[:1].lower() + remark.observation[1:]
            yield Remark(f"Row {table.rows[place].number}: {sentence}", remark.advice)
        yield from judging.never_zeroed(measured)

    def type_cell(self, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
        numbers = sorted({*run.steps.values_list("row", flat=True),
                          *run.entries.values_list("row", flat=True)})  # fmt: skip
        if not 0 <= row < len(numbers):
            raise TableError("There is no such row any more.")
        if type_beside(run, row, quantity, text, person):
            return
        correct(run, numbers[row], quantity, text, person)


def _block(table: StepTable, stretches, typed: Iterable[TypedColumn]) -> Block:
    aside = mask(stretches, len(table.rows))
    columns = {}
    for quantity in table.quantities:
        readings = table.readings(quantity)
        is_entered = quantity in table.entered
        texts = table.texts(quantity) if is_entered else None
        typed_texts = [text for text in texts or () if text]
        step = step_of_texts(typed_texts) if is_entered else step_of_digits(quantity.decimals)
        decimals = [len(text.partition(".")[2]) for text in typed_texts]
        finest = max(decimals, default=quantity.decimals)
        ruled_readings = replace(ruled(readings, quantity, step), aside=aside)
        columns[quantity.pk] = Column(
            quantity,
            ruled_readings,
            (quantity.pk, *contents(ruled_readings)),
            u_shown=None if is_entered else readings.u,
            cells=texts,
            is_editable=is_entered,
            file_decimals=finest if is_entered else quantity.decimals + FINER,
        )
    times = next(iter(columns.values())).readings.t if columns else np.empty(0)
    columns |= {one.quantity_id: column_of(one, times, aside) for one in typed}
    return Block(table.run, len(table.rows), columns, times, False, aside)


def contents(readings: Readings) -> tuple[bytes, ...]:
    """Give what readings hold, so that they can be told from others."""
    parts = (readings.t, readings.y, readings.shared, readings.u, readings.aside, readings.u_x)
    return tuple(part.tobytes() for part in parts if part is not None)


def unchanged_rows(table: StepTable, *, live: bool = False) -> dict[int, Remark]:
    """Give by place in the table the readings that did not change though the setting did."""
    if len(table.entered) != 1:
        return {}  # with several settings any one of them may have stayed on purpose
    settings = table.readings(table.entered[0]).y
    remarks: dict[int, Remark] = {}
    for quantity in table.measured:
        column = table.readings(quantity)
        u = np.zeros_like(column.y) if column.u is None else column.u
        for place, remark in unchanged_steps(
            settings, column.y, u, name=symbols.plain(table.entered[0].symbol), live=live
        ).items():
            remarks.setdefault(place, remark)
    return remarks


def correct(run: Run, row: int, quantity: Quantity, text: str, person) -> None:
    """Correct a typed value; the one before is kept. Raises CannotType."""
    try:
        value, shown = as_typed(text, quantity.decimals, quantity.name)
    except NumberError as error:
        raise CannotType(quantity.pk, str(error)) from error
    with transaction.atomic():
        before = run.entries.filter(row=row, quantity=quantity, replaced_at=None).first()
        if before is None:
            raise CannotType(quantity.pk, f"Row {row} has no {quantity.name} to correct.")
        if before.value == value and before.text == shown:
            return
        now = timezone.now()
        before.replaced_at = now
        before.save(update_fields=["replaced_at"])
        Entry.objects.create(
            run=run, row=row, quantity=quantity, value=value, text=shown,
            made_at=now, made_by=person,
        )  # fmt: skip
        touch(run.experiment)
