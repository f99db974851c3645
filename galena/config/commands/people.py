"""`galena person add|password|list`: accounts from the terminal, for whoever runs the server."""

import getpass
import sys
from argparse import ArgumentParser, Namespace

from galena.config.commands.command import Command, set_up_database


def _arguments(parser: ArgumentParser) -> None:
    acts = parser.add_subparsers(metavar="add|password|list", required=True)
    add = acts.add_parser("add", help="make a teacher's account")
    add.add_argument("name", help="what they sign in with")
    add.add_argument(
        "--called", default="", help="their first name, as it stands beside their work"
    )
    add.add_argument("--manages", action="store_true", help="looks after people and what is kept")
    add.set_defaults(act=_add)
    password = acts.add_parser("password", help="set a new password")
    password.add_argument("name")
    password.set_defaults(act=_password)
    acts.add_parser("list", help="list the teachers").set_defaults(act=_list)


def _run(options: Namespace) -> int | None:
    set_up_database()
    return options.act(options)


def _add(options: Namespace) -> None:
    from galena.classroom import people

    is_first = not people.teachers().filter(is_active=True).exists()
    manages = options.manages or is_first
    person = people.add(options.name, options.called, _typed_password(), manages=manages)
    print(f"{person} can sign in as {person.username}.")


def _password(options: Namespace) -> None:
    from galena.classroom import people

    person = people.teachers().filter(username__iexact=options.name).first()
    if person is None:
        raise people.PersonError("name", f"Nobody signs in as “{options.name}”.")
    people.new_password(person, _typed_password())
    print(f"{person} has a new password, and is signed out everywhere.")


def _list(_: Namespace) -> None:
    from galena.classroom import people

    for person in people.teachers():
        facts = ["looks after Galena"] if person.is_staff else []
        facts += [] if person.is_active else ["taken away"]
        print("  ".join([f"{person.username:20}", f"{person!s:20}", ", ".join(facts)]).rstrip())


def _typed_password() -> str:
    """Ask for a password twice; from a pipe it is one line."""
    if not sys.stdin.isatty():
        return sys.stdin.readline().rstrip("\n")
    first = getpass.getpass("Password: ")
    if getpass.getpass("Once more: ") != first:
        sys.exit("The two passwords differ. Nothing was changed.")
    return first


PERSON = Command("person", "add teachers, set passwords, list who can sign in", _arguments, _run)
