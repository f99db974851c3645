"""A stand-in that just prints its numbers, a line for each reading, and answers nothing."""

from __future__ import annotations

import asyncio
import contextlib

import numpy as np

from galena.instruments.rigs.base import Floats, Sensor
from galena.instruments.rigs.visit import Visit

PRINTS = 4.0  # lines a second
BEGINS_AFTER = 0.5  # s: a connection that has asked for the rig by then is not printed to


class PlainVisit(Visit):
    """One connection to a board that prints `T:14.3 RH:71.2`; labels are its sensors' symbols."""

    async def serve(self, reader: asyncio.StreamReader) -> None:
        """Print until the other end goes; who asks for the rig gets answers only."""
        printing = asyncio.create_task(self._print())
        try:
            while line := await reader.readline():
                request = line.decode("ascii", "replace").strip()
                if request.upper().startswith("RIG:"):
                    printing.cancel()
                    self.writer.write(self._answer(request).encode("latin-1") + b"\n")
                    await self.writer.drain()
        except (OSError, ValueError):
            pass
        finally:
            printing.cancel()
            with contextlib.suppress(asyncio.CancelledError, OSError):
                await printing
            self.writer.close()

    def _field(self, sensor: Sensor, now: Floats, noise: np.random.Generator) -> str:
        truth = self.server.rig.read(sensor.of, now)
        value = sensor.sense(truth, noise.standard_normal(1))[0]
        return f"{sensor.facts.symbol}:{value:.{sensor.decimals}f}"

    async def _print(self) -> None:
        await asyncio.sleep(BEGINS_AFTER)
        self.server.clock.release()
        noise = np.random.default_rng((self.server.rig.seed, self.number))
        while True:
            now = np.array([self.server.catch_up()])
            line = " ".join(self._field(sensor, now, noise) for sensor in self.stand_in.sensors)
            self.writer.write(self.fault.data(line.encode("ascii") + b"\n"))
            await self.writer.drain()
            await asyncio.sleep(1 / PRINTS)
