"""A battery of the harbour beacon under resistors of known value, and a bench meter beside it."""

from __future__ import annotations

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn, choice

OPEN_VOLTAGE = 4.62  # of three fresh cells, V
INNER = 1.35  # their inner resistance, Ω
SAGS = 0.04  # of the open voltage at most, while it is loaded
RECOVERS_IN = 40.0  # s
LOADS = (float("inf"), 47.0, 22.0, 15.0, 10.0, 6.8, 4.7)  # Ω
_CHOICES = ("none", *(f"{one:g} Ω" for one in LOADS[1:]))


class BeaconBattery(Rig):
    """State: voltage / V, current / A, how far it has sagged. Handles: load, age.

    U = (U_0·(1 - s) - I·R_i), I = U / R;  s follows the load with a delay. Source: any textbook of
    electricity, the real source of voltage.
    """

    key = "beacon_battery"
    name = "Beacon battery"
    handles = (
        choice("load", "load", *_CHOICES),
        Handle("age", "used up", "%", 0.0, 80.0, 5.0),
    )
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Bench meter BM-4", "0112", "2.1"),
            (
                Sensor(ChannelFacts("VOLT", "voltage", "U", "V", -1000.0, 1000.0, 0.0001, 40.0),
                       noise=0.0002, offset=0.0004),
                Sensor(ChannelFacts("CURR", "current", "I", "A", -10.0, 10.0, 0.00001, 40.0),
                       noise=0.00003),
            ),
            speaks="SCPI",
        ),
    )  # fmt: skip

    def begin(self) -> dict[str, float]:
        return self._electric(0.0)

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        # A load of 5 Ω, about 0.9 A, sags it fully.
        towards = min(1.0, state["CURR"] / 0.9) * SAGS
        sagged = state["sagged"] + (towards - state["sagged"]) * seconds / RECOVERS_IN
        return self._electric(sagged)

    def _electric(self, sagged: float) -> dict[str, float]:
        age = self.settings["age"] / 100
        inner, load = INNER * (1 + 3 * age), LOADS[round(self.settings["load"])]
        open_voltage = OPEN_VOLTAGE * (1 - 0.25 * age) * (1 - sagged)
        current = open_voltage / (load + inner)
        return {"VOLT": open_voltage - current * inner, "CURR": current, "sagged": sagged}
