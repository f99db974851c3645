"""`galena backup FILE` and `galena restore FILE`."""

from argparse import ArgumentParser, Namespace
from datetime import datetime
from pathlib import Path

from galena.config.commands.command import Command, set_up, set_up_database


def _backup_arguments(parser: ArgumentParser) -> None:
    parser.add_argument(
        "file", type=Path, nargs="?", help="where it goes; else into the data folder"
    )
    parser.add_argument("--without-clips", action="store_true", help="leave the films out")


def _backup(options: Namespace) -> None:
    from galena.config.data_folder import data_folder
    from galena.keeping import backups

    folder = data_folder()
    name = backups.own_name("asked for", datetime.now())
    target = options.file or folder / backups.FOLDER / name
    if target.is_dir():
        target = target / name
    made = backups.make(folder, target, "asked for", with_clips=not options.without_clips)
    print(f"{made.path}: {made.files} files, {made.size / 1e6:.1f} MB, each with its checksum.")


def _restore_arguments(parser: ArgumentParser) -> None:
    parser.add_argument("file", type=Path, help="a backup that galena made")


def _restore(options: Namespace) -> None:
    from galena.config.data_folder import held
    from galena.keeping.restoring import restore

    with held() as folder:
        set_up()
        from galena.config.database import known_migrations

        aside = restore(options.file, folder, known_migrations())
        set_up_database()
    print(f"{options.file} is back in {folder}.")
    if aside is not None:
        print(f"What was there before is in “{aside.name}” beside it; remove it when all is well.")


BACKUP = Command(
    "backup",
    "keep everything in one file, also while runs are recorded",
    _backup_arguments,
    _backup,
)
RESTORE = Command(
    "restore", "bring a backup back; what is there is put aside", _restore_arguments, _restore
)
