"""The threads in which pages are made: kept with their open database connection.

Django gives each request a thread of its own, and each thread opens the database anew: for SQLite
that takes a third of the time of a small answer. Here whatever is to be done goes to the thread
that was free last, so that few are in use, however many requests wait: each holds some megabytes
of what the database keeps at hand.
"""

from __future__ import annotations

import sys
import threading
from collections.abc import Callable
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from contextvars import Token
from typing import Any

from asgiref.sync import SyncToAsync, ThreadSensitiveContext, sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.core.handlers.base import BaseHandler
from django.core.signals import request_started
from django.db import close_old_connections, connections, reset_queries

from galena.config.turns import Turns

HANDS_OVER_EVERY = 0.0005  # s
MOST_KEPT = 4  # threads that wait for work; more come and go while pages take long


def hand_over_quickly() -> None:
    """Have a thread that computes let the others in sooner than Python does by itself, after 5 ms.

    A page asks the database some sixty times, and gives way each time: beside readers and the live
    feed it would wait for its turn for as long each time.
    """
    sys.setswitchinterval(HANDS_OVER_EVERY)


class Threads(Executor):
    """Threads that are free, each with whatever connections it has open."""

    def __init__(self) -> None:
        self._free: list[ThreadPoolExecutor] = []
        self._lock = threading.Lock()
        self._is_closed = False

    def submit(self, act: Callable[..., Any], /, *given: Any, **named: Any) -> Future[Any]:
        """Do something in a thread that nothing else is done in."""
        with self._lock:
            self._is_closed = False
            thread = self._free.pop() if self._free else ThreadPoolExecutor(1, "page")
        return thread.submit(self._do, thread, act, given, named)

    def _do(self, thread: ThreadPoolExecutor, act: Callable[..., Any], given: Any, named: Any):
        try:
            return act(*given, **named)
        finally:
            self._is_free(thread)

    def _is_free(self, thread: ThreadPoolExecutor) -> None:
        """Called in the thread itself: only there its connections can be closed."""
        with self._lock:
            if len(self._free) < MOST_KEPT and not self._is_closed:
                self._free.append(thread)
                return
        connections.close_all()
        thread.shutdown(wait=False)

    def close(self) -> None:
        """End the threads that are free, and the others when they come to be."""
        with self._lock:
            threads, self._free, self._is_closed = self._free, [], True
        for thread in threads:
            thread.submit(connections.close_all).result()
            thread.shutdown()


THREADS = Threads()


class InThreads(ThreadSensitiveContext):
    """What asgiref asks where the synchronous parts of a request are done: in the kept threads."""

    async def __aenter__(self) -> InThreads:
        self._before: Token = SyncToAsync.thread_sensitive_context.set(self)
        SyncToAsync.context_to_thread_executor[self] = THREADS
        return self

    async def __aexit__(self, *_: object) -> None:
        SyncToAsync.context_to_thread_executor.pop(self, None)
        SyncToAsync.thread_sensitive_context.reset(self._before)


class Pages(ASGIHandler):
    """Django's handler, with kept threads, and a page made in one go in its thread.

    Django would go to a thread and back for each piece of middleware, and for what is done at the
    start of each request: while others are busy each such way takes as long as a page.
    """

    def __init__(self) -> None:
        BaseHandler.__init__(self)
        self.load_middleware(is_async=False)
        self._turns = Turns()
        for receiver in (close_old_connections, reset_queries):
            request_started.disconnect(receiver)

    async def get_response_async(self, request):
        """Make the answer to a request."""
        async with self._turns.turn():
            return await sync_to_async(self._make, thread_sensitive=True)(request)

    def _make(self, request):
        close_old_connections()  # one that an error left unusable
        return self.get_response(request)

    async def __call__(self, scope, receive, send):
        async with InThreads():
            await self.handle(scope, receive, send)
