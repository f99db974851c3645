"""Runs the one server process."""

import contextlib
import socket

import uvicorn

SEND_BUFFER = 64 * 1024  # more would hide megabytes of stale readings from a slow watcher


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
            server_header=False,
        )
    )


def serve(host: str, port: int) -> None:
    """Serve until interrupted."""
    listening = listen(host, port)
    print(f"Galena is at http://{host}:{listening.getsockname()[1]}/", flush=True)
    with contextlib.suppress(KeyboardInterrupt):  # Ctrl+C is how a server in a terminal is ended
        server().run(sockets=[listening])
