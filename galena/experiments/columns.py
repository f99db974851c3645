"""Readings of several runs over any quantity or over time: timed, stepwise and typed runs alike."""

from collections.abc import Hashable, Iterable
from dataclasses import dataclass, replace

import numpy as np

from galena.core.errors import FormulaError
from galena.experiments.data.cache import Shelf
from galena.experiments.data.exclusions import Stretches, asides, mask
from galena.experiments.data.readings import Readings, of_series
from galena.experiments.data.uncertainty import ruled, step_of, step_of_digits, step_of_texts
from galena.experiments.formulas.derivation import Derivation, Rows
from galena.experiments.models import HARVESTED, Quantity, Run, Series
from galena.experiments.runs.stepwise import Table, tables
from galena.experiments.runs.typed import TypedTable, typed_tables

ROOM = 200_000_000  # bytes of readings in order of a measured x

_ordered: Shelf[Readings] = Shelf(ROOM)


@dataclass(frozen=True)
class Found:
    """Readings of a run, ascending in x, and what is the same as long as they are.

    `stream` is that which measured them, None for a typed or stepwise table.
    """

    readings: Readings
    version: Hashable
    stream: int | None = None


def over(
    x: Quantity | None,
    wanted: Iterable[tuple[Run, Quantity]],
    troubles: dict[tuple[int, int], str] | None = None,
) -> dict[tuple[int, int], Found]:
    """Give the readings of each run's quantity over x, or over time where x is None.

    Their `t` holds x. A run that does not have both is left out; why a formula could not be
    worked out for it is told to `troubles`. By the keys of run and quantity.
    """
    pairs = {(run.pk, quantity.pk): (run, quantity) for run, quantity in wanted}
    runs = {run.pk: run for run, _ in pairs.values()}
    asked = {quantity.pk: quantity for _, quantity in pairs.values()} | ({x.pk: x} if x else {})
    derivation = _derivation(asked.values(), runs.values())
    left_out = asides(runs.values())
    told = troubles if troubles is not None else {}
    found = _timed(x, pairs, left_out, derivation, told)
    harvests = _is_harvested(asked.values(), derivation)
    typed = typed_tables(runs.values(), harvests=harvests)
    made: dict[int, Table | TypedTable] = {**tables(runs.values()), **typed}
    for key, (run, quantity) in pairs.items():
        if run.pk not in made:
            continue
        stretches = left_out.get((run.pk, None), ())
        try:
            one = _tabled(made[run.pk], x, quantity, stretches, derivation)
        except FormulaError as error:
            told[key] = str(error)
            continue
        if one is not None:
            found[key] = one
    return found


def _is_harvested(asked: Iterable[Quantity], derivation: Derivation | None) -> bool:
    """Tell whether one of these comes from a harvest, which takes long to work out."""
    derived = [one for one in asked if one.is_derived]
    bases = derivation.bases(derived).values() if derivation is not None else ()
    used = [*asked, *(one for of_it in bases for one in of_it)]
    return any(one.source.startswith(HARVESTED) for one in used)


def _derivation(asked: Iterable[Quantity], runs: Iterable[Run]) -> Derivation | None:
    """Give what works formulas out, where one is asked for."""
    runs, derived = list(runs), [one for one in asked if one.is_derived]
    return Derivation(derived[0].experiment, runs) if runs and derived else None


def _timed(
    x: Quantity | None,
    pairs: dict[tuple[int, int], tuple[Run, Quantity]],
    left_out: dict[tuple[int, int | None], Stretches],
    derivation: Derivation | None,
    troubles: dict[tuple[int, int], str],
) -> dict[tuple[int, int], Found]:
    runs = {run.pk: run for run, _ in pairs.values() if not (run.is_stepwise or run.is_typed)}
    if not runs:
        return {}
    asked = {one.pk: one for _, one in pairs.values()} | ({x.pk: x} if x else {})
    bases = derivation.bases(asked.values()) if derivation else {}
    by_pair = _measured(set(runs), {base.pk for one in bases.values() for base in one} | set(asked),
                        left_out)  # fmt: skip
    if derivation is not None:
        for quantity in (one for one in asked.values() if one.is_derived):
            for run in runs.values():
                made = _derived(derivation, run, quantity, bases[quantity.pk], by_pair, troubles)
                if made is not None:
                    by_pair[run.pk, quantity.pk] = made
    if x is None:
        return {key: one for key, one in by_pair.items() if key in pairs}
    return {
        key: _over_measured(by_pair[key[0], x.pk], by_pair[key])
        for key in pairs
        if key in by_pair and (key[0], x.pk) in by_pair
    }


