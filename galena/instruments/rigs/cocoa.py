"""Two mugs of cocoa that cool, one with a lid if wanted."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Rig, Sensor, StandIn, choice, press

HOT = 82.0  # °C, as poured
ROOM = 19.5  # °C at the start
DRIFT = 0.4 / 3600  # warming of the room, °C/s
OPEN, LIDDED = 1100.0, 2600.0  # time constants of cooling, s
LAG = 3.0  # of the probes, s


def _probe(place: int, offset: float, gain: float) -> Sensor:
    facts = ChannelFacts(
        f"T{place}", f"cocoa, mug {place}", f"T_{place}", "°C", -20.0, 120.0, 0.1, 20.0
    )
    return Sensor(facts, noise=0.08, offset=offset, gain=gain)


class Cocoa(Rig):
    """State: cocoa and probe of each mug / °C, and the room's. Handles: lids and pouring."""

    key = "cocoa"
    name = "Cocoa"
    max_pace = 60.0
    COARSEST = 0.5
    handles = (
        choice("lid1", "mug 1", "open", "with lid"),
        choice("lid2", "mug 2", "open", "with lid"),
        press("pour", "pour hot cocoa"),
    )
    starts = {"lid2": 1.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Thermometer pair TH-2", "0140", "1.0"),
            (_probe(1, 0.3, 1.002), _probe(2, -0.2, 0.997)),
            clock_ppm=27.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"mug1": HOT, "mug2": HOT, "T1": ROOM, "T2": ROOM, "room": ROOM}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        room = state["room"] + DRIFT * seconds
        after = {"room": room}
        for mug in ("1", "2"):
            cocoa = HOT if self.settings["pour"] else state[f"mug{mug}"]
            tau = LIDDED if self.settings[f"lid{mug}"] else OPEN
            after[f"mug{mug}"] = room + (cocoa - room) * math.exp(-seconds / tau)
            probe = state[f"T{mug}"]
            after[f"T{mug}"] = cocoa + (probe - cocoa) * math.exp(-seconds / LAG)
        return after
