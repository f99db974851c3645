"""Galena's command line. Each command is an entry of COMMANDS; none loads Django to be listed."""

import argparse
import os
import sys

from galena import __version__
from galena.config.commands import boards, checking, keeping, people, running
from galena.config.commands.command import Command
from galena.core.errors import GalenaError

COMMANDS: tuple[Command, ...] = (
    running.SERVE,
    running.DEMO,
    keeping.BACKUP,
    keeping.RESTORE,
    checking.CHECK,
    people.PERSON,
    boards.CHECK_BOARD,
)


def main(arguments: list[str] | None = None) -> None:
    """Read the command line and do what it says."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    words = sys.argv[1:] if arguments is None else arguments
    if words[:1] == ["manage"]:  # Django's own commands, for those who work on Galena
        from django.core.management import execute_from_command_line

        execute_from_command_line(["galena", *words[1:]])
        return
    options = _parser().parse_args(words)
    try:
        code = options.run(options)
    except GalenaError as error:
        sys.exit(str(error))
    except KeyboardInterrupt:
        sys.exit(130)
    if code:
        sys.exit(code)


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="galena", description="From a sensor to an argument, in one room."
    )
    parser.add_argument("--version", action="version", version=f"Galena {__version__}")
    parsers = parser.add_subparsers(metavar="command", required=True)
    for command in COMMANDS:
        own = parsers.add_parser(command.name, help=command.words, description=command.words)
        command.add_arguments(own)
        own.set_defaults(run=command.run)
    return parser