def _measured(
    runs: set[int], quantities: set[int], left_out: dict[tuple[int, int | None], Stretches]
) -> dict[tuple[int, int], Found]:
    stored = Series.objects.filter(stream__run__in=runs, quantity__in=quantities)
    stored = list(stored.select_related("quantity", "stream__run"))
    found: dict[tuple[int, int], Found] = {}
    for one, read in zip(stored, of_series(stored), strict=True):
        quantity = one.quantity
        stretches = left_out.get((one.stream.run_id, one.stream_id), ())
        rule = (quantity.u_rule, quantity.u_absolute, quantity.u_relative, quantity.u_calibration)
        version = (one.pk, one.correction, one.stream.scale, len(read), stretches, rule)
        read = ruled(read, quantity, step_of(one))
        if stretches:
            read = replace(read, aside=mask(stretches, len(read)))
        found[one.stream.run_id, one.quantity_id] = Found(read, version, one.stream_id)
    return found


def _derived(
    derivation: Derivation,
    run: Run,
    quantity: Quantity,
    bases: list[Quantity],
    by_pair: dict[tuple[int, int], Found],
    troubles: dict[tuple[int, int], str],
) -> Found | None:
    """Work a formula out for a timed run, in the rows of what it names first."""
    rows = _rows(run, bases, by_pair)
    if rows is None:
        if not bases:
            troubles[run.pk, quantity.pk] = derivation.why_without_rows(quantity)
        return None
    try:
        read, version = derivation.readings(quantity, rows)
    except FormulaError as error:
        troubles[run.pk, quantity.pk] = str(error)
        return None
    return Found(read, version, by_pair[run.pk, bases[0].pk].stream)


def _rows(run: Run, bases: list[Quantity], by_pair: dict[tuple[int, int], Found]) -> Rows | None:
    """Put what a formula needs into the same rows; None where the run lacks some of it.

    What another instrument read is taken between its readings, at the times of the first one.
    """
    found = [by_pair.get((run.pk, one.pk)) for one in bases]
    if not found or any(one is None for one in found):
        return None
    leading = found[0]
    same = [one for one in found if one.stream == leading.stream]
    count = min(len(one.readings) for one in same)
    times = leading.readings.t[:count]
    columns = {
        quantity.pk: _first(one.readings, count)
        if one.stream == leading.stream
        else _between(one.readings, times)
        for quantity, one in zip(bases, found, strict=True)
    }
    return Rows(run, columns, times, False, tuple(one.version for one in found))


class Loaded:
    """The readings of a run that formulas can use, loaded once for all of them."""

    def __init__(self, run: Run, quantities: Iterable[Quantity]) -> None:
        self.run = run
        left_out = asides([run])
        self._table: Rows | None = None
        if run.is_typed or run.is_stepwise:
            found = typed_tables([run]) if run.is_typed else tables([run])
            self._table = _table_rows(found[run.pk], left_out.get((run.pk, None), ()))
        else:
            keys = {one.pk for one in quantities if not one.is_derived}
            self._by_pair = _measured({run.pk}, keys, left_out)

    def rows(self, bases: list[Quantity]) -> Rows | None:
        """Give the rows for a formula that comes from these; None where the run lacks one."""
        if self._table is None:
            return _rows(self.run, bases, self._by_pair)
        known = all(one.pk in self._table.columns for one in bases)
        return self._table if self._table.columns and known else None


def rows_of(run: Run, quantity: Quantity, derivation: Derivation) -> Rows | None:
    """Give the rows on which a run's formula is worked out; None where the run lacks some of it.

    Raises FormulaError for a formula that goes round in a circle.
    """
    bases = derivation.formulas.bases(quantity)
    return Loaded(run, bases).rows(bases)


