"""Everyone's answers as a table at a Desk: they follow the groups until they are frozen."""

import math
from collections.abc import Collection

import numpy as np
from django.db import transaction
from django.utils import timezone

from galena.classroom.models import Person
from galena.core.errors import TableError
from galena.experiments.data.rows import Block
from galena.experiments.flows import free_symbol, next_number, touch
from galena.experiments.models import Experiment, Quantity, Run
from galena.experiments.runs.kind import LeftOut as Stretches
from galena.experiments.runs.typed import Typed, WorkedOut, block, columns_of
from galena.lessons.everyone import Given, of_question
from galena.lessons.models import AnswersTable, ClassQuestion

ANSWERS = "answers"


class Answers(Typed):
    """A table with a row for each group: its number on the list, its answer, and how sure it is."""

    key = ANSWERS
    word = "everyone’s answers"

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: Stretches
    ) -> dict[int, list[Block]]:
        typed = columns_of(runs)
        tables = {table.run_id: table for table in AnswersTable.objects.filter(
            run__in=runs).select_related("question")}  # fmt: skip
        blocks = {}
        for run in runs:
            rows = _rows(tables.get(run.pk))
            columns = _columns(tables.get(run.pk), rows)
            names = tuple(_of_row(row) for row in rows)
            stretches = [*left_out.get((run.pk, None), ()), *_left_out(rows)]
            blocks[run.pk] = [block(run, typed[run.pk], stretches, columns, names)]
        return blocks

    def planned(self, run: Run) -> str:
        table = AnswersTable.objects.filter(run=run).select_related("question").first()
        if table is None or table.question is None:
            return "everyone’s answers"
        how = "as they were" if table.frozen is not None else "as they come"
        return f"everyone’s answers to “{table.question}”, {how}"

    def counts(self, runs: list[Run]) -> dict[int, int]:
        return {key: one.count for key, (one,) in self.blocks(runs, None, {}).items()}

    def refuse_reshaping(self, run: Run) -> None:
        raise TableError("Each row is the answer of a group: rows stay as they are.")


def _rows(table: AnswersTable | None) -> list[dict]:
    if table is None:
        return []
    return table.frozen if table.frozen is not None else as_rows(table.question)


def _of_row(row: dict) -> str:
    return f"{row['name']} (left out: {row['reason']})" if row["reason"] else row["name"]


def _left_out(rows: list[dict]) -> list[tuple[int, int]]:
    return [(place, place) for place, row in enumerate(rows) if row["reason"]]


def _columns(table: AnswersTable | None, rows: list[dict]) -> list[WorkedOut]:
    if table is None:
        return []
    quantities = Quantity.objects.in_bulk(table.columns.values())
    columns = []
    if place := quantities.get(table.columns.get("place")):
        columns.append(WorkedOut(place, np.arange(1.0, len(rows) + 1), None, None))
    if value := quantities.get(table.columns.get("value")):
        values = np.array([_number(row["value"]) for row in rows], dtype=float)
        u = np.array([_number(row["u"], 0.0) for row in rows], dtype=float)
        columns.append(WorkedOut(value, values, u if np.any(u) else None, None))
    return columns


def _number(value: float | None, otherwise: float = math.nan) -> float:
    return otherwise if value is None else value


def as_rows(question: ClassQuestion | None) -> list[dict]:
    """Give the answers of a question as plain rows, those left out with their reasons."""
    return [] if question is None else [_row(given) for given in of_question(question).answered]


def _row(given: Given) -> dict:
    u = given.u if math.isfinite(given.u) else None
    return {"name": str(given.group), "value": given.value, "u": u, "reason": given.reason}


def make_table(question: ClassQuestion, experiment: Experiment, person: Person) -> Run:
    """Put everyone's answers into an experiment, as a run."""
    with transaction.atomic():
        number, now = next_number(experiment), timezone.now()
        run = Run.objects.create(
            experiment=experiment, number=number, place=number, plan=ANSWERS,
            state=Run.State.FINISHED, started_at=now, ended_at=now, started_by=person, shown=True,
            name=f"all groups: {question.words}"[:80],
        )  # fmt: skip
        place = _quantity(experiment, "group, in the order of the list", "n", "", 0)
        decimals = _decimals(question)
        symbol = question.symbol or "y"
        value = _quantity(experiment, question.words, symbol, question.unit, decimals)
        AnswersTable.objects.create(
            run=run, question=question, columns={"place": place.pk, "value": value.pk}
        )
        touch(experiment)
    return run


def _decimals(question: ClassQuestion) -> int:
    us = [one.u for one in of_question(question).answered if one.u > 0 and math.isfinite(one.u)]
    return min(9, max(0, 1 - math.floor(math.log10(min(us))))) if us else 3


def _quantity(experiment, name: str, symbol: str, unit: str, decimals: int) -> Quantity:
    return Quantity.objects.create(
        experiment=experiment, name=name[:100], symbol=free_symbol(experiment, symbol[:16]),
        unit=unit, decimals=decimals, kind=Quantity.Kind.HARVESTED,
    )  # fmt: skip


def freeze(run: Run) -> None:
    """Keep everyone's answers as they are now, whatever the groups do."""
    tables = AnswersTable.objects.filter(run=run, frozen__isnull=True)
    for table in tables.select_related("question"):
        table.frozen = as_rows(table.question)
        table.save(update_fields=["frozen"])
        touch(run.experiment)
