"""Choosing among many runs: their conditions in columns, sorted and narrowed down."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galena.core.conditions import Held, shown
from galena.experiments.models import Condition, ConditionValue, Run

MOST_CHIPS = 8  # with more runs the rail shows only those that are shown
BY_NUMBER = "number"


@dataclass(frozen=True)
class Column:
    """A condition that some run has: the values that there are, and the one narrowed down to."""

    condition: Condition
    values: list[tuple[str, str]]
    wanted: str

    @property
    def key(self) -> str:
        return str(self.condition.pk)


@dataclass(frozen=True)
class Row:
    """A run with its value of each column as it is shown, empty where it has none."""

    run: Run
    values: list[str]


@dataclass(frozen=True)
class Choice:
    """What is to choose from: columns, and the rows left in their order."""

    columns: list[Column]
    rows: list[Row]
    count: int
    sort: str
    down: bool

    @property
    def is_narrowed(self) -> bool:
        """Tell whether some runs are left out."""
        return len(self.rows) < self.count

    @property
    def shown(self) -> int:
        """How many of the rows left are shown in the graphs."""
        return sum(row.run.shown for row in self.rows)


def choice(
    runs: list[Run], wanted: Mapping[str, str], sort: str = BY_NUMBER, *, down: bool = False
) -> Choice:
    """Sort runs by a condition, or by their number, and keep those with the wanted values.

    `condition_values__condition` must be prefetched; wanted: by a condition's key the sameness of
    its value as `value_key` writes it; an empty one wants nothing.
    """
    held = {run.pk: {one.condition_id: one for one in run.condition_values.all() if one.text}
            for run in runs}  # fmt: skip
    columns = _columns(held.values(), wanted)
    kept = [
        run for run in runs
        if all(not one.wanted or value_key(held[run.pk].get(one.condition.pk)) == one.wanted
               for one in columns)
    ]  # fmt: skip
    kept.sort(key=lambda run: run.number, reverse=down and sort == BY_NUMBER)
    by = next((one.condition.pk for one in columns if one.key == sort), None)
    if by is not None:
        having = [run for run in kept if by in held[run.pk]]
        having.sort(key=lambda run: _order(held[run.pk][by]), reverse=down)
        kept = having + [run for run in kept if by not in held[run.pk]]
    rows = [Row(run, [_text(held[run.pk].get(one.condition.pk)) for one in columns])
            for run in kept]  # fmt: skip
    return Choice(columns, rows, len(runs), sort, down)


def value_key(value: ConditionValue | None) -> str:
    """Name the value of a condition: equal for equal values, however they were typed."""
    return "" if value is None else str(Held(value.text, value.value).sameness)


def _text(value: ConditionValue | None) -> str:
    return "" if value is None else shown(value.text)


def _columns(
    held: Iterable[Mapping[int, ConditionValue]], wanted: Mapping[str, str]
) -> list[Column]:
    conditions: dict[int, Condition] = {}
    values: dict[int, dict[str, ConditionValue]] = {}
    for of_run in held:
        for pk, value in of_run.items():
            conditions[pk] = value.condition
            values.setdefault(pk, {}).setdefault(value_key(value), value)
    return [
        Column(
            conditions[pk],
            [(key, _text(one)) for key, one in sorted(values[pk].items(), key=_by_value)],
            key if (key := wanted.get(str(pk), "")) in values[pk] else "",
        )
        for pk in sorted(conditions)
    ]


def _by_value(pair: tuple[str, ConditionValue]) -> tuple[bool, float, str]:
    return _order(pair[1])


def _order(value: ConditionValue) -> tuple[bool, float, str]:
    """Numbers in their order before words in theirs."""
    number = value.value
    return (True, 0.0, value.text.casefold()) if number is None else (False, number, "")
