"""Rows as JSON (RFC 8259): each column under its name, other rows by the numbers that they have.

What comes from elsewhere is checked here, column by column, before it becomes a row.
"""

import base64
import binascii
import math
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import Any

from django.db import models

from galena.core.numbers import LARGEST
from galena.exchange.copying import Row
from galena.exchange.errors import PackageError
from galena.exchange.parts import Part, Point

Counts = dict[type[models.Model], int]  # how many rows there are of each model

LONGEST_TEXT = 20_000_000  # characters
DEEPEST = 8  # of what is kept as JSON in a column
_WHOLE = {
    "PositiveSmallIntegerField": (0, 32_767),
    "SmallIntegerField": (-32_768, 32_767),
    "PositiveIntegerField": (0, 2**31 - 1),
    "BigIntegerField": (-(2**63), 2**63 - 1),
}


def written(part: Part, row: models.Model, people: "People", point: Point) -> Row:
    """Write a row; other rows and people by their numbers."""
    values: Row = {}
    for field in columns_of(part):
        value = getattr(row, field.attname)
        if value is not None:
            if people.is_one(field):
                value = people.number(value)
            elif field.related_model is not None:
                value = point(field.related_model, value)
            elif field.name in part.pointed:
                value = part.pointed[field.name](value, point)
            else:
                value = plain(value)
        values[field.name] = value
    return values


def plain(value: Any) -> Any:
    """Write a value of a column."""
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat().replace("+00:00", "Z")
    if isinstance(value, bytes | memoryview):
        return base64.b64encode(bytes(value)).decode()
    if isinstance(value, float) and not math.isfinite(value):
        return None
    return value


def columns_of(part: Part) -> list[models.Field]:
    """Give the columns that a file has of a part: all but its key, its experiment, and files."""
    return [
        field
        for field in part.model._meta.concrete_fields
        if not field.primary_key and field.name not in part.apart and field.name != "experiment"
    ]


class People:
    """The people of a file: by their numbers, in the order in which they are met."""

    def __init__(self, person: type[models.Model]) -> None:
        self._model = person
        self._names: dict[int, str] = {}
        self._numbers: dict[str, int] = {}

    def is_one(self, field: models.Field) -> bool:
        """Tell whether a column names a person."""
        return field.related_model is self._model

    def number(self, key: int) -> int:
        """Give the number of a person by its key."""
        if key not in self._names:
            self._names[key] = str(self._model._default_manager.get(pk=key))
        return self._numbers.setdefault(self._names[key], len(self._numbers) + 1)

    @property
    def names(self) -> list[str]:
        """How they are called, in the order of their numbers."""
        return list(self._numbers)


def read(part: Part, number: int, values: object, people: list[int], counts: Counts) -> Row:
    """Check a row that was read, and give its columns as they are stored.

    people: their keys; counts: how many rows of each model there are, as numbers. Rows are still
    named by their numbers. Raises PackageError, which says where.
    """
    where = f"{part.key} {number}"
    if not isinstance(values, dict):
        raise PackageError(f"{where} is no row.")
    fields = {field.name: field for field in columns_of(part)}
    if odd := [name for name in values if name not in fields]:
        raise PackageError(f"{where} has a column that nobody knows here: “{odd[0][:40]}”.")
    row: Row = {}
    for name, field in fields.items():
        if name not in values:
            row[field.attname] = field.get_default()
            continue
        value = values[name]
        try:
            row[field.attname] = value_in(field, value, people, counts)
        except ValueError as error:
            raise PackageError(f"{where}: {name} {error}.") from error
    return row


def value_in(
    field: models.Field, value: Any, people: Sequence[int] = (), counts: Counts | None = None
) -> Any:
    """Check a value of a column. Raises ValueError, which says in words what is wrong."""
    if value is None:
        if not field.null:
            raise ValueError("is missing")
        return None
    kind = field.get_internal_type()
    if field.related_model is not None:
        return _reference(field, value, people, counts or {})
    if kind == "BooleanField":
        return _of_type(value, bool, "is neither true nor false")
    if kind in _WHOLE:
        return _whole(value, *_WHOLE[kind])
    if kind == "FloatField":
        return _number(value)
    if kind == "DateTimeField":
        return _time(value)
    if kind == "JSONField":
        _refuse_deep(value)
        return value
    if kind == "BinaryField":
        return _bytes(value)
    return _text(field, value)


def _reference(field: models.Field, value: Any, people: Sequence[int], counts: Counts) -> int:
    model = field.related_model
    if model in counts:
        return _whole(value, 1, counts[model])
    return people[_whole(value, 1, len(people)) - 1]


def _of_type(value: Any, wanted: type, problem: str) -> Any:
    if not isinstance(value, wanted):
        raise ValueError(problem)
    return value


def _whole(value: Any, least: int, most: int) -> int:
    if isinstance(value, bool) or not isinstance(value, int) or not least <= value <= most:
        raise ValueError("is no number that it can be")
    return value


def _number(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError("is no number")
    if not math.isfinite(value) or abs(value) > LARGEST:
        raise ValueError("is beyond all measuring")
    return float(value)


def _time(value: Any) -> datetime:
    try:
        time = datetime.fromisoformat(_of_type(value, str, "is no time"))
    except ValueError:
        raise ValueError("is no time") from None
    if time.tzinfo is None or not 1900 <= time.year <= 2500:
        raise ValueError("is no time that it can be")
    return time


def _bytes(value: Any) -> bytes:
    try:
        return base64.b64decode(_of_type(value, str, "is no text"), validate=True)
    except binascii.Error:
        raise ValueError("cannot be read") from None


def _text(field: models.Field, value: Any) -> str:
    text = _of_type(value, str, "is no text")
    if len(text) > (field.max_length or LONGEST_TEXT):
        raise ValueError("is too long")
    if any(
        (ord(sign) < 32 and sign not in "\n\t\r") or "\ud800" <= sign <= "\udfff" for sign in text
    ):
        raise ValueError("has signs that cannot be shown")
    if field.choices and value not in dict(field.flatchoices) and (value or not field.blank):
        raise ValueError("is none of what it can be")
    return text


def _refuse_deep(value: Any, depth: int = 0) -> None:
    if depth > DEEPEST:
        raise ValueError("is too deep")
    if isinstance(value, dict):
        value = list(value.values())
    if isinstance(value, list):
        for part in value:
            _refuse_deep(part, depth + 1)
    elif isinstance(value, float | int) and not isinstance(value, bool):
        _number(value)
