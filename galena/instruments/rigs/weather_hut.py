"""A hut with a stove and a door, and a home-made board in it that just prints its numbers."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn, choice

OUTSIDE, DAMP = 8.0, 86.0  # °C, % of saturation
LEAKS_IN, OPEN_IN = 90.0, 12.0  # s in which the hut follows the outside, door closed and open
WARMS = 0.18  # °C a second at full stove


def saturation(celsius: float) -> float:
    """Vapour pressure of water at saturation in hPa. Source: Magnus, as in WMO-No. 8, annex 4.B."""
    return 6.112 * math.exp(17.62 * celsius / (243.12 + celsius))


class WeatherHut(Rig):
    """State: temperature / °C, relative humidity / %. Handles: stove, door.

    The water in the air stays what it is outside: a warmer hut is a drier one.
    """

    key = "weather_hut"
    name = "Weather hut"
    handles = (
        Handle("stove", "stove", "%", 0.0, 100.0, 5.0),
        choice("door", "door", "closed", "open"),
    )
    GRID = 0.05
    stand_ins = (
        StandIn(
            Identity("any", "Printing board", "hut", "-"),
            (
                Sensor(ChannelFacts("T", "temperature", "T", "degC", -40.0, 85.0, 0.01, 4.0),
                       noise=0.02, offset=0.3),
                Sensor(ChannelFacts("RH", "relative humidity", "RH", "%", 0.0, 100.0, 0.1, 4.0),
                       noise=0.15, offset=-1.5),
            ),
            speaks="plain",
        ),
    )  # fmt: skip

    def begin(self) -> dict[str, float]:
        return self._air(OUTSIDE + 4.0)

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        follows = OPEN_IN if self.settings["door"] else LEAKS_IN
        warms = WARMS * self.settings["stove"] / 100 - (state["T"] - OUTSIDE) / follows
        return self._air(state["T"] + warms * seconds)

    def _air(self, celsius: float) -> dict[str, float]:
        humid = DAMP * saturation(OUTSIDE) / saturation(celsius)
        return {"T": celsius, "RH": min(100.0, humid)}