def _first(readings: Readings, count: int) -> Readings:
    return readings if len(readings) == count else readings.at(slice(0, count))


def _between(readings: Readings, times: np.ndarray) -> Readings:
    counted = readings.counted
    if not len(counted):
        return Readings(times, np.full(times.size, np.nan))

    def at(values: np.ndarray | None) -> np.ndarray | None:
        if values is None:
            return None
        return np.interp(times, counted.t, values, left=np.nan, right=np.nan)

    return Readings(times, at(counted.y), at(counted.shared), at(counted.u), u_zero=readings.u_zero)


def _over_measured(x: Found, y: Found) -> Found:
    """Put readings in order of what another channel read at the same times."""
    version = (x.version, y.version)
    read = _ordered.get(version)
    if read is None:
        places, u_x = x.readings.y, x.readings.u
        if x.stream != y.stream and len(x.readings):
            between = _between(x.readings, y.readings.t)
            places, u_x = between.y, between.u
        count = min(places.size, len(y.readings))
        of_y = replace(y.readings.at(slice(0, count)), u_x=None if u_x is None else u_x[:count])
        read = _in_order(of_y, places[:count])
        _ordered.put(version, read, 2 * read.y.nbytes)
    return Found(read, version, y.stream)


def column(
    table: Table | TypedTable,
    quantity: Quantity,
    stretches: Stretches,
    derivation: Derivation | None = None,
) -> Readings | None:
    """Give a column of a table, in the order of its rows; None where the run has none.

    Raises FormulaError where a formula cannot be worked out for it.
    """
    if quantity.is_derived:
        rows = _table_rows(table, stretches)
        derivation = derivation or Derivation(table.run.experiment, [table.run])
        bases = derivation.bases([quantity])[quantity.pk]
        if not rows.columns or any(one.pk not in rows.columns for one in bases):
            return None
        return derivation.readings(quantity, rows)[0]
    own = next((one for one in table.quantities if one == quantity), None)
    if own is None:
        return None
    read = ruled(table.readings(own), quantity, _step(table, own))
    return replace(read, aside=mask(stretches, len(read)))


def _table_rows(table: Table | TypedTable, stretches: Stretches) -> Rows:
    columns = {one.pk: column(table, one, stretches) for one in table.quantities}
    version = tuple(
        (key, *(part.tobytes() for part in _parts(read) if part is not None))
        for key, read in columns.items()
    )
    times = None
    if isinstance(table, Table) and columns:
        times = next(iter(columns.values())).t
    return Rows(table.run, columns, times, True, version)


def _step(table: Table | TypedTable, quantity: Quantity) -> float:
    """Give the last step of what was typed; of what was measured that of its decimals."""
    if isinstance(table, TypedTable):
        return step_of_texts(table.texts(quantity))
    if quantity in table.entered:
        entries = [row.entries.get(quantity.pk) for row in table.rows]
        return step_of_texts([one.text for one in entries if one is not None])
    return step_of_digits(quantity.decimals)


def _parts(read: Readings) -> list[np.ndarray | None]:
    return [read.t, read.y, read.shared, read.u, read.aside, read.u_x]


def _tabled(
    table: Table | TypedTable,
    x: Quantity | None,
    quantity: Quantity,
    stretches: Stretches,
    derivation: Derivation | None,
) -> Found | None:
    y = column(table, quantity, stretches, derivation)
    along = None if x is None else column(table, x, stretches, derivation)
    if y is None or (x is not None and along is None):
        return None
    places = y.t if along is None else along.y
    u_x = None if along is None else along.u
    if along is not None and table.run.plan == Run.Plan.HARVEST:
        u_x = along.combined
    read = _in_order(replace(y, u_x=u_x), places)
    return Found(read, tuple(part.tobytes() for part in _parts(read) if part is not None))


def _in_order(readings: Readings, places: np.ndarray) -> Readings:
    """Put readings in order of x; those without a place on it are left out."""
    order = np.argsort(places, kind="stable")
    order = order[np.isfinite(places[order])]
    return replace(readings.at(order), t=places[order], rows=order)


def forget() -> None:
    """Throw away all that is in memory."""
    _ordered.clear()
