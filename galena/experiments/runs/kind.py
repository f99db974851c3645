"""What every kind of run answers to."""

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterable

from galena.core.errors import TableError
from galena.core.second_look import Remark
from galena.experiments.data.exclusions import Stretches
from galena.experiments.data.rows import Block
from galena.experiments.models import Quantity, Run

LeftOut = dict[tuple[int, int | None], Stretches]  # by run and stream


MEASURED = "Measured readings cannot be typed over. Set one aside instead."


class RunKind(ABC):
    """A kind of run: where its readings come from, and what can be done with them.

    key: the value of `Run.plan`; word: what it is called. Its facts: is_recorded, whether Record
    takes it; is_timed, whether it has a rate; can_go_on, whether one can go on with it another
    day; has_cells, whether some of its cells were typed; takes_columns, whether typed columns can
    stand beside its readings; is_typed, whether the whole table is, so that rows and columns can
    be put in; is_summary, whether it is made of findings of other runs, so that it is not asked
    along with them.
    """

    key: str
    word: str
    is_recorded = False
    is_timed = False
    can_go_on = False
    has_cells = False
    takes_columns = False
    is_typed = False
    is_summary = False

    @abstractmethod
    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        """Give the columns of runs of this kind, by the run's key, in few queries for all.

        wanted: the quantities that will be asked for; None for all of them.
        """

    @abstractmethod
    def planned(self, run: Run) -> str:
        """Say in words how it was to be recorded."""

    @abstractmethod
    def counts(self, runs: list[Run]) -> dict[int, int]:
        """Count the readings of each run, by its key."""

    def interval(self, run: Run) -> float | None:
        """Give the time between two readings, in s; None where they come as a person wants."""
        return None

    def remarks(self, run: Run) -> Iterable[Remark | None]:
        """Take a second look at a run that has ended."""
        return ()

    def kept_back(self, run: Run) -> str:
        """Say why a run of this kind cannot be given on by itself; nothing where it can."""
        return ""

    def rests_on(self, run: Run) -> list[Run]:
        """List the other runs without which the readings would be others."""
        return []

    def type_cell(self, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
        """Type over a cell; rows are counted from 0. Raises TableError where none may be."""
        raise TableError(MEASURED)

    def refuse_reshaping(self, run: Run) -> None:
        """Raise TableError where rows or columns may not be put in or out."""
        if not self.is_typed:
            raise TableError(MEASURED)
