"""The database is that of the models; a database of before is recognised, never overwritten."""

import sqlite3
from contextlib import closing

import pytest
from django.core.management import call_command

from galena.config import database
from galena.config.database import EarlierDatabaseError, is_of_before, make_ready


@pytest.fixture(autouse=True)
def with_migrations(settings):
    """Have the migrations be there: `make check` makes its tables without them."""
    settings.MIGRATION_MODULES = {}


def made(path, columns):
    with closing(sqlite3.connect(path)) as connection:
        connection.execute(f"CREATE TABLE experiments_given ({columns})")
        connection.execute("CREATE TABLE django_migrations (id INTEGER, app TEXT, name TEXT)")
        for app in ("classroom", "experiments"):
            connection.execute(
                "INSERT INTO django_migrations VALUES (1, ?, '0001_initial')", (app,)
            )
        connection.commit()
    return path


def test_a_table_with_other_columns_is_of_before(tmp_path):
    now = "id, experiment_id, name, symbol, unit, text, value, u, note"
    assert not is_of_before(made(tmp_path / "now.sqlite3", now))
    assert is_of_before(made(tmp_path / "fewer.sqlite3", "id, experiment_id, name"))
    assert is_of_before(made(tmp_path / "more.sqlite3", now + ", shelf"))
    empty = tmp_path / "empty.sqlite3"
    empty.touch()
    assert not is_of_before(empty)


@pytest.fixture
def earlier(tmp_path, monkeypatch):
    """A file of before in the place of the database."""
    path = made(tmp_path / "galena.sqlite3", "id, experiment_id, name")
    monkeypatch.setitem(database.connections["default"].settings_dict, "NAME", path)
    return path


def test_a_server_says_what_to_do_and_leaves_the_file(earlier):
    before = earlier.read_bytes()
    with pytest.raises(EarlierDatabaseError, match="Put the file somewhere else"):
        make_ready(rebuild=False)
    assert earlier.read_bytes() == before


def test_a_demo_world_of_before_is_put_aside_with_a_word(db, earlier, monkeypatch):
    monkeypatch.setattr(database.connections, "close_all", lambda: None)
    monkeypatch.setattr(database, "call_command", lambda *_, **__: None)
    before = earlier.read_bytes()
    told = make_ready(rebuild=True)
    (aside,) = earlier.parent.glob("galena of before *.sqlite3")
    assert aside.read_bytes() == before
    assert not earlier.exists()
    assert aside.name in told
    assert make_ready(rebuild=True) == ""


def test_the_models_are_those_of_the_migrations(db):
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)  # exits where they differ


def test_what_is_up_to_date_is_not_asked_again_until_something_changes(db, tmp_path, monkeypatch):
    path = made(tmp_path / "galena.sqlite3", "id")
    monkeypatch.setitem(database.connections["default"].settings_dict, "NAME", path)
    done = []
    monkeypatch.setattr(database, "_brought_up_to_date", lambda *_: done.append(1) or "")
    stamp = database._stamp()
    with closing(sqlite3.connect(path)) as connection:
        connection.execute(f"PRAGMA user_version = {stamp}")
    make_ready(rebuild=False)
    assert not done
    monkeypatch.setattr(database, "_stamp", lambda: stamp + 1)  # as one migration more gives
    make_ready(rebuild=False)
    assert done


def test_the_stamp_tells_migrations_apart(monkeypatch):
    before = database._stamp()
    monkeypatch.setattr(database.pkgutil, "iter_modules", lambda _: [])
    assert 0 < database._stamp() < 2**31
    assert database._stamp() != before
