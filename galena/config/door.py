"""The door of the server: how large a request's body may be, and how long it may take to come.

Nothing of a body is written to a disk or handed on before it is known to be within its bounds,
whoever sends it.
"""

from __future__ import annotations

import asyncio
import re
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]

USUAL = 256_000  # bytes of a form
LARGER = (  # by address, those that take text, sound or files
    (re.compile(r"/experiments/\d+/(report|desk/readings/\d+/change)"), 2_000_000),
    (re.compile(r"/experiments/\d+/bench/microphone"), 420_000),
    (re.compile(r"(/experiments/\d+/clips|/arrivals)/\d+/piece"), 4_000_000),
    (re.compile(r"/take-in"), 4_100_000),  # where no script sends it in pieces
)
BEFORE_SIGNING_IN = (re.compile(r"/sign-in(/demo)?|/first/[^/]*"), 16_000)
PATIENCE = 60.0  # seconds in which a body must have come


def limit_of(path: str) -> int:
    """Give how many bytes a request to an address may bring."""
    for pattern, most in (BEFORE_SIGNING_IN, *LARGER):
        if pattern.fullmatch(path):
            return most
    return USUAL


class TooLargeError(Exception):
    """A body is larger than its address takes."""


def guarded(application):
    """Let requests through whose bodies are within their bounds; others are answered 413 or 408."""

    async def door(scope: Message, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await application(scope, receive, send)
            return
        try:
            async with asyncio.timeout(PATIENCE):
                body = await _whole(scope, receive)
        except TooLargeError:
            await _refuse(send, 413, "This is more than can be sent here at once.")
            return
        except TimeoutError:
            await _refuse(send, 408, "This took too long to come. Send it again.")
            return
        if body is not None:
            await application(scope, _again(body, receive), send)

    return door


async def _whole(scope: Message, receive: Receive) -> bytes | None:
    """Read a body; None where the client has gone. Raises TooLargeError."""
    most = limit_of(scope["path"])
    for name, value in scope["headers"]:
        if name == b"content-length" and (not value.isdigit() or int(value[:20]) > most):
            raise TooLargeError
    parts, size, more = [], 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            return None
        part = message.get("body", b"")
        size += len(part)
        if size > most:
            raise TooLargeError
        parts.append(part)
        more = message.get("more_body", False)
    return b"".join(parts)


def _again(body: bytes, receive: Receive) -> Receive:
    """Give a body that was read once more, and then what comes after it."""
    waiting = [{"type": "http.request", "body": body, "more_body": False}]

    async def again() -> Message:
        return waiting.pop() if waiting else await receive()

    return again


async def _refuse(send: Send, status: int, reason: str) -> None:
    headers = [(b"content-type", b"text/plain; charset=utf-8"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": reason.encode()})
