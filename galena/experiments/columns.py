"""The readings service: readings of any run's quantity over time or over another quantity.

The way of the data: a sheet asks here; the kind of each run gives its columns (`runs`), formulas
are worked out over them (`formulas`), and what is asked for is put in order of x.
"""

from collections.abc import Collection, Hashable, Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, replace

import numpy as np

from galena.core.errors import FormulaError
from galena.experiments.data.cache import Cache
from galena.experiments.data.exclusions import asides
from galena.experiments.data.readings import Readings
from galena.experiments.data.rows import Block, Column, Rows
from galena.experiments.formulas.derivation import Derivation
from galena.experiments.models import Quantity, Run
from galena.experiments.runs.kind import RunKind

ROOM = 200_000_000  # bytes of readings in order of x

_ordered: Cache[Readings] = Cache(ROOM)
Looked = dict[int, tuple[frozenset[int] | None, list[Block]]]
_looked_up: ContextVar[Looked | None] = ContextVar("looked_up", default=None)


@dataclass(frozen=True)
class Placed:
    """Readings of a run, ascending in x, which their `t` holds, and what is the same as long as
    they are. `stream` is that which measured them, None for a table."""

    readings: Readings
    version: Hashable
    stream: int | None = None


class RunColumns:
    """All columns of a run: those of its blocks, and what formulas make of them."""

    def __init__(self, run: Run, blocks: list[Block], derivation: Derivation | None) -> None:
        self.run, self.blocks, self.derivation = run, blocks, derivation

    def block_of(self, quantity: Quantity) -> Block | None:
        """Give the block that a quantity stands in, for a formula that of what it names first."""
        if not quantity.is_derived:
            return next((one for one in self.blocks if quantity.pk in one.columns), None)
        rows = self.rows(self._bases(quantity))
        return None if rows is None else rows.block

    def column(self, quantity: Quantity) -> Column | None:
        """Give a column; None where the run lacks it, or some of what its formula needs.

        Raises FormulaError where its formula cannot be worked out.
        """
        if not quantity.is_derived:
            block = self.block_of(quantity)
            return None if block is None else block.columns[quantity.pk]
        if self.derivation is None:
            return None
        bases = self._bases(quantity)
        rows = self.rows(bases)
        if rows is None:
            if not bases and self.run.kind.is_timed:
                raise FormulaError(self.derivation.why_without_rows(quantity))
            return None
        readings, version = self.derivation.readings(quantity, rows)
        return Column(
            quantity, readings, version, rows.block.key if rows.block else None,
            u_shown=readings.combined, file_decimals=quantity.decimals + 1,
        )  # fmt: skip

    def rows(self, bases: list[Quantity]) -> Rows | None:
        """Put what a formula needs into the same rows; None where the run lacks some of it.

        What another instrument read is taken between its readings, at the times of the first one.
        """
        if not bases:
            block = next((one for one in self.blocks if one.columns and not one.in_time), None)
            return None if block is None else _rows(block, block.count, {}, ())
        columns = [self.column(base) for base in bases]
        if any(column is None for column in columns):
            return None
        leading = self.block_of(bases[0])
        pairs = list(zip(bases, columns, strict=True))
        count = min(len(one.readings) for _, one in pairs if one.stream == leading.key)
        times = None if leading.times is None else leading.times[:count]
        aligned = {
            quantity.pk: _first(column.readings, count)
            if column.stream == leading.key
            else between(column.readings, times)
            for quantity, column in pairs
        }
        return _rows(leading, count, aligned, tuple(column.version for column in columns))

    def _bases(self, quantity: Quantity) -> list[Quantity]:
        if self.derivation is None:
            return []
        return self.derivation.bases([quantity])[quantity.pk]


def _rows(block: Block, count: int, columns: dict[int, Readings], version: Hashable) -> Rows:
    times = None if block.times is None else block.times[:count]
    return Rows(block.run, count, columns, times, not block.in_time, version, block)


def load(
    runs: Iterable[Run],
    wanted: Collection[Quantity] | None = None,
    derivation: Derivation | None = None,
) -> dict[int, RunColumns]:
    """Load the columns of runs, each kind of run at once; by the run's key.

    wanted: the quantities that will be asked for, with those that their formulas use; None for
    all. derivation: what works formulas out.
    """
    all_runs = {run.pk: run for run in runs}
    looked_up = _looked_up.get()
    keys = None if wanted is None else frozenset(quantity.pk for quantity in wanted)
    known = {} if looked_up is None else {
        key: looked_up[key][1] for key in all_runs if _holds(looked_up.get(key), keys)
    }  # fmt: skip
    fresh = _blocks([run for run in all_runs.values() if run.pk not in known], wanted)
    if looked_up is not None:
        looked_up.update({key: (keys, blocks) for key, blocks in fresh.items()})
    blocks_of = known | fresh
    return {key: RunColumns(run, blocks_of[key], derivation) for key, run in all_runs.items()}


