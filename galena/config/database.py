"""The database as Galena starts: made or brought up to date, or told to be of another time.

From the first release, 0.2.0, on migrations are never rewritten. What was made before it is known
by its tables: in the demo it is put aside, elsewhere it is refused.
"""

import hashlib
import pkgutil
import sqlite3
from contextlib import closing
from datetime import datetime
from pathlib import Path

import django
from django.apps import apps
from django.core.management import call_command
from django.db import DatabaseError, connections
from django.db.migrations.loader import MigrationLoader

from galena.core.errors import GalenaError
from galena.keeping import backups

OWN = "galena."
_CHANGES = "before a change of the database"


class DamagedDatabaseError(GalenaError):
    """The database cannot be read."""


class EarlierDatabaseError(GalenaError):
    """The database was made by an earlier Galena, before the first release."""


def make_ready(*, rebuild: bool) -> str:
    """Bring the database up to date; gives a word on what was done, where that is unusual.

    rebuild: whether one of before is put aside, so that a new one is made. Raises
    EarlierDatabaseError where it is of before and is not put aside, and DamagedDatabaseError.
    """
    path = database_file()
    try:
        return _made_ready(path, rebuild)
    except (sqlite3.DatabaseError, DatabaseError) as error:
        raise DamagedDatabaseError(
            f"{path} cannot be read ({error}). Bring a backup back with galena restore FILE: those "
            f"of the last nights are in {path.parent / backups.FOLDER}."
        ) from error


def _made_ready(path: Path, rebuild: bool) -> str:
    stamp = _stamp()
    if path.exists() and _has_stamp(path, stamp):
        return ""
    word = _brought_up_to_date(path, rebuild)
    with connections["default"].cursor() as cursor:
        cursor.execute(f"PRAGMA user_version = {stamp}")
    return word


def _stamp() -> int:
    """Give the number that a database has once all migrations of this Galena were applied.

    To ask Django takes longer than all else of the start.
    """
    names = sorted(
        f"{config.label}.{module.name}"
        for config in apps.get_app_configs()
        for module in pkgutil.iter_modules([str(Path(config.path) / "migrations")])
    )
    digest = hashlib.sha256(" ".join([django.__version__, *names]).encode()).digest()
    return int.from_bytes(digest[:4]) >> 1 or 1  # as SQLite keeps it: 31 bits, and not nothing


def _has_stamp(path: Path, stamp: int) -> bool:
    """Tell whether a database was brought up to date by this Galena, and can be read."""
    with closing(sqlite3.connect(path)) as database:
        if database.execute("PRAGMA user_version").fetchone() != (stamp,):
            return False
        return bool(database.execute("SELECT COUNT(*) FROM django_migrations").fetchone()[0])


def _brought_up_to_date(path: Path, rebuild: bool) -> str:
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
    if path.exists() and missing_migrations():
        kept = _keep_as_it_was(path)
        word = word or (f"The database is brought up to date; as it was it is in {kept.name}."
                        if kept else "")  # fmt: skip
    call_command("migrate", verbosity=0)
    return word


def database_file() -> Path:
    """Give the file of the database."""
    return Path(connections["default"].settings_dict["NAME"])


def known_migrations() -> set[tuple[str, str]]:
    """Give the migrations that this Galena has, by app and name."""
    return set(MigrationLoader(None, ignore_no_migrations=True).disk_migrations)


def missing_migrations() -> list[tuple[str, str]]:
    """List the migrations that the database has not seen; none of a database without tables."""
    loader = MigrationLoader(connections["default"], ignore_no_migrations=True)
    if not loader.applied_migrations:
        return []
    return sorted(set(loader.disk_migrations) - set(loader.applied_migrations))


def _keep_as_it_was(path: Path) -> Path | None:
    """Make a backup of the database before it is changed; None where it is not in its folder."""
    if path.name != backups.DATABASE:
        return None
    target = path.parent / backups.FOLDER / backups.own_name(_CHANGES, datetime.now())
    return backups.make(path.parent, target, _CHANGES, with_clips=False).path


def is_of_before(path: Path) -> bool:
    """Tell whether Galena's tables in a file are not as the migrations that it names made them.

    That is so for what was made before the first release, when migrations were rewritten.
    """
    with closing(sqlite3.connect(path)) as database:
        tables = {name for (name,) in database.execute("SELECT name FROM sqlite_master")}
        if "django_migrations" not in tables:
            return False
        applied = {
            tuple(row) for row in database.execute("SELECT app, name FROM django_migrations")
        }
        return any(
            _columns(database, table) != columns
            for table, columns in _stated(applied).items()
            if table in tables
        )


def _stated(applied: set[tuple]) -> dict[str, set[str]]:
    """Give the columns of each of Galena's tables after some migrations."""
    loader = MigrationLoader(None, ignore_no_migrations=True)
    nodes = [one for one in loader.graph.nodes if one in applied]
    models = loader.project_state(nodes).apps.get_models(include_auto_created=True)
    own = {config.label for config in apps.get_app_configs() if config.name.startswith(OWN)}
    return {
        model._meta.db_table: {field.column for field in model._meta.concrete_fields}
        for model in models
        if model._meta.app_label in own
    }


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
