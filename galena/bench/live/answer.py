"""The answer that stays open: live events as they come."""

from __future__ import annotations

from collections.abc import AsyncIterator

from asgiref.sync import sync_to_async
from django.db import connections
from django.http import HttpRequest, StreamingHttpResponse

from galena.bench.live.bench import BENCH


class Events(StreamingHttpResponse):
    """An open answer, as text/event-stream has it, until the session ends."""

    def __init__(self, request: HttpRequest, topics: frozenset[str]) -> None:
        session = request.session
        still = sync_to_async(lambda: is_session(session))
        self._events = BENCH.hub.stream(topics, session.session_key or "", still)
        super().__init__(self._events, content_type="text/event-stream")
        self["Cache-Control"] = "no-store"
        self["X-Accel-Buffering"] = "no"

    def __aiter__(self) -> AsyncIterator[bytes]:
        """Give the events as they are: Django's own ways around them take longer than they."""
        return self._events


def is_session(session) -> bool:
    """Tell whether a session has neither ended nor expired."""
    try:
        return bool(type(session)(session.session_key).load())
    finally:
        connections.close_all()
