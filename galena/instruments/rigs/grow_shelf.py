"""Four lamps over four light meters; each lamp leaks into its neighbours."""

from __future__ import annotations

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn

PLACES = ("upper left", "upper right", "lower left", "lower right")
FULL = 560.0  # illuminance under a lamp at full power, lx
LEAKS = {0: 1.0, 1: 0.11, 2: 0.08, 3: 0.03}  # itself, beside, above or below, across
ROOM = 3.0  # lx


def _meter(place: int, offset: float, gain: float) -> Sensor:
    facts = ChannelFacts(
        f"E{place + 1}", PLACES[place], f"E_{place + 1}", "lx", -50.0, 2000.0, 0.1, 200.0
    )
    return Sensor(facts, noise=0.4, offset=offset, gain=gain)


class GrowShelf(Rig):
    """State: illuminance at each place / lx. Handles: the dimmer of each lamp."""

    key = "grow_shelf"
    name = "Grow shelf"
    handles = tuple(
        Handle(f"lamp{place + 1}", f"{PLACES[place]} lamp", "%", 0.0, 100.0, 0.5)
        for place in range(4)
    )
    starts = {"lamp1": 61.5, "lamp2": 61.0, "lamp3": 54.0, "lamp4": 61.0}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Light meter LM-4", "0031", "1.1"),
            (
                _meter(0, 2.9, 1.004),
                _meter(1, -1.2, 0.998),
                _meter(2, 0.4, 1.001),
                _meter(3, 1.7, 0.996),
            ),
            clock_ppm=-14.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {
            f"E{place + 1}": ROOM
            + sum(
                FULL * self.settings[f"lamp{lamp + 1}"] / 100 * LEAKS[place ^ lamp]
                for lamp in range(4)
            )
            for place in range(4)
        }

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        return self.begin()
