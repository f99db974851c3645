"""Two wells joined by a pipe: their levels run towards each other and settle together."""

from __future__ import annotations

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Floats, Rig, Sensor, StandIn, choice, press

AREAS = (0.50, 0.20)  # cross-sections of the wells, m²
PIPE_AREA, PIPE_LENGTH = 0.004, 2.0  # m², m
FRICTION = 2.4  # how long the flow in the pipe lasts by itself, s
COMMON = 0.50  # level of both at the start, m
TOP = 1.10  # height at which the stick of well 2 hangs upside down, m
BUCKET, POURING = 0.060, 3.0  # m³, s
G = 9.81  # m/s²


def _stick(number: int, serial: str, ppm: float, sensor: Sensor) -> StandIn:
    identity = Identity("Skerry Works", "Level stick LS-2", serial, "2.0")
    return StandIn(identity, (sensor,), ppm, 1000.0 + 52_300.0 * number)


def _sensor(number: int, offset: float) -> Sensor:
    facts = ChannelFacts("h", "level", f"h_{number}", "m", -0.1, 1.4, 0.0005, 50.0)
    return Sensor(facts, noise=0.0006, offset=offset, source=f"stick{number}")


class LinkedWells(Rig):
    """State: both levels / m, flow in the pipe / m³/s. Handles: the valve and buckets."""

    key = "linked_wells"
    name = "Linked wells"
    handles = (
        choice("valve", "valve in the pipe", "closed", "open"),
        press("pour1", "bucket into well 1"),
        press("pour2", "bucket into well 2"),
        press("settle", "back to the common level"),
    )
    stand_ins = (
        _stick(1, "0021", 8.0, _sensor(1, 0.012)),
        _stick(2, "0022", -19.0, _sensor(2, -0.007)),
    )

    def begin(self) -> dict[str, float]:
        return {"h1": COMMON, "h2": COMMON, "flow": 0.0, "left1": 0.0, "left2": 0.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        if self.settings["settle"]:
            return self.begin()
        after = dict(state)
        for well, area in (("1", AREAS[0]), ("2", AREAS[1])):
            left = state[f"left{well}"] + BUCKET * self.settings[f"pour{well}"]
            poured = min(left, BUCKET / POURING * seconds)
            after[f"left{well}"] = left - poured
            after[f"h{well}"] = min(TOP - 0.05, state[f"h{well}"] + poured / area)
        # The water in the pipe is driven by the difference of levels and slowed by friction;
        # taking the new flow for the levels keeps the slosh from growing (Euler and Cromer).
        flow = 0.0
        if self.settings["valve"]:
            drive = G * PIPE_AREA / PIPE_LENGTH * (after["h1"] - after["h2"])
            flow = state["flow"] + (drive - state["flow"] / FRICTION) * seconds
        after["flow"] = flow
        after["h1"] -= flow * seconds / AREAS[0]
        after["h2"] += flow * seconds / AREAS[1]
        return after

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        # The stick of well 2 hangs from the top and looks down.
        return tracks["h1"] if source == "stick1" else TOP - tracks["h2"]
