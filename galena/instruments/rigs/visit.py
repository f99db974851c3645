"""One connection to one stand-in instrument: requests of the line protocol and of the rig."""

from __future__ import annotations

import asyncio
import contextlib
import json
from dataclasses import asdict
from typing import TYPE_CHECKING

import numpy as np

from galena.instruments.protocols.line_v1 import encode
from galena.instruments.rigs.base import StandIn
from galena.instruments.rigs.faults import FAULTS, Fault, HangUp

if TYPE_CHECKING:
    from galena.instruments.rigs.server import RigServer

TICK = 0.01
MOST_AT_ONCE = 3600.0  # s that a rig lives on at once, while others wait
_JITTER_US = 3.0


class Visit:
    """One connection to one stand-in instrument."""

    def __init__(
        self, server: RigServer, number: int, stand_in: StandIn, writer: asyncio.StreamWriter
    ) -> None:
        self.server, self.number, self.stand_in, self.writer = server, number, stand_in, writer
        self.rate = min(20.0, stand_in.max_rate)
        self.streaming = False
        self.streams = 0
        self.resets = server.resets

    async def serve(self, reader: asyncio.StreamReader) -> None:
        """Answer requests and send readings until the other end goes."""
        sender = asyncio.create_task(self._send())
        try:
            while line := await reader.readline():
                request = line.decode("ascii", "replace").strip()
                answer: str | None = self._answer(request)
                if answer is not None and not request.upper().startswith("RIG:"):
                    answer = self.fault.answer(request, answer)
                if answer is not None:
                    self.writer.write(answer.encode("latin-1") + b"\n")
                    await self.writer.drain()
        except (OSError, ValueError):
            pass
        finally:
            sender.cancel()
            with contextlib.suppress(asyncio.CancelledError, OSError):
                await sender
            self.writer.close()

    @property
    def fault(self) -> Fault:
        """What is wrong with this instrument now."""
        return self.server.faults[self.number]

    def _answer(self, line: str) -> str:
        word, _, rest = line.partition(" ")
        try:
            match word.upper():
                case "*IDN?":
                    who = self.stand_in.identity
                    return f"{who.maker},{who.model},{who.serial},{who.firmware}"
                case "CHAN:LIST?":
                    return json.dumps([asdict(sensor.facts) for sensor in self.stand_in.sensors])
                case "CLOCK?":
                    return self._clock()
                case "RATE":
                    return self._set_rate(float(rest))
                case "STREAM":
                    return self._stream(rest.strip().upper())
                case _:
                    return self._answer_rig(word.upper(), rest)
        except ValueError as error:
            return f"ERR {str(error).encode('ascii', 'replace').decode()}"

    def _answer_rig(self, word: str, rest: str) -> str:
        rig = self.server.rig
        match word:
            case "RIG:NAME?":
                return f"{rig.key},{rig.name}"
            case "RIG:HANDLE?":
                self.server.catch_up()
                return json.dumps([asdict(h) | {"value": rig.settings[h.id]} for h in rig.handles])
            case "RIG:STATE?":
                now = self.server.catch_up()
                paces = {"pace": self.server.clock.pace, "max_pace": rig.max_pace}
                return json.dumps({"t": now} | paces | rig.settings | rig.state)
            case "RIG:SET":
                handle, value, *at = rest.split(",")
                self.server.catch_up()
                rig.set(handle.strip(), float(value), float(at[0]) if at else None)
                return "OK"
            case "RIG:PACE":
                if not 1 <= float(rest) <= rig.max_pace:
                    raise ValueError(f"the time factor goes from 1 to {rig.max_pace:g}")
                self.server.clock.pace = float(rest)
                return "OK"
            case "RIG:FAULT":
                kind, _, amount = rest.partition(",")
                if kind.strip() not in FAULTS:
                    raise ValueError(f"the faults are {' '.join(FAULTS)}")
                self.server.faults[self.number] = FAULTS[kind.strip()](float(amount or 0))
                return "OK"
            case "RIG:RESET":
                self.server.reset(int(rest))
                return "OK"
            case "RIG:LIVE":
                if not 0 < float(rest) <= MOST_AT_ONCE:
                    raise ValueError(f"a rig lives on by up to {MOST_AT_ONCE:g} s at once")
                self.server.clock.go_on(float(rest))
                self.server.catch_up()
                return "OK"
        raise ValueError(f"unknown request {word[:20]}")

    def _set_rate(self, rate: float) -> str:
        if not 0 < rate <= self.stand_in.max_rate:
            raise ValueError(f"rate must be above 0 and at most {self.stand_in.max_rate:g}")
        if self.streaming:
            raise ValueError("stop the stream before changing its rate")
        self.rate = rate
        return "OK"

    def _stream(self, on: str) -> str:
        if on == "ON":
            self.started = self.server.clock.release()
            self.sent = 0
            if self.resets != self.server.resets:
                self.resets, self.streams = self.server.resets, 0
            seed = (self.server.rig.seed, self.number, self.streams)
            self.noise = np.random.default_rng(seed)
            self.streams += 1
        elif on != "OFF":
            raise ValueError("STREAM is ON or OFF")
        self.streaming = on == "ON"
        return "OK"

    async def _send(self) -> None:
        while True:
            await asyncio.sleep(self._until_next())
            if self.streaming:
                try:
                    lines = self.fault.data(self._due_lines())
                except HangUp as broken:
                    self.writer.write(broken.args[0])
                    self.writer.close()
                    return
                self.writer.write(lines)
                await self.writer.drain()

    def _until_next(self) -> float:
        """Give the seconds until there is something to send: a slow stream need not be looked at
        all the time, but for a new one begun meanwhile."""
        if not self.streaming:
            return TICK
        due = self.started + self.sent / self.rate
        return min(0.05, max(TICK, (due - self.server.clock.now) / self.server.clock.pace))

    def _due_lines(self) -> bytes:
        """Write the readings due by now; the k-th is due k intervals after the stream began."""
        if self.resets != self.server.resets:  # a reset ends all streams
            self.streaming = False
            return b""
        now = self.server.catch_up()
        due = int((now - self.started) * self.rate + 1e-9) + 1
        sequence = np.arange(self.sent, due)
        if sequence.size == 0:
            return b""
        times = self.started + sequence / self.rate
        draws = self.noise.standard_normal((sequence.size, 1 + len(self.stand_in.sensors)))
        values = np.column_stack(
            [
                sensor.sense(self.server.rig.read(sensor.of, times), draws[:, 1 + place])
                for place, sensor in enumerate(self.stand_in.sensors)
            ]
        )
        limits = np.array([[sensor.facts.max for sensor in self.stand_in.sensors]])
        values = self.fault.values(values, limits)
        stamps = np.rint(
            times * self._us_a_second + self.stand_in.clock_at_reset_us + _JITTER_US * draws[:, 0]
        ).astype(np.int64)
        self.sent = due
        return encode(
            sequence, stamps, values, tuple(sensor.decimals for sensor in self.stand_in.sensors)
        )

    def _clock(self) -> str:
        clock = self.server.clock
        now = str(round(clock.now * self._us_a_second + self.stand_in.clock_at_reset_us))
        return now if clock.pace == 1 else f"{now},{clock.pace:.9g}"

    @property
    def _us_a_second(self) -> float:
        return 1e6 + self.stand_in.clock_ppm
