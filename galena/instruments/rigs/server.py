"""Puts the instruments of one rig on TCP ports: they speak the protocol, SCPI, or just print."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from functools import partial

from galena.instruments.rigs.base import Rig, StandIn
from galena.instruments.rigs.faults import Fault
from galena.instruments.rigs.plain_visit import PlainVisit
from galena.instruments.rigs.scpi_visit import ScpiVisit
from galena.instruments.rigs.visit import Visit

_PAST_KEPT = 5.0
VISITS: dict[str, type[Visit]] = {"lines": Visit, "SCPI": ScpiVisit, "plain": PlainVisit}
LEAST_STEP = 1e-4  # seconds of this computer's in which a model takes one step at most


class RigClock:
    """Seconds since the rig's reset, at a pace; held from a reset until the first stream."""

    def __init__(self, pace: float, wall: Callable[[], float] = time.monotonic) -> None:
        self._pace, self._wall = pace, wall
        self.reset(held=False)

    def reset(self, held: bool) -> None:
        self._started: float | None = None if held else self._wall()
        self._lived = 0.0

    def release(self) -> float:
        """Let the clock run if it was held, and give its time."""
        if self._started is None:
            self._started = self._wall()
            return self._lived
        return self.now

    def go_on(self, seconds: float) -> None:
        """Go on by so many seconds at once. Raises ValueError while it runs: time would leap."""
        if self._started is not None:
            raise ValueError("time goes on at once only between a reset and the first stream")
        self._lived += seconds

    @property
    def pace(self) -> float:
        """Rig seconds in a second."""
        return self._pace

    @pace.setter
    def pace(self, pace: float) -> None:
        self._lived = self.now
        self._pace = pace
        if self._started is not None:
            self._started = self._wall()

    @property
    def now(self) -> float:
        if self._started is None:
            return self._lived
        return self._lived + (self._wall() - self._started) * self._pace


class RigServer:
    """One rig, its clock, and a port for each of its instruments."""

    def __init__(self, rig: Rig, pace: float = 1.0) -> None:
        # A rig that lives very fast lives in wider steps, so that it can keep its pace.
        rig.GRID = min(rig.COARSEST, max(rig.GRID, pace * LEAST_STEP))
        self.rig, self.clock = rig, RigClock(pace)
        self.resets = 0
        self.faults = [Fault() for _ in rig.stand_ins]
        self._servers: list[asyncio.Server] = []

    async def open(self, host: str, ports: list[int]) -> list[str]:
        """Listen; a port of 0 takes any free one. Gives the addresses, one an instrument."""
        addresses = []
        for number, stand_in in enumerate(self.rig.stand_ins):
            port = ports[number] if number < len(ports) else 0
            visit = partial(self._welcome, number, stand_in)
            server = await asyncio.start_server(visit, host, port)
            self._servers.append(server)
            addresses.append(f"tcp://{host}:{server.sockets[0].getsockname()[1]}")
        return addresses

    async def _welcome(
        self,
        number: int,
        stand_in: StandIn,
        reader: asyncio.StreamReader,
        writer: asyncio.StreamWriter,
    ) -> None:
        await VISITS[stand_in.speaks](self, number, stand_in, writer).serve(reader)

    async def live(self) -> None:
        """Let the model live on while nobody asks, so that the first who does need not wait."""
        while True:
            await asyncio.sleep(0.2)
            self.catch_up()

    def reset(self, seed: int) -> None:
        """Put the rig back to its start, end all streams and hold its clock until the next one."""
        self.rig.reset(seed)
        self.clock.reset(held=True)
        self.resets += 1

    def catch_up(self) -> float:
        """Let the model live on until now and give that time."""
        now = self.clock.now
        self.rig.live_until(now + self.rig.GRID)
        self.rig.forget_before(now - _PAST_KEPT * self.clock.pace)
        return now
