"""A knife edge moved across the lantern's pencil beam, and a light sensor behind it."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn

FULL = 870.0  # light of the whole beam, lx
CENTRE = 9.37  # of the beam on the slide's scale, mm
WIDTH = 1.85  # standard deviation of the beam's profile, mm
DARK = 2.0  # lx


def behind_edge(x: float) -> float:
    """Illuminance in lx behind an edge at x, in mm, on the slide's scale."""
    return DARK + FULL / 2 * (1 + math.erf((x - CENTRE) / (WIDTH * math.sqrt(2))))


class BeamEdge(Rig):
    """State: illuminance / lx. Handle: the position of the edge."""

    key = "beam_edge"
    name = "Beam edge"
    handles = (Handle("x", "edge at", "mm", 0.0, 20.0, 0.05),)
    starts = {"x": 4.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Light sensor LS-1", "0044", "1.0"),
            (
                Sensor(
                    ChannelFacts("E", "illuminance", "E", "lx", 0.0, 1000.0, 0.1, 200.0),
                    noise=0.2,
                    relative_noise=0.01,
                    offset=0.8,
                ),
            ),
            clock_ppm=5.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"E": behind_edge(self.settings["x"])}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        return self.begin()
