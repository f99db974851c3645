"""Harvested runs: tables of findings of other runs, beside which columns can be typed."""

from collections.abc import Collection

from galena.core.errors import TableError
from galena.desk.harvests.cells import tables
from galena.experiments.data.rows import Block
from galena.experiments.models import Quantity, Run
from galena.experiments.runs.kind import LeftOut
from galena.experiments.runs.typed import Typed, block, columns_of


class Harvested(Typed):
    """A table whose first columns are worked out from findings each time."""

    key = "harvest"
    word = "harvested"
    is_summary = True

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        typed = columns_of(runs)
        harvested = Quantity.Kind.HARVESTED
        # It takes long, so it is left out where only typed columns are asked for.
        is_wanted = wanted is None or any(quantity.kind == harvested for quantity in wanted)
        worked_out = tables(runs) if is_wanted else {}
        blocks = {}
        for run in runs:
            rows = worked_out.get(run.pk)
            columns, names = (rows.columns, tuple(rows.names)) if rows is not None else ((), ())
            stretches = left_out.get((run.pk, None), ())
            blocks[run.pk] = [
                block(run, typed[run.pk], stretches, columns, names, shares_in_places=True)
            ]
        return blocks

    def planned(self, run: Run) -> str:
        return "harvested from findings"

    def counts(self, runs: list[Run]) -> dict[int, int]:
        return {key: one.count for key, (one,) in self.blocks(runs, None, {}).items()}

    def kept_back(self, run: Run) -> str:
        return (
            f"Run {run.number} rests on findings, which are not given along. Begin a lesson whose "
            "copies start with the findings instead."
        )

    def refuse_reshaping(self, run: Run) -> None:
        raise TableError("Each row of a harvest belongs to its run or span: rows stay as they are.")
