"""A weight on a long spring in the stair shaft, seen by a ranger and held by a load cell."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn, choice, press

STIFFNESS = 9.6  # of the spring, N/m
DAMPING = 0.012  # of the air, kg/s
MASSES = (0.25, 0.50, 0.75)  # kg
HOOK = 2.40  # height of the unloaded hook above the ranger, m
G = 9.81  # m/s²


class ShaftSpring(Rig):
    """State: height / m, speed / m/s, force on the hook / N. Handles: weight, pull, letting go."""

    key = "shaft_spring"
    name = "Shaft spring"
    handles = (
        choice("mass", "weight", "none", *(f"{mass:.2f} kg" for mass in MASSES)),
        Handle("pull", "pulled down by", "cm", 0.0, 25.0, 1.0),
        press("go", "pull and let go"),
        press("still", "hold it still"),
    )
    starts = {"pull": 12.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Ranger RG-2", "0075", "1.3"),
            (
                Sensor(
                    ChannelFacts("y", "height", "y", "m", 0.15, 4.0, 0.0005, 50.0),
                    noise=0.0008,
                    offset=0.004,
                ),
            ),
            clock_ppm=33.0,
        ),
        StandIn(
            Identity("Skerry Works", "Load cell LC-1", "0033", "1.0"),
            (
                Sensor(
                    ChannelFacts("F", "force on the hook", "F", "N", -2.0, 20.0, 0.01, 200.0),
                    noise=0.012,
                    offset=0.34,
                    gain=1.018,
                ),
            ),
            clock_ppm=-17.0,
            clock_at_reset_us=48_211.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"y": HOOK, "v": 0.0, "F": 0.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        load = int(self.settings["mass"])
        if load == 0:
            return self.begin()
        mass = MASSES[load - 1]
        rest = HOOK - mass * G / STIFFNESS
        x, v = state["y"] - rest, state["v"]
        if self.settings["still"] or state["F"] == 0.0:  # hung on the hook by a calm hand
            x, v = 0.0, 0.0
        if self.settings["go"]:
            x, v = -self.settings["pull"] / 100, 0.0
        x, v = _swing(x, v, mass, seconds)
        return {"y": rest + x, "v": v, "F": STIFFNESS * (HOOK - rest - x)}


def _swing(x: float, v: float, mass: float, seconds: float) -> tuple[float, float]:
    """Move a damped oscillator on by its exact solution; x in m from its rest, v in m/s."""
    decay = DAMPING / (2 * mass)
    omega = math.sqrt(STIFFNESS / mass - decay**2)
    c, s = math.cos(omega * seconds), math.sin(omega * seconds)
    fade = math.exp(-decay * seconds)
    drive = (v + decay * x) / omega
    ahead = fade * (x * c + drive * s)
    return ahead, fade * (-x * omega * s + drive * omega * c) - decay * ahead
