"""A lamp on a rail before a lux meter: the inverse square law, with the room's light on top."""

from __future__ import annotations

import numpy as np

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Floats, Handle, Rig, Sensor, StandIn, choice

INTENSITY = 60.0  # luminous intensity of the lamp at full power, cd
FLICKER = 0.02  # share of the light that swings
FLICKER_HZ = 100.0  # twice the frequency of the mains
LENS_GAIN = 2.4  # what the lens gathers
LENS_BACK = 0.12  # how far behind the lamp its light then seems to come from, m


class LampRail(Rig):
    """State: mean illuminance of the lamp / lx. Handles: distance, power, lens, the room."""

    key = "lamp_rail"
    name = "Lamp rail"
    handles = (
        Handle("d", "distance", "m", 0.15, 1.5, 0.005),
        Handle("power", "lamp", "%", 0.0, 100.0, 5.0),
        choice("lens", "lens", "none", "in front"),
        Handle("room", "light of the room", "lx", 0.0, 40.0, 1.0),
    )
    starts = {"d": 0.5, "power": 100.0, "room": 9.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Light meter LM-1", "0018", "1.2"),
            (
                Sensor(
                    ChannelFacts("E", "illuminance", "E", "lx", 0.0, 2000.0, 0.1, 1000.0),
                    noise=0.3,
                    offset=1.6,
                    gain=1.012,
                ),
            ),
            clock_ppm=12.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"lamp": self._lamp(), "room": self.settings["room"]}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        return self.begin()

    def _lamp(self) -> float:
        intensity, distance = INTENSITY * self.settings["power"] / 100, self.settings["d"]
        if self.settings["lens"]:
            intensity, distance = intensity * LENS_GAIN, distance + LENS_BACK
        return intensity / distance**2

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        swing: Floats = 1 + FLICKER * np.sin(2 * np.pi * FLICKER_HZ * times)
        return tracks["lamp"] * swing + tracks["room"]
