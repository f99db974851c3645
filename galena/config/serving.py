"""Runs the one server process."""

from __future__ import annotations

import asyncio
import contextlib
import importlib
import socket
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import uvicorn
from django.conf import settings
from django.urls import get_resolver

from galena.classroom.people import FIRST
from galena.config.handles import take_handles
from galena.config.memory import give_back, keep_what_is_loaded, share_heaps, take_room_to_compute
from galena.config.threads import hand_over_quickly
from galena.config.warming import load_later
from galena.shell.room import ROOM

if TYPE_CHECKING:
    from galena.config.https import Https

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
    except (OSError, OverflowError) as error:
        listening.close()
        reason = getattr(error, "strerror", None) or error
        raise SystemExit(
            f"Port {port} of {host} cannot be opened ({reason}). Another program uses it, or it is "
            "no port: choose another one, for example --port 8123 (make demo PORT=8123)."
        ) from error
    return listening


class Server(uvicorn.Server):
    """Ends the live feeds before it waits for requests to end: they would never end themselves."""

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Stop serving."""
        from galena.bench.live.bench import BENCH

        BENCH.hub.close()
        await super().shutdown(sockets)


def server(https: Https | None = None) -> Server:
    """Make the server; what has not ended a second after it is asked to stop is cut."""
    config = uvicorn.Config(
        "galena.config.asgi:application",
        workers=1,
        log_level="warning",
        lifespan="on",
        timeout_graceful_shutdown=1,
        timeout_keep_alive=KEEPS_CONNECTION,
        server_header=False,
    )
    if https is not None:
        config.load()
        config.ssl = https.context
    return Server(config)


def serve(host: str, port: int, *, room: bool = False, https: bool = False) -> None:
    """Serve until interrupted. room: devices of the local network come in as well; https: by https,
    with a plain address beside it where devices get the certificate."""
    take_handles()
    share_heaps()
    hand_over_quickly()
    load_later()
    give_back()
    bound = "0.0.0.0" if room else host
    shown = "127.0.0.1" if room else host
    listening = listen(bound, port)
    port = listening.getsockname()[1]
    with contextlib.ExitStack() as stack:
        stack.enter_context(contextlib.suppress(KeyboardInterrupt))  # Ctrl+C ends it
        secure = stack.enter_context(_by_https(bound, port)) if https else None
        address = f"{'https' if https else 'http'}://{shown}:{port}/"
        print(f"Galena is at {address}", flush=True)
        if room:
            stack.enter_context(ROOM.opened(port, settings.ALLOWED_HOSTS, secure=https))
            print(_in_the_room(ROOM.addresses(), https), flush=True)
        if secure is not None:
            print(
                f"Devices get its certificate at {_plain(shown, port, room)}, where they see this "
                f"as well (SHA-256):\n{secure.authority.fingerprint}",
                flush=True,
            )
        if key := FIRST.begin():
            print(f"Make the first teacher’s account at {address}first/{key}", flush=True)
        _load()
        server(secure).run(sockets=[listening])


def _load() -> None:
    """Load all pages now rather than when the first is asked for."""
    importlib.import_module("galena.config.asgi")
    assert get_resolver().url_patterns
    take_room_to_compute(np.matmul)
    keep_what_is_loaded()


@contextlib.contextmanager
def _by_https(host: str, port: int) -> Iterator[Https]:
    """Make the certificate ready, and open the plain address where devices get it."""
    from galena.config.https import Https, certificate_door  # what few use takes long to load

    secure = Https(Path(settings.DATA_DIR) / "certificates")
    if secure.authority.word:
        print(secure.authority.word, flush=True)
    plain = listen(host, port + 1)
    door = uvicorn.Server(
        uvicorn.Config(
            certificate_door(secure.authority, port), log_level="warning", lifespan="off",
            server_header=False, timeout_graceful_shutdown=1,
        )
    )  # fmt: skip
    settings.SESSION_COOKIE_SECURE = settings.CSRF_COOKIE_SECURE = True
    settings.SESSION_COOKIE_NAME, settings.CSRF_COOKIE_NAME = "__Host-session", "__Host-csrf"

    async def both() -> None:
        keeping_up = asyncio.create_task(secure.keep_up())
        await door.serve(sockets=[plain])
        keeping_up.cancel()

    thread = threading.Thread(target=asyncio.run, args=(both(),), name="certificates", daemon=True)
    thread.start()
    try:
        yield secure
    finally:
        door.should_exit = True
        thread.join(timeout=3)


def _plain(host: str, port: int, room: bool) -> str:
    """Give the address where devices get the certificate, as those in the room reach it."""
    near = ROOM.certificate_addresses() if room else []
    return f"http://{near[0] if near else f'{host}:{port + 1}'}/"


def _in_the_room(addresses: list[str], https: bool) -> str:
    if not addresses:
        return "This computer is in no network: only its own browser reaches Galena."
    way = "https" if https else "http"
    listed = " or ".join(f"{way}://{address}/" for address in addresses)
    return f"In this room it is at {listed}"
