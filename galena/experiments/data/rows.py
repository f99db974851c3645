"""The rows of a run: columns that stand beside each other, and what formulas need of them."""

from collections.abc import Hashable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from galena.experiments.data.readings import Readings
from galena.experiments.models import Quantity, Run, Stream


@dataclass(frozen=True)
class Column:
    """Readings of a quantity, row by row of their block.

    readings: with the uncertainties of the quantity's rule, and what was set aside. version: the
    same as long as they are. stream: what measured them, None for a table. u_shown: the standard
    uncertainties that stand beside the readings in tables. cells: the texts as they were typed.
    is_editable: whether a cell may be typed over; is_typed: whether its head may be, too.
    file_decimals: as many as lose nothing.
    """

    quantity: Quantity
    readings: Readings
    version: Hashable
    stream: int | None = None
    u_shown: NDArray[np.float64] | None = None
    cells: Sequence[str] | None = None
    is_editable: bool = False
    is_typed: bool = False
    file_decimals: int = 2


@dataclass(frozen=True)
class Block:
    """Columns of a run that share their rows: a whole table, or what one instrument gave.

    times: when each row was read, s since the run's t = 0; None where nobody knows. in_time:
    whether rows follow each other in time; else rates and areas go in the order of x. names: what
    each row is of. shares_in_places: whether what all rows share counts in their place on x too.
    """

    run: Run
    count: int
    columns: dict[int, Column]
    times: NDArray[np.float64] | None
    in_time: bool
    aside: NDArray[np.bool_] | None = None
    stream: Stream | None = None
    names: tuple[str, ...] = ()
    shares_in_places: bool = False

    @property
    def key(self) -> int | None:
        """The key of the stream that it is of."""
        return None if self.stream is None else self.stream.pk


@dataclass
class Rows:
    """The rows of a run on which formulas are worked out.

    columns: the readings of quantities that no formula gives, by key, all in the same `count`
    rows. times: when each row was read, s; None where nobody knows. by_place: whether rows go in
    the order of x in rates and areas, as in tables. version: the same as long as they are.
    """

    run: Run
    count: int
    columns: dict[int, Readings]
    times: NDArray[np.float64] | None
    by_place: bool
    version: Hashable
    block: Block | None = field(default=None, repr=False)

    @property
    def aside(self) -> NDArray[np.bool_] | None:
        """Which rows are left out in one of the columns."""
        masks = [column.aside for column in self.columns.values() if column.aside is not None]
        return np.logical_or.reduce(masks) if masks else None

    def first(self, count: int) -> "Rows":
        """Give the first rows, so many at most."""
        if self.count <= count:
            return self
        some = slice(0, count)
        return replace(
            self,
            count=count,
            columns={key: column.at(some) for key, column in self.columns.items()},
            times=None if self.times is None else self.times[some],
            version=(self.version, count),
        )
