"""The readings of stepwise runs: a row for each reading that was taken, in the order of taking.

The measured columns are means of what was sampled, worked out from the raw readings each time;
the entered columns are what was typed. Rows that were taken again show their latest reading.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import TooFewReadings
from galena.core.statistics import describe
from galena.experiments.data.readings import Readings, raw_of
from galena.experiments.models import Entry, Quantity, Run, Series, Step, StepPart


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
class Table:
    """The rows of a stepwise run, and its columns: entered first, then measured."""

    run: Run
    entered: list[Quantity]
    measured: list[Quantity]
    rows: list[Row]

    @property
    def quantities(self) -> list[Quantity]:
        return [*self.entered, *self.measured]

    def readings(self, quantity: Quantity) -> Readings:
        """Give a column as readings; the times are when each was taken."""
        t = np.array([self._time(row) for row in self.rows])
        if quantity in self.entered:
            values = [row.entries.get(quantity.pk) for row in self.rows]
            return Readings(t, np.array([math.nan if one is None else one.value for one in values]))
        means = [row.taken.means.get(quantity.pk) if row.taken else None for row in self.rows]
        nothing = Mean(math.nan, math.nan, 0.0, 0)
        known = [one or nothing for one in means]
        shared = np.array([one.shared for one in known])
        return Readings(
            t,
            np.array([one.value for one in known]),
            shared if shared.any() else None,
            np.array([one.u for one in known]),
        )

    def _time(self, row: Row) -> float:
        if row.taken is None:
            return math.nan
        return (row.taken.step.taken_at - self.run.started_at).total_seconds()


def tables(runs: Iterable[Run]) -> dict[int, Table]:
    """Give the tables of stepwise runs, by the run's key; six queries for all."""
    by_key = {run.pk: run for run in runs if run.is_stepwise}
    if not by_key:
        return {}
    series = list(
        Series.objects.filter(stream__run__in=by_key)
        .exclude(quantity=None)
        .select_related("quantity", "stream__run")
    )
    raw = raw_of(series)
    by_stream: dict[int, list[Series]] = {}
    for one in series:
        by_stream.setdefault(one.stream_id, []).append(one)
    rows: dict[int, dict[int, Row]] = {key: {} for key in by_key}
    parts: dict[int, list[StepPart]] = {}
    for part in StepPart.objects.filter(step__run__in=by_key):
        parts.setdefault(part.step_id, []).append(part)
    for step in Step.objects.filter(run__in=by_key).select_related("taken_by"):
        row = rows[step.run_id].setdefault(step.row, Row(step.row))
        taken = Taken(step, _means(parts.get(step.pk, []), by_stream, raw))
        if step.replaced_at is None:
            row.taken = taken
        else:
            row.earlier.insert(0, taken)
    entries = Entry.objects.filter(run__in=by_key).select_related("quantity", "made_by")
    entered: dict[int, dict[int, Quantity]] = {key: {} for key in by_key}
    for entry in entries:
        row = rows[entry.run_id].setdefault(entry.row, Row(entry.row))
        entered[entry.run_id][entry.quantity_id] = entry.quantity
        if entry.replaced_at is None:
            row.entries[entry.quantity_id] = entry
        else:
            row.corrected.insert(0, entry)
    measured: dict[int, dict[int, Quantity]] = {key: {} for key in by_key}
    for one in series:
        measured[one.stream.run_id][one.quantity_id] = one.quantity
    return {
        key: Table(
            run,
            list(entered[key].values()),
            list(measured[key].values()),
            [rows[key][number] for number in sorted(rows[key])],
        )
        for key, run in by_key.items()
    }


def _means(
    parts: list[StepPart],
    by_stream: dict[int, list[Series]],
    raw: dict[int, NDArray[np.float64]],
) -> dict[int, Mean]:
    found = {}
    for part in parts:
        for series in by_stream.get(part.stream_id, []):
            sampled = raw[series.pk][part.first_index : part.first_index + part.count]
            correction = series.correction
            try:
                known = describe(correction.apply(sampled))
            except TooFewReadings:
                continue
            shared = 0.0
            if correction.has_shared_uncertainty:
                shared = float(np.nanmean(correction.shared_uncertainty(sampled)))
            time = part.correlation_times.get(str(series.quantity_id), 1.0)
            error = known.sd / math.sqrt(max(1.0, known.count / time))
            found[series.quantity_id] = Mean(known.mean, error, shared, known.count)
    return found
