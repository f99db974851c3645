"""A clap that passes two microphones, each an instrument of its own, and comes back as an echo."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Floats, Handle, Rig, Sensor, StandIn, press

SPEED = 331.3 + 0.606 * 19.0  # of sound at 19 °C, m/s
NEAR = 0.50  # from the clap to microphone 1, m
WALL = 4.0  # from the clap to the wall behind the microphones, m
LOUDNESS = 6.0  # peak at 1 m, Pa
PITCH = 820.0  # Hz
RISE, FADE = 0.00015, 0.0022  # s
ECHO = 0.45  # share of the sound that the wall gives back


@dataclass(frozen=True)
class Clap:
    """A clap at a time, with microphone 2 so far behind microphone 1 (in m)."""

    at: float
    apart: float

    def pressure(self, microphone: str, times: Floats) -> Floats:
        """Sound pressure in Pa at a microphone, p1 or p2: the sound itself, then its echo."""
        way = NEAR if microphone == "p1" else NEAR + self.apart
        direct = _burst(times - self.at - way / SPEED) / way
        back = 2 * WALL - way
        return LOUDNESS * (direct + ECHO * _burst(times - self.at - back / SPEED) / back)


def _burst(since: Floats) -> Floats:
    after = np.clip(since, 0.0, None)
    shape = (1 - np.exp(-after / RISE)) * np.exp(-after / FADE)
    return np.where(since > 0, shape * np.sin(2 * np.pi * PITCH * after), 0.0)


def _horn(number: int, serial: str, ppm: float, clock_at_reset_us: float) -> StandIn:
    facts = ChannelFacts("p", "sound pressure", f"p_{number}", "Pa", -20.0, 20.0, 0.005, 10_000.0)
    sensor = Sensor(
        facts, noise=0.012, offset=0.02 * number, gain=1.0 - 0.01 * number, source=f"p{number}"
    )
    identity = Identity("Skerry Works", "Sound meter SM-1", serial, "1.4")
    return StandIn(identity, (sensor,), ppm, clock_at_reset_us)


class TwoHorns(Rig):
    """State: seconds since the last clap. Handles: the distance between the horns, and a clap."""

    key = "two_horns"
    name = "Two horns"
    handles = (
        Handle("apart", "horn 2 behind horn 1", "m", 0.2, 2.0, 0.05),
        press("clap", "clap"),
    )
    starts = {"apart": 1.0}
    stand_ins = (_horn(1, "0051", 38.0, 1000.0), _horn(2, "0052", -24.0, 731_940.0))

    def begin(self) -> dict[str, float]:
        self.claps: list[Clap] = []
        return {"since": 99.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        if self.settings["clap"]:
            self.claps = [*self.claps[-4:], Clap(self.now, self.settings["apart"])]
            return {"since": 0.0}
        return {"since": min(99.0, state["since"] + seconds)}

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        heard = (clap.pressure(source, times) for clap in self.claps)
        return sum(heard, np.zeros_like(times))