@contextmanager
def looked_up_once() -> Iterator[None]:
    """Look the columns of a run up once, however often they are asked for meanwhile.

    Nothing may be changed meanwhile.
    """
    token = _looked_up.set({})
    try:
        yield
    finally:
        _looked_up.reset(token)


def _holds(looked: tuple[frozenset[int] | None, list[Block]] | None, keys: frozenset[int] | None):
    if looked is None:
        return False
    return looked[0] is None or (keys is not None and keys <= looked[0])


def _blocks(runs: list[Run], wanted: Collection[Quantity] | None) -> dict[int, list[Block]]:
    by_kind: dict[RunKind, list[Run]] = {}
    for run in runs:
        by_kind.setdefault(run.kind, []).append(run)
    left_out = asides(runs) if runs else {}
    blocks: dict[int, list[Block]] = {run.pk: [] for run in runs}
    for kind, of_kind in by_kind.items():
        blocks |= kind.blocks(of_kind, wanted, left_out)
    return blocks


def of_run(run: Run) -> RunColumns:
    """Load all columns of a run, and what its experiment's formulas need."""
    return load([run], None, Derivation(run.experiment, [run]))[run.pk]


def over(
    x: Quantity | None,
    wanted: Iterable[tuple[Run, Quantity]],
    troubles: dict[tuple[int, int], str] | None = None,
) -> dict[tuple[int, int], Placed]:
    """Give the readings of each run's quantity over x, or over time where x is None.

    Their `t` holds x. A run that does not have both is left out; why a formula could not be
    worked out for it is told to `troubles`. By the keys of run and quantity.
    """
    pairs = {(run.pk, quantity.pk): (run, quantity) for run, quantity in wanted}
    runs = {run.pk: run for run, _ in pairs.values()}
    wanted_by_key = {quantity.pk: quantity for _, quantity in pairs.values()} | (
        {x.pk: x} if x else {}
    )
    derived = [quantity for quantity in wanted_by_key.values() if quantity.is_derived]
    derivation = Derivation(derived[0].experiment, runs.values()) if runs and derived else None
    bases = derivation.bases(derived) if derivation is not None else {}
    needed = wanted_by_key | {base.pk: base for of_it in bases.values() for base in of_it}
    loaded = load(runs.values(), needed.values(), derivation)
    placed = {}
    for key, (run, quantity) in pairs.items():
        columns = loaded[run.pk]
        try:
            along = None if x is None else columns.column(x)
            column = columns.column(quantity)
        except FormulaError as error:
            if troubles is not None:
                troubles[key] = str(error)
            continue
        if column is not None and (x is None or along is not None):
            placed[key] = _placed(columns.block_of(quantity), column, along)
    return placed


def _placed(block: Block, column: Column, x: Column | None) -> Placed:
    if x is None and block.in_time:
        return Placed(column.readings, column.version, column.stream)
    version = (None if x is None else x.version, column.version)
    read = _ordered.get(version)
    if read is None:
        read = _in_order(*_beside(block, column, x))
        of_x = None if x is None else x.quantity.pk
        grows = (block.run.pk, column.quantity.pk, of_x) if block.run.is_growing else None
        _ordered.put(version, read, 2 * read.y.nbytes, state_of=grows)
    return Placed(read, version, column.stream)


def _beside(block: Block, column: Column, x: Column | None) -> tuple[Readings, np.ndarray]:
    """Give readings with the uncertainty of their places, and these places, row by row."""
    readings = column.readings
    if x is None:
        return readings, readings.t
    along = x.readings
    if x.stream != column.stream and len(along):
        along = between(along, readings.t)
    u_x = along.combined if block.shares_in_places else along.u
    count = min(len(along), len(readings))
    of_both = replace(_first(readings, count), u_x=None if u_x is None else u_x[:count])
    return of_both, along.y[:count]


def _in_order(readings: Readings, places: np.ndarray) -> Readings:
    """Put readings in order of x; those without a place on it are left out."""
    order = np.argsort(places, kind="stable")
    order = order[np.isfinite(places[order])]
    return replace(readings.at(order), t=places[order], rows=order)


def _first(readings: Readings, count: int) -> Readings:
    return readings if len(readings) == count else readings.at(slice(0, count))


def between(readings: Readings, times: np.ndarray) -> Readings:
    """Give what was read at other times, straight between the readings; none beyond their ends."""
    counted = readings.counted
    if not len(counted):
        return Readings(times, np.full(times.size, np.nan))

    def at(values: np.ndarray | None) -> np.ndarray | None:
        if values is None:
            return None
        return np.interp(times, counted.t, values, left=np.nan, right=np.nan)

    return Readings(times, at(counted.y), at(counted.shared), at(counted.u), u_zero=readings.u_zero)
