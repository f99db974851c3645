"""Run a rig as a process of its own: `python -m galena.instruments.rigs tide_tank`.

Prints `ready ADDRESS …` and serves until its standard input closes, so that it never outlives
whoever started it.
"""

from __future__ import annotations

import argparse
import asyncio
import sys

from galena.instruments.rigs import RIGS
from galena.instruments.rigs.server import RigServer


async def _serve(options: argparse.Namespace) -> None:
    server = RigServer(RIGS[options.rig](options.seed), options.pace)
    addresses = await server.open(options.host, options.port)
    print("ready", *addresses, flush=True)
    living = asyncio.create_task(server.live())
    await asyncio.to_thread(sys.stdin.read)
    living.cancel()


def main() -> None:
    """Read the command line and serve."""
    parser = argparse.ArgumentParser(prog="python -m galena.instruments.rigs", description=__doc__)
    parser.add_argument("rig", choices=sorted(RIGS))
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, nargs="*", default=[], help="one an instrument")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--pace", type=float, default=1.0, help="rig seconds in a second")
    asyncio.run(_serve(parser.parse_args()))


if __name__ == "__main__":
    main()
