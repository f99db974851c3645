"""Galena's command line: `python -m galena serve`, `… demo` and `… manage`."""

import argparse
import os
import sys


def main() -> None:
    """Read the command line and do what it says."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    if sys.argv[1:2] == ["manage"]:
        from django.core.management import execute_from_command_line

        execute_from_command_line(["galena", *sys.argv[2:]])
        return
    parser = argparse.ArgumentParser(prog="python -m galena", description=__doc__)
    parser.add_argument("command", choices=["serve", "demo", "manage"])
    parser.add_argument("--host", default="127.0.0.1", help="0.0.0.0 opens it to the whole room")
    parser.add_argument("--port", type=int, default=8000)
    parser.add_argument("--room", action="store_true", help="open it to this room's network")
    options = parser.parse_args()
    if options.command == "demo":
        os.environ["GALENA_DEMO"] = "1"
    import django

    django.setup()
    from django.core.checks import run_checks

    from galena.config.database import EarlierDatabaseError, make_ready
    from galena.config.serving import serve

    if wrong := [str(one) for one in run_checks() if one.is_serious()]:
        sys.exit("\n".join(wrong))
    try:
        word = make_ready(rebuild=options.command == "demo")
    except EarlierDatabaseError as error:
        sys.exit(str(error))
    if word:
        print(word, flush=True)
    if options.command == "demo":
        from galena.demo.world import plugged_in

        with plugged_in():
            serve(options.host, options.port, room=options.room)
    else:
        serve(options.host, options.port, room=options.room)


if __name__ == "__main__":
    main()
