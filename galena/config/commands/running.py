"""`galena serve` and `galena demo`."""

import os
from argparse import ArgumentParser, Namespace
from contextlib import ExitStack

from platformdirs import user_data_path

from galena.config.commands.command import Command, set_up_database

PORT = 8000


def _arguments(parser: ArgumentParser) -> None:
    parser.add_argument("--host", default="127.0.0.1", help="the address that it listens on")
    parser.add_argument("--port", type=int, default=PORT, help=f"{PORT} where none is named")
    parser.add_argument(
        "--room", action="store_true", help="open it to the devices of this room's network"
    )
    parser.add_argument(
        "--https",
        action="store_true",
        help="by https, so that cameras and microphones of the room's devices work",
    )


def _serve(options: Namespace) -> None:
    _run(options, is_demo=False)


def _demo(options: Namespace) -> None:
    os.environ["GALENA_DEMO"] = "1"
    # Made-up people and real ones never share a folder.
    os.environ.setdefault("GALENA_DATA", str(user_data_path("galena-demo", appauthor=False)))
    _run(options, is_demo=True)


def _run(options: Namespace, *, is_demo: bool) -> None:
    from galena.config.data_folder import held
    from galena.config.memory import load_undisturbed

    if not is_demo:  # whose world is made first, which leaves much to collect
        load_undisturbed()
    with ExitStack() as stack:
        stack.enter_context(held())
        set_up_database(rebuild=is_demo)
        from galena.config.serving import serve

        if is_demo:
            from galena.demo.world import plugged_in

            stack.enter_context(plugged_in())
        serve(options.host, options.port, room=options.room, https=options.https)


SERVE = Command("serve", "run Galena for your lessons", _arguments, _serve)
DEMO = Command("demo", "run it with the made-up Skerry Point Field School", _arguments, _demo)
