"""What a command of the command line is, and how it makes the database ready."""

import sys
from argparse import ArgumentParser, Namespace
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True)
class Command:
    """One word after `galena`. run: gives the exit code, or None where all is well."""

    name: str
    words: str
    add_arguments: Callable[[ArgumentParser], None]
    run: Callable[[Namespace], int | None]


def set_up() -> None:
    """Load Django with its settings; ends the program in words where they cannot be."""
    import django

    django.setup()
    from django.core.checks import run_checks

    if wrong := [str(one) for one in run_checks() if one.is_serious()]:
        sys.exit("\n".join(wrong))


def set_up_database(*, rebuild: bool = False) -> None:
    """Load Django and bring the database up to date. rebuild: one of before is put aside."""
    set_up()
    from galena.config.database import make_ready

    word = make_ready(rebuild=rebuild)
    if word:
        print(word, flush=True)
