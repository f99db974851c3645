"""A stand-in that answers SCPI, as a bench meter does: one reading for each question."""

from __future__ import annotations

import asyncio
import math
from collections import deque

import numpy as np

from galena.instruments.rigs.base import Sensor
from galena.instruments.rigs.faults import AtLimit, NoNumber
from galena.instruments.rigs.visit import Visit

INTEGRATES = 0.02  # s: one period of the mains
MOST_ERRORS = 10
NO_ERROR = '0,"No error"'
OVERLOAD = "+9.90000000E+37"


class ScpiVisit(Visit):
    """One connection to a meter; its sensors' ids are the functions that it can be set to."""

    async def serve(self, reader: asyncio.StreamReader) -> None:
        """Answer questions until the other end goes; what is no question is not answered."""
        self.errors: deque[str] = deque(maxlen=MOST_ERRORS)
        self.set_to = self.stand_in.sensors[0]
        seed = (self.server.rig.seed, self.number)
        self.noise = np.random.default_rng(seed)
        try:
            while line := await reader.readline():
                request = line.decode("ascii", "replace").strip()
                answer = await self._answered(request)
                if answer is not None:
                    self.writer.write(answer.encode("latin-1", "replace") + b"\n")
                    await self.writer.drain()
        except (OSError, ValueError):
            pass
        finally:
            self.writer.close()

    async def _answered(self, request: str) -> str | None:
        word, _, rest = request.partition(" ")
        word = word.upper()
        if word.startswith("RIG:"):
            return self._answer(request)
        answer: str | None
        if word == "*IDN?":
            answer = self._answer(request)
        elif word in ("*CLS", "*RST"):
            self.errors.clear()
            answer = None
        elif word in ("SYST:ERR?", "SYSTEM:ERROR?"):
            answer = self.errors.popleft() if self.errors else NO_ERROR
        elif word in ("FUNC?", "CONF?"):
            answer = f'"{self.set_to.facts.id}"'
        elif word in ("FUNC", "CONF") and (chosen := self._named(rest)) is not None:
            self.set_to, answer = chosen, None
        elif word == "READ?":
            answer = await self._measured(self.set_to)
        elif word.startswith("MEAS:") and (chosen := self._named(word[5:])) is not None:
            self.set_to = chosen
            answer = await self._measured(chosen)
        else:
            self.errors.append('-113,"Undefined header"')
            answer = None
        return None if answer is None else self.fault.answer(request, answer)

    def _named(self, function: str) -> Sensor | None:
        name = function.strip().strip('"').rstrip("?").removesuffix(":DC").upper()
        return next((one for one in self.stand_in.sensors if one.facts.id == name), None)

    async def _measured(self, sensor: Sensor) -> str:
        """Integrate for a while and give the mean, as of the middle."""
        self.server.clock.release()
        await asyncio.sleep(INTEGRATES)
        now = self.server.catch_up()
        at = np.array([max(0.0, now - INTEGRATES / 2 * self.server.clock.pace)])
        truth = self.server.rig.read(sensor.of, at)
        value = sensor.sense(truth, self.noise.standard_normal(1))
        if isinstance(self.fault, AtLimit | NoNumber) or abs(value[0]) >= sensor.facts.max:
            return OVERLOAD
        return written(float(value[0]), sensor.facts.resolution)


def written(value: float, resolution: float) -> str:
    """Write a reading as NR3 (IEEE 488.2, 8.7.4), down to the last place that it has."""
    power = math.floor(math.log10(abs(value))) if value else 0
    digits = max(0, power - math.floor(math.log10(resolution) + 1e-9))
    return f"{value:+.{digits}E}"
