"""Soap dropped into slipway water: conductivity along two straight branches that meet."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn

WATER = 62.0  # conductivity of the water, µS/cm
BELOW, ABOVE = 38.0, 16.5  # slopes of the branches, µS/cm for each mL
MEETING = 13.6  # where the branches meet, mL: the critical concentration
ROUNDNESS = 0.35  # how softly they meet, mL
MIXING = 1.5  # time constant of the stirrer, s


def conductivity(volume: float) -> float:
    """Conductivity in µS/cm once so many mL of soap solution are mixed in."""
    beyond = (volume - MEETING) / ROUNDNESS
    softly = ROUNDNESS * (max(beyond, 0.0) + math.log1p(math.exp(-abs(beyond))))
    return WATER + BELOW * volume - (BELOW - ABOVE) * softly


class SlipwaySoap(Rig):
    """State: conductivity / µS/cm and soap mixed in / mL. Handle: the burette."""

    key = "slipway_soap"
    name = "Slipway soap"
    handles = (Handle("V", "soap solution added", "mL", 0.0, 30.0, 0.5),)
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Conductivity meter CM-3", "0066", "2.1"),
            (
                Sensor(
                    ChannelFacts("kappa", "conductivity", "κ", "µS/cm", 0.0, 2000.0, 0.5, 50.0),
                    noise=0.9,
                    offset=4.0,
                    gain=0.985,
                ),
            ),
            clock_ppm=-22.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"kappa": conductivity(0.0), "mixed": 0.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        added = self.settings["V"]
        mixed = added + (state["mixed"] - added) * math.exp(-seconds / MIXING)
        return {"kappa": conductivity(mixed), "mixed": mixed}
