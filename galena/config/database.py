"""The database as Galena starts: made or brought up to date, or told to be of another time.

Until the first release the one migration of each app is rewritten where a model changes; a file
that an earlier Galena made is known by its tables, and put aside.
"""

import sqlite3
from contextlib import closing
from datetime import datetime
from pathlib import Path

from django.apps import apps
from django.core.management import call_command
from django.db import connections

OWN = "galena."


class EarlierDatabaseError(Exception):
    """The database was made by an earlier Galena, before the first release."""


def make_ready(*, rebuild: bool) -> str:
    """Bring the database up to date; gives a word on what was done, where that is unusual.

    rebuild: whether one of before is put aside, so that a new one is made. Raises
    EarlierDatabaseError where it is of before and is not put aside.
    """
    path = Path(connections["default"].settings_dict["NAME"])
    word = ""
    if path.exists() and is_of_before(path):
        if not rebuild:
            raise EarlierDatabaseError(
                f"{path} was made by a Galena of before the first release, which this one cannot "
                "read. Put the file somewhere else, or name another folder in GALENA_DATA."
            )
        aside = put_aside(path)
        word = (
            f"The demo world in {path.name} was made by an earlier Galena. It was put aside as "
            f"{aside.name}, and a new one is made."
        )
    call_command("migrate", verbosity=0)
    return word


def is_of_before(path: Path) -> bool:
    """Tell whether one of Galena's tables in a file has other columns than it has now."""
    with closing(sqlite3.connect(path)) as database:
        tables = {name for (name,) in database.execute("SELECT name FROM sqlite_master")}
        return any(
            _columns(database, model._meta.db_table) != columns
            for model in apps.get_models(include_auto_created=True)
            if model.__module__.startswith(OWN) and model._meta.db_table in tables
            and (columns := {field.column for field in model._meta.concrete_fields})
        )  # fmt: skip


def _columns(database: sqlite3.Connection, table: str) -> set[str]:
    return {row[1] for row in database.execute(f'PRAGMA table_info("{table}")')}


def put_aside(path: Path) -> Path:
    """Give a database file another name, with what SQLite keeps beside it; gives the new one."""
    stamp = datetime.now().astimezone().strftime("%Y-%m-%d %H-%M-%S")
    aside = path.with_name(f"{path.stem} of before {stamp}{path.suffix}")
    connections.close_all()
    for ending in ("", "-wal", "-shm"):
        beside = path.with_name(path.name + ending)
        if beside.exists():
            beside.rename(aside.with_name(aside.name + ending))
    return aside
