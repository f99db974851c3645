"""A model wing in a duct with a fan of five steps."""

from __future__ import annotations

import math

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Rig, Sensor, StandIn, choice

STEPS = (0.0, 3.1, 6.0, 9.2, 12.1, 15.0)  # air speed at each step of the fan, m/s
SETTLING = 4.0  # time constant of the air in the duct, s
LIFT = 0.0213  # lift for the square of the speed, N/(m/s)²
TURBULENCE = 0.025  # standard deviation of the speed as a share of it
GUSTS = 0.25  # how long a gust lasts, s


class WindDuct(Rig):
    """State: mean speed / m/s, gust as a share of it, fan's angle / °. Handle: the fan's step."""

    key = "wind_duct"
    name = "Wind duct"
    max_pace = 20.0
    handles = (choice("fan", "fan", "off", "step 1", "step 2", "step 3", "step 4", "step 5"),)
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Wind meter WM-1", "0027", "1.0"),
            (
                Sensor(
                    ChannelFacts("v", "air speed", "v", "m/s", 0.0, 30.0, 0.01, 100.0),
                    noise=0.02,
                    offset=0.06,
                    gain=0.99,
                ),
            ),
            clock_ppm=21.0,
        ),
        StandIn(
            Identity("Skerry Works", "Lift balance LB-1", "0012", "1.0"),
            (
                Sensor(
                    ChannelFacts("L", "lift", "L", "N", -5.0, 10.0, 0.005, 100.0),
                    noise=0.008,
                    offset=-0.115,
                    gain=1.006,
                ),
            ),
            clock_ppm=-6.0,
            clock_at_reset_us=20_507.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        return {"mean": 0.0, "gust": 0.0, "turned": 0.0, "v": 0.0, "L": 0.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        target = STEPS[int(self.settings["fan"])]
        mean = target + (state["mean"] - target) * math.exp(-seconds / SETTLING)
        # Ornstein and Uhlenbeck's process: noise that remembers for as long as a gust lasts.
        keep = math.exp(-seconds / GUSTS)
        gust = keep * state["gust"] + TURBULENCE * math.sqrt(1 - keep**2) * float(
            self.chance.standard_normal()
        )
        speed = mean * (1 + gust)
        turned = (state["turned"] + 40 * mean * seconds) % 360
        return {"mean": mean, "gust": gust, "turned": turned, "v": speed, "L": LIFT * speed**2}
