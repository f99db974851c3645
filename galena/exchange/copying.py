"""Rows of an experiment are made anew: each has what it refers to be the copy of that."""

from collections.abc import Iterable
from typing import Any

from django.db import models

from galena.exchange.parts import Keys, Part, all_parts
from galena.experiments.models import Experiment

AT_ONCE = 500  # rows in memory

Row = dict[str, Any]  # the columns of a row by their names, as they are stored


class Copying:
    """Makes rows anew, part by part; `finish` mends what referred to rows that came later.

    keys: of each model, from the keys that rows refer by to those of their copies.
    """

    def __init__(self, keys: Keys) -> None:
        self.keys = keys
        self._models = {Experiment, *(part.model for part in all_parts())}
        self._later: list[tuple[models.Model, Row]] = []

    def put(self, part: Part, rows: Iterable[tuple[int, Row]]) -> None:
        """Make rows of a part, each with the key that others refer to it by."""
        keys = self.keys.setdefault(part.model, {})
        waiting: list[tuple[int, Row]] = []
        for key, row in rows:
            waiting.append((key, row))
            if len(waiting) == AT_ONCE:
                keys |= self._written(part, waiting)
                waiting = []
        keys |= self._written(part, waiting)

    def point(self, model: type[models.Model], key: int) -> int | None:
        """Give the key of a row's copy; None where it was not copied."""
        return self.keys.get(model, {}).get(key)

    def finish(self) -> None:
        """Have what refers to rows that came later refer to their copies."""
        by_columns: dict[tuple[type[models.Model], tuple[str, ...]], list[models.Model]] = {}
        for row, values in self._later:
            for name, value in values.items():
                setattr(row, name, value() if callable(value) else value)
            by_columns.setdefault((type(row), tuple(sorted(values))), []).append(row)
        for (model, names), rows in by_columns.items():
            columns = [model._meta.get_field(name.removesuffix("_id")).name for name in names]
            model._default_manager.bulk_update(rows, columns, batch_size=AT_ONCE)
        self._later = []

    def _written(self, part: Part, waiting: list[tuple[int, Row]]) -> dict[int, int]:
        made = []
        for _, values in waiting:
            row = part.model()
            later = self._fill(part, row, values)
            made.append(row)
            if later:
                self._later.append((row, later))
        written = part.model._default_manager.bulk_create(made)
        return {key: row.pk for (key, _), row in zip(waiting, written, strict=True)}

    def _fill(self, part: Part, row: models.Model, values: Row) -> Row:
        """Fill a row in; gives what can only be told when all rows are there."""
        later: Row = {}
        for field in part.model._meta.concrete_fields:
            name = field.attname
            if field.primary_key or name not in values:
                continue
            value = values[name]
            if field.related_model in self._models and field.name not in part.alike:
                of = self.keys.get(field.related_model)
                if of is None and value is not None:
                    later[name] = _pointing(self, field.related_model, value)
                value = None if of is None or value is None else of.get(value)
            elif name in part.pointed:
                later[name] = _naming(self, part, name, value)
            elif getattr(field, "auto_now", False) or getattr(field, "auto_now_add", False):
                later[name] = value  # a new row would have the time of its making
            setattr(row, name, value)
        return later


def _pointing(copying: Copying, model: type[models.Model], key: int):
    return lambda: copying.point(model, key)


def _naming(copying: Copying, part: Part, name: str, value: Any):
    return lambda: part.pointed[name](value, copying.point)


def values_of(row: models.Model) -> Row:
    """Give the columns of a row by their names."""
    return {field.attname: getattr(row, field.attname) for field in row._meta.concrete_fields}
