"""A pH electrode, a thermometer, three pots of known pH and the pool itself."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Rig, Sensor, StandIn, choice

POTS = (4.003, 7.001, 9.996)  # true pH in the pots marked 4, 7 and 10
NERNST = 0.19842  # slope of an ideal electrode for each kelvin, mV (R·ln 10 / F)
SLOPE_SHARE = 0.94  # what is left of it in this electrode
OFFSET = 12.0  # of this electrode, mV
LAG = 5.0  # time constant of the electrode, s
DAY, TIDE = 86_400.0, 44_714.0  # s
MORNING = 6 * 3600.0  # the model starts at six o'clock


def pool_ph(seconds: float) -> float:
    """PH of the pool: weed takes up carbon dioxide by day, the tide brings the sea twice."""
    day = math.sin(2 * math.pi * (seconds + MORNING - 9 * 3600) / DAY)
    return 8.15 + 0.32 * day + 0.07 * math.sin(2 * math.pi * seconds / TIDE)


def pool_temperature(seconds: float) -> float:
    """Temperature of the pool in °C; the pots stand in it and share it."""
    return 14.0 + 0.6 * math.sin(2 * math.pi * (seconds + MORNING - 10 * 3600) / DAY)


class RockPool(Rig):
    """State: pH at the electrode, its voltage / mV, temperature / °C, hour. Handle: its place."""

    key = "rock_pool"
    name = "Rock pool"
    max_pace = 60.0
    COARSEST = 1.0
    handles = (choice("probe", "electrode in", "the pool", "pot 4.00", "pot 7.00", "pot 10.00"),)
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Electrode amplifier EA-1", "0104", "1.0"),
            (
                Sensor(
                    ChannelFacts("E", "electrode voltage", "E", "mV", -400.0, 400.0, 0.1, 50.0),
                    noise=0.3,
                ),
            ),
            clock_ppm=44.0,
        ),
        StandIn(
            Identity("Skerry Works", "Thermometer TH-1", "0115", "1.0"),
            (
                Sensor(
                    ChannelFacts("T", "pool temperature", "T", "°C", -20.0, 60.0, 0.01, 50.0),
                    noise=0.02,
                    offset=0.09,
                ),
            ),
            clock_ppm=-28.0,
            clock_at_reset_us=310_450.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        felt = pool_ph(0.0)
        return {"pH": felt, "T": pool_temperature(0.0)} | self._electrode(felt, 0.0)

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        now = self.now + seconds
        place = int(self.settings["probe"])
        outside = pool_ph(now) if place == 0 else POTS[place - 1]
        felt = outside + (state["pH"] - outside) * math.exp(-seconds / LAG)
        return {"pH": felt, "T": pool_temperature(now)} | self._electrode(felt, now)

    def _electrode(self, felt: float, now: float) -> dict[str, float]:
        slope = NERNST * (pool_temperature(now) + 273.15) * SLOPE_SHARE
        hour = (now + MORNING) / 3600 % 24
        return {"E": OFFSET + slope * (7.0 - felt), "hour": hour, "pool": pool_ph(now)}
