"""`galena check`: whether machine, disk, database and ports are as they should be."""

import shutil
import sqlite3
import sys
from argparse import ArgumentParser, Namespace
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass

from galena.config.commands.command import Command, set_up


@dataclass(frozen=True)
class Look:
    """One thing that was looked at."""

    is_well: bool
    words: str


def _arguments(parser: ArgumentParser) -> None:
    parser.add_argument("--port", type=int, default=8000, help="the port that it would listen on")


def _run(options: Namespace) -> int:
    set_up()
    wrong = 0
    for look in looks(options.port):
        print(f"{'well ' if look.is_well else 'LOOK '} {look.words}", flush=True)
        wrong += not look.is_well
    return 1 if wrong else 0


def looks(port: int) -> Iterator[Look]:
    """Look at one thing after the other."""
    yield from _programs()
    yield from _disk()
    yield from _database()
    yield _listening(port)
    yield from _serial_ports()


def _programs() -> Iterator[Look]:
    from galena import __version__

    version = sys.version.split()[0]
    yield Look(sys.version_info >= (3, 11), f"Galena {__version__} on Python {version}")
    from galena.shell.pdf import missing_libraries

    missing = missing_libraries()
    yield Look(not missing, missing or "reports can be printed as PDF")


def _disk() -> Iterator[Look]:
    from galena.config.data_folder import data_folder
    from galena.shell import disk

    folder = data_folder()
    free = shutil.disk_usage(folder).free
    yield Look(free > disk.WARNS_AT, f"{folder}: {free / 1e9:.1f} GB free")


def _database() -> Iterator[Look]:
    from galena.config.database import database_file, is_of_before, missing_migrations

    path = database_file()
    if not path.exists():
        yield Look(True, "no database yet: it is made at the first start")
        return
    try:
        if is_of_before(path):
            yield Look(False, f"{path} was made before the first release, and cannot be read")
            return
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as opened:
            word = opened.execute("PRAGMA quick_check(1)").fetchone()[0]
    except sqlite3.Error as error:
        word = str(error)
    yield Look(word == "ok", f"{path}: {'whole' if word == 'ok' else word}")
    if word != "ok":
        return
    if waiting := missing_migrations():
        yield Look(True, f"it is brought up to date at the next start ({len(waiting)} steps)")
    yield from _first_teacher()


def _first_teacher() -> Iterator[Look]:
    from django.db import DatabaseError

    from galena.classroom.people import teachers

    try:
        count = teachers().filter(is_active=True).count()
    except DatabaseError:
        return
    if not count:
        yield Look(True, "no teacher yet: galena serve prints where to make the first account")
        return
    yield Look(True, f"{count} teacher{'' if count == 1 else 's'} can sign in")


def _listening(port: int) -> Look:
    from galena.config.serving import listen

    try:
        listen("127.0.0.1", port).close()
    except SystemExit as error:
        return Look(False, str(error))
    return Look(True, f"port {port} is free")


def _serial_ports() -> Iterator[Look]:
    from galena.instruments.discovery import list_serial_ports
    from galena.instruments.rights import refusal

    ports = list_serial_ports()
    if not ports:
        yield Look(True, "no board is plugged in")
    for one in ports:
        why = refusal(one.device)
        yield Look(not why, f"{one.device}: {why or 'can be opened'}")


CHECK = Command("check", "look at settings, disk, database and ports", _arguments, _run)
