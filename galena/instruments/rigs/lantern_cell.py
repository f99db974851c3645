"""A solar cell in the lantern room under a load that is swept from short to open."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn, press

LIGHT_CURRENT = 0.080  # at full light, A
SATURATION = 1.5e-9  # of the diode, A
THERMAL = 1.28 * 0.02569  # ideality times kT/e at 25 °C, V
SERIES, SHUNT = 0.35, 60.0  # Ω
LEAST, MOST = 0.2, 2000.0  # the load at its two ends, Ω
SWEEP = 20.0  # s


def current(load: float, light: float) -> float:
    """Current in A through a load in Ω, by bisection of the single-diode equation.

    I = I_L - I_0·(exp((U + I·R_s)/(n·U_T)) - 1) - (U + I·R_s)/R_sh,  U = I·R
    Source: Nelson, The Physics of Solar Cells, 1.4 (equivalent circuit).
    """
    low, high = 0.0, LIGHT_CURRENT
    for _ in range(40):
        middle = (low + high) / 2
        inner = middle * (load + SERIES)
        lost = SATURATION * math.expm1(min(60.0, inner / THERMAL)) + inner / SHUNT
        if LIGHT_CURRENT * light - lost > middle:
            low = middle
        else:
            high = middle
    return (low + high) / 2


class LanternCell(Rig):
    """State: voltage / V, current / mA, place of the load / %. Handles: load, light, sweep."""

    key = "lantern_cell"
    name = "Lantern-room cell"
    handles = (
        Handle("load", "load, short to open", "%", 0.0, 100.0, 1.0),
        Handle("light", "light", "%", 0.0, 100.0, 5.0),
        press("sweep", "sweep the load"),
    )
    starts = {"load": 40.0, "light": 80.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Power meter PM-2", "0091", "1.0"),
            (
                Sensor(
                    ChannelFacts("U", "cell voltage", "U", "V", -0.1, 1.0, 0.0005, 1000.0),
                    noise=0.0006,
                    offset=0.002,
                ),
                Sensor(
                    ChannelFacts("I", "cell current", "I", "mA", -10.0, 120.0, 0.05, 1000.0),
                    noise=0.06,
                    offset=-0.3,
                    gain=1.008,
                ),
            ),
            clock_ppm=15.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        self.swept_from: float | None = None
        self._settled: tuple[float, float] | None = None
        return self._electric(self.settings["load"])

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        if self.settings["sweep"]:
            self.swept_from = self.now
        place = self.settings["load"]
        if self.swept_from is not None:
            place = (self.now - self.swept_from) / SWEEP * 100
            if place >= 100:
                self.swept_from, place = None, 100.0
                self.settings["load"] = 100.0
        if self._settled == (place, self.settings["light"]):
            return state
        return self._electric(place)

    def _electric(self, place: float) -> dict[str, float]:
        self._settled = (place, self.settings["light"])
        load = LEAST * (MOST / LEAST) ** (place / 100)
        amperes = current(load, self.settings["light"] / 100)
        return {"U": amperes * load, "I": amperes * 1000, "place": place}
