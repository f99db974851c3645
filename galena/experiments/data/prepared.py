"""Queries that are asked again and again, written as SQL once: for small tables that takes longer
than to ask them.
"""

from collections.abc import Callable, Iterator
from typing import Any

from django.db import connection
from django.db.models import QuerySet

STANDS_FOR_KEY = -7_070_707_070  # no row has such a key

_written: dict[str, tuple[str, tuple, tuple[str, ...], Any, dict]] = {}


def prepared(name: str, query: Callable[[int], QuerySet], key: int) -> Iterator[dict[str, Any]]:
    """Give the rows of a query as `values()` does, by the key of a row that it is about.

    name: told once for each query. query: gives it, as `values()` of columns, for a key.
    """
    if name not in _written:
        _written[name] = _write(query(STANDS_FOR_KEY))
    sql, parameters, names, compiler, converters = _written[name]
    with connection.cursor() as cursor:
        cursor.execute(sql, [key if one == STANDS_FOR_KEY else one for one in parameters])
        rows: Any = cursor.fetchall()
    if converters:
        rows = compiler.apply_converters(rows, converters)
    return (dict(zip(names, row, strict=True)) for row in rows)


def _write(query: QuerySet) -> tuple[str, tuple, tuple[str, ...], Any, dict]:
    compiler = query.query.get_compiler(using="default")
    sql, parameters = compiler.as_sql()
    names = tuple(query.query.values_select)
    if len(names) != len(compiler.select):
        raise ValueError("Only columns of rows are prepared.")
    converters = compiler.get_converters([column for column, _, _ in compiler.select])
    return sql, tuple(parameters), names, compiler, converters
