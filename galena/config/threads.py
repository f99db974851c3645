"""The threads in which pages are made: kept with their open database connection.

Django gives each request a thread of its own, and each thread opens the database anew: for SQLite
that takes a third of the time of a small answer. Here a thread serves one request after another.
"""

from __future__ import annotations

import sys
import threading
from concurrent.futures import Future, ThreadPoolExecutor
from contextvars import Token

from asgiref.sync import SyncToAsync, ThreadSensitiveContext, sync_to_async
from django.core.handlers.asgi import ASGIHandler
from django.core.handlers.base import BaseHandler
from django.db import connections

from galena.config.turns import Turns

HANDS_OVER_EVERY = 0.0005  # s
MOST_KEPT = 16  # threads that wait for requests; more come and go with a rush


def hand_over_quickly() -> None:
    """Have a thread that computes let the others in sooner than Python does by itself, after 5 ms.

    A page asks the database some sixty times, and gives way each time: beside readers and the live
    feed it would wait for its turn for as long each time.
    """
    sys.setswitchinterval(HANDS_OVER_EVERY)


class Threads:
    """Threads that are free for a request, each with whatever connections it has open."""

    def __init__(self) -> None:
        self._free: list[ThreadPoolExecutor] = []
        self._lock = threading.Lock()
        self._is_closed = False

    def take(self) -> ThreadPoolExecutor:
        """Give a thread that nothing runs in."""
        with self._lock:
            self._is_closed = False
            return self._free.pop() if self._free else ThreadPoolExecutor(1, "page")

    def give_back(self, thread: ThreadPoolExecutor) -> None:
        """Have a thread be free once all that was begun in it is over, whoever waits for that."""
        thread.submit(int).add_done_callback(lambda done: self._is_over(thread, done))

    def _is_over(self, thread: ThreadPoolExecutor, _: Future) -> None:
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


class KeptThread(ThreadSensitiveContext):
    """What asgiref asks for the thread of a request's synchronous parts: a kept one."""

    async def __aenter__(self) -> KeptThread:
        self._before: Token = SyncToAsync.thread_sensitive_context.set(self)
        SyncToAsync.context_to_thread_executor[self] = THREADS.take()
        return self

    async def __aexit__(self, *_: object) -> None:
        thread = SyncToAsync.context_to_thread_executor.pop(self, None)
        if isinstance(thread, ThreadPoolExecutor):
            THREADS.give_back(thread)
        SyncToAsync.thread_sensitive_context.reset(self._before)


class Pages(ASGIHandler):
    """Django's handler, with kept threads, and a page made in one go in its thread.

    Django would go to the thread and back for each piece of middleware: while others are busy each
    such way takes as long as a page.
    """

    def __init__(self) -> None:
        BaseHandler.__init__(self)
        self.load_middleware(is_async=False)
        self._turns = Turns()

    async def get_response_async(self, request):
        """Make the answer to a request."""
        async with self._turns.turn():
            return await sync_to_async(self.get_response, thread_sensitive=True)(request)

    async def __call__(self, scope, receive, send):
        async with KeptThread():
            await self.handle(scope, receive, send)
