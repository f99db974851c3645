"""What of lessons goes along into a copy of an experiment, and into the experiment as a file."""

import json
from typing import Any

from galena.exchange.errors import PackageError
from galena.exchange.packing import Packing
from galena.exchange.parts import Belongs, Keys, Part, Point, register
from galena.exchange.unpacking import Unpacking
from galena.experiments.models import Experiment, Quantity
from galena.lessons.answers_table import as_rows
from galena.lessons.models import AnswersTable

LONGEST, MOST_ROWS = 200_000, 1000
_COLUMNS = {"name": str, "value": float, "u": float, "reason": str}


def register_parts() -> None:
    """Have tables of everyone's answers copied with their experiment."""
    register(
        Part(AnswersTable, "run__experiment", Belongs.RUNS, apart=("question", "frozen"),
             pointed={"columns": _columns}),
        files=AnswersFiles(),
    )  # fmt: skip


def _columns(columns: dict[str, Any], point: Point) -> dict[str, int | None]:
    return {name: point(Quantity, key) for name, key in columns.items() if isinstance(key, int)}


class AnswersFiles:
    """Writes the answers of a table as they are now, and reads them as those of another class."""

    def write(self, experiment: Experiment, numbers: Keys, package: Packing) -> None:
        """Write a file for each table."""
        for table in AnswersTable.objects.filter(run__experiment=experiment):
            rows = table.frozen if table.frozen is not None else as_rows(table.question)
            name = name_of(numbers[AnswersTable][table.pk])
            package.put(name, json.dumps(rows, ensure_ascii=False).encode())

    def read(self, experiment: Experiment, keys: Keys, package: Unpacking) -> None:
        """Read them into the tables, which follow nobody here. Raises PackageError."""
        for number, key in keys.get(AnswersTable, {}).items():
            rows = _checked(package.text(name_of(number), LONGEST), name_of(number))
            AnswersTable.objects.filter(pk=key).update(frozen=rows, question=None)


def name_of(number: int) -> str:
    """Give the name of the file of a table."""
    return f"answers/{number}.json"


def _checked(text: str, name: str) -> list[dict]:
    try:
        rows = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise PackageError(f"{name} cannot be read.") from error
    if not isinstance(rows, list) or len(rows) > MOST_ROWS:
        raise PackageError(f"{name} is no list of answers.")
    return [_row(row, name) for row in rows]


def _row(row: object, name: str) -> dict:
    if not isinstance(row, dict) or set(row) != set(_COLUMNS):
        raise PackageError(f"{name} has a row that is no answer.")
    for column, kind in _COLUMNS.items():
        value = row[column]
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        fits = isinstance(value, str) if kind is str else is_number or (value is None)
        if not fits or (is_number and not abs(value) < 1e300):
            raise PackageError(f"{name} has a row that is no answer.")
    return {column: str(row[column])[:200] if kind is str else row[column]
            for column, kind in _COLUMNS.items()}  # fmt: skip
