"""Turns at making pages: one at once, for threads that all compute only hold each other up.

Python runs one thread at a time, and each query hands over to another: eight pages that are made
at once are all ready late, and what is live waits behind them. So one is made at a time and the
others wait their turn. A page that takes long, since it waits for an instrument or computes a
fit, lets the next one begin.
"""

from __future__ import annotations

import asyncio
from collections import deque

AT_ONCE = 1
TAKES_LONG = 0.25  # s


class Turns:
    """Lets few in at once, in the order in which they come; used within one event loop."""

    def __init__(self, at_once: int = AT_ONCE, takes_long: float = TAKES_LONG) -> None:
        self._free, self._takes_long = at_once, takes_long
        self._waiting: deque[asyncio.Future[None]] = deque()

    def turn(self) -> Turn:
        """Give a turn to wait for, as a context."""
        return Turn(self, self._takes_long)

    async def wait(self) -> None:
        if self._free and not self._waiting:
            self._free -= 1
            return
        called: asyncio.Future[None] = asyncio.get_running_loop().create_future()
        self._waiting.append(called)
        try:
            await called
        except asyncio.CancelledError:
            if not called.cancelled():
                self.give_back()  # was called and went away at the same moment
            raise

    def give_back(self) -> None:
        while self._waiting:
            called = self._waiting.popleft()
            if not called.cancelled():
                called.set_result(None)
                return
        self._free += 1


class Turn:
    """A turn: given back when it is over, or before that when it takes long."""

    def __init__(self, turns: Turns, takes_long: float) -> None:
        self._turns, self._takes_long = turns, takes_long
        self._is_held = False

    async def __aenter__(self) -> Turn:
        await self._turns.wait()
        self._is_held = True
        self._timer = asyncio.get_running_loop().call_later(self._takes_long, self._give_back)
        return self

    async def __aexit__(self, *_: object) -> None:
        self._timer.cancel()
        self._give_back()

    def _give_back(self) -> None:
        if self._is_held:
            self._is_held = False
            self._turns.give_back()
