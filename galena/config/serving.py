"""Runs the one server process."""

import contextlib
import socket

import uvicorn
from django.conf import settings

from galena.config.memory import share_heaps
from galena.shell.room import ROOM

SEND_BUFFER = 64 * 1024  # more would hide megabytes of stale readings from a slow watcher
KEEPS_CONNECTION = 60  # s: a hand pauses for longer than the 5 s that are usual


def listen(host: str, port: int) -> socket.socket:
    """Open the socket on which the server listens."""
    # asyncio sends small answers without delay only on sockets that name their protocol.
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_SNDBUF, SEND_BUFFER)
    try:
        listening.bind((host, port))
    except OSError as error:
        listening.close()
        raise SystemExit(
            f"Port {port} of {host} cannot be opened ({error.strerror}). "
            "Another program uses it: choose another one, for example make demo PORT=8123."
        ) from error
    return listening


class Server(uvicorn.Server):
    """Ends the live feeds before it waits for requests to end: they would never end themselves."""

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Stop serving."""
        from galena.bench.live.bench import BENCH

        BENCH.hub.close()
        await super().shutdown(sockets)


def server() -> Server:
    """Make the server; what has not ended a second after it is asked to stop is cut."""
    return Server(
        uvicorn.Config(
            "galena.config.asgi:application",
            workers=1,
            log_level="warning",
            lifespan="on",
            timeout_graceful_shutdown=1,
            timeout_keep_alive=KEEPS_CONNECTION,
            server_header=False,
        )
    )


def serve(host: str, port: int, *, room: bool = False) -> None:
    """Serve until interrupted. room: devices of the local network come in as well."""
    share_heaps()
    listening = listen("0.0.0.0" if room else host, port)
    port = listening.getsockname()[1]
    print(f"Galena is at http://{'127.0.0.1' if room else host}:{port}/", flush=True)
    with contextlib.ExitStack() as stack:
        stack.enter_context(contextlib.suppress(KeyboardInterrupt))  # Ctrl+C ends it
        if room:
            stack.enter_context(ROOM.opened(port, settings.ALLOWED_HOSTS))
            print(_in_the_room(ROOM.addresses()), flush=True)
        server().run(sockets=[listening])


def _in_the_room(addresses: list[str]) -> str:
    if not addresses:
        return "This computer is in no network: only its own browser reaches Galena."
    listed = " or ".join(f"http://{address}/" for address in addresses)
    return f"In this room it is at {listed}"
