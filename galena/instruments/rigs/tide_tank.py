"""A tank filled by a pump at constant flow, with a drain that empties it by its own weight."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Floats, Handle, Rig, Sensor, StandIn

AREA = 20_000.0  # cross-section of the tank, mm²: 20 mL raise the level by 1 mm
DRAIN = 0.25  # fall with the drain open, mm/s for each √mm of level (Torricelli's law)
FULL = 480.0  # height of the overflow, mm
SEA = 12.4  # temperature of the water that the pump brings, °C
ROOM = 18.0  # °C
WARMING = 1800.0  # time constant of the tank's warming to the room, s


class TideTank(Rig):
    """State: level / mm and temperature / °C. Handles: the pump's flow and the drain."""

    key = "tide_tank"
    name = "Tide tank"
    handles = (
        Handle("pump", "pump", "mL/s", 0.0, 120.0, 5.0),
        Handle("drain", "drain open", "%", 0.0, 100.0, 10.0),
    )
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Level gauge LG-1", "0007", "1.0"),
            # The gauge counts the pulses of a float on a toothed rod: its zero may be anywhere,
            # its scale is that of the rod and needs no calibration.
            (
                Sensor(
                    ChannelFacts("h", "water level", "h", "mm", -20.0, 520.0, 0.1, 1000.0),
                    noise=0.2,
                    offset=3.2,
                ),
            ),
            clock_ppm=18.0,
        ),
        StandIn(
            Identity("Skerry Works", "Thermometer TH-1", "0112", "1.0"),
            (
                Sensor(
                    ChannelFacts("T", "water temperature", "T", "°C", -20.0, 60.0, 0.01, 50.0),
                    noise=0.03,
                    offset=-0.12,
                    gain=1.004,
                ),
            ),
            clock_ppm=-31.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"level": 0.0, "temperature": SEA}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        inflow = self.settings["pump"] * 1000.0 / AREA
        level = self._level_after(state["level"], inflow, seconds)
        content = max(state["level"], 1.0)
        cooling = inflow / content * (SEA - state["temperature"])
        warming = (ROOM - state["temperature"]) / WARMING
        temperature = state["temperature"] + (cooling + warming) * seconds
        return {"level": level, "temperature": temperature}

    def _level_after(self, level: float, inflow: float, seconds: float) -> float:
        """Heun's method on dh/dt = inflow − opening · √h."""
        opening = DRAIN * self.settings["drain"] / 100.0

        def slope(h: float) -> float:
            return inflow - opening * math.sqrt(max(h, 0.0))

        ahead = level + slope(level) * seconds
        return min(FULL, max(0.0, level + (slope(level) + slope(ahead)) / 2 * seconds))

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        return tracks["level" if source == "h" else "temperature"]
