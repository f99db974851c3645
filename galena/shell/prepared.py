"""Queries that are asked again and again, written as SQL once: for small tables that takes longer
than to ask them.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Iterator
from typing import Any, Generic, TypeVar

from django.db import connection
from django.db.models import Model, QuerySet
from django.db.models.expressions import RawSQL
from django.db.models.query import get_related_populators

STANDS_FOR_KEY = -7_070_707_070  # no row has such a key
_STANDING = (STANDS_FOR_KEY, str(STANDS_FOR_KEY))  # as a column of text has it
STANDS_FOR_KEYS = RawSQL("SELECT value FROM json_each(%s)", [STANDS_FOR_KEY])
Key = int | str | Collection[int]

Row = TypeVar("Row", bound=Model)

_of_values: dict[str, _Written] = {}
_of_objects: dict[str, _Objects[Any]] = {}
_asks: dict[str, object] = {}  # the code that writes the query of a name


class _Written:
    """A query as SQL with a key left open."""

    def __init__(self, query: QuerySet) -> None:
        self.compiler = query.query.get_compiler(using="default")
        self.sql, parameters = self.compiler.as_sql()
        self.parameters = tuple(parameters)
        columns = [column for column, _, _ in self.compiler.select]
        self.converters = self.compiler.get_converters(columns)

    def rows(self, key: Key) -> list[tuple]:
        """Ask it for a key, or for several."""
        asked = key if isinstance(key, int | str) else json.dumps(list(key))
        with connection.cursor() as cursor:
            cursor.execute(
                self.sql, [asked if one in _STANDING else one for one in self.parameters]
            )
            rows: Any = cursor.fetchall()
        return self.compiler.apply_converters(rows, self.converters) if self.converters else rows


class _Objects(Generic[Row]):
    """A query that gives rows as objects, as Django's own ModelIterable makes them."""

    def __init__(self, query: QuerySet[Row]) -> None:
        self._written = _Written(query)
        compiler = self._written.compiler
        kind = compiler.klass_info
        if compiler.annotation_col_map:
            raise ValueError("Only rows and what they are joined with are prepared.")
        fields = kind["select_fields"]
        self._own = slice(fields[0], fields[-1] + 1)
        self._names = [column.target.attname for column, _, _ in compiler.select[self._own]]
        self._joined = get_related_populators(kind, compiler.select, "default")  # type: ignore[call-arg]

    def of(self, model: type[Row], key: Key) -> list[Row]:
        objects = []
        for row in self._written.rows(key):
            instance = model.from_db("default", self._names, row[self._own])
            for joined in self._joined:
                joined.populate(row, instance)
            objects.append(instance)
        return objects


def prepared(name: str, query: Callable[[Any], QuerySet], key: Key) -> Iterator[dict[str, Any]]:
    """Give the rows of a query as `values()` does, by the key of a row that it is about, or by
    several, of which it then says `in`.

    name: told once for each query. query: gives it, as `values()` of columns, for a key.
    """
    _refuse_second(name, query)
    if name not in _of_values:
        of_columns = query(_open(key))
        written = _Written(of_columns)
        if len(of_columns.query.values_select) != len(written.compiler.select):
            raise ValueError("Only columns of rows are prepared.")
        _of_values[name] = written
    written = _of_values[name]
    names = written.compiler.query.values_select
    return (dict(zip(names, row, strict=True)) for row in written.rows(key))


def prepared_objects(name: str, query: Callable[[Any], QuerySet[Row]], key: Key) -> list[Row]:
    """Give the rows of a query as objects, with what it joins by `select_related`.

    name: told once for each query. query: gives it for a key, or several, as for `prepared`.
    """
    _refuse_second(name, query)
    asked = _of_objects.get(name)
    if asked is None:
        asked = _of_objects[name] = _Objects(query(_open(key)))
    return asked.of(asked._written.compiler.query.model, key)


def _refuse_second(name: str, query: Any) -> None:
    """Raise ValueError where a name stands for another query already."""
    code = getattr(query, "func", query).__code__
    if _asks.setdefault(name, code) is not code:
        raise ValueError(f"“{name}” is the name of another query.")


def _open(key: Key) -> int | RawSQL:
    return STANDS_FOR_KEY if isinstance(key, int | str) else STANDS_FOR_KEYS


class _AtHand(QuerySet[Row]):
    """The rows of a relation that are there already; whoever narrows them asks the database."""

    of_owner: dict[str, Model]

    def _clone(self) -> QuerySet[Row]:
        return self.model._default_manager.filter(**self.of_owner)


def attach(row: Model, **others: Model | None) -> None:
    """Have a row know the rows that it refers to by its keys, each by the name of its field.

    As to set them one by one, which takes several times as long.
    """
    row._state.fields_cache.update(others)


def hold(owners: Collection[Model], name: str, rows: Iterable[Row]) -> None:
    """Have objects know the rows of a relation, each its own, as `prefetch_related` does.

    name: of the relation, by which the rows refer to one of the owners.
    """
    rows_of: dict[Any, list[Row]] = {owner.pk: [] for owner in owners}
    for owner in owners:
        relation: Any = owner._meta.get_field(name)
        held: _AtHand[Row] = _AtHand(relation.related_model)
        held.of_owner = {relation.field.name: owner}
        held._result_cache = rows_of[owner.pk]
        held._prefetch_done = True  # type: ignore[attr-defined]
        owner.__dict__.setdefault("_prefetched_objects_cache", {})[name] = held
    by_key = {owner.pk: owner for owner in owners}
    for row in rows if owners else ():
        key = getattr(row, relation.field.attname)
        if key in by_key:
            setattr(row, relation.field.name, by_key[key])
            rows_of[key].append(row)
