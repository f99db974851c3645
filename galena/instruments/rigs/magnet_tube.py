"""A magnet that falls through a coil: a voltage pulse of two lobes, equal in area."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Floats, Handle, Rig, Sensor, StandIn, choice, press

MU_0 = 1.256637e-6  # magnetic constant, N/A²
G = 9.81  # m/s²
MOMENT = 1.1  # magnetic moment of the magnet, A·m²
RADIUS = 0.015  # of the coil, m
TURNS = (200, 400)
TUBE = 1.4  # length of the tube, m: there the magnet lands on a cushion


@dataclass(frozen=True)
class Drop:
    """A magnet let go at a time, so high above the middle of a coil."""

    at: float
    height: float
    turns: int

    def fallen(self, times: Floats) -> Floats:
        """Way fallen, in m, at times."""
        return np.minimum(TUBE, 0.5 * G * np.clip(times - self.at, 0.0, None) ** 2)

    def voltage(self, times: Floats) -> Floats:
        """Voltage of the coil, in V, at times.

        A dipole on the axis of N turns of radius R links N·μ₀·m·R² / (2·(R² + z²)^(3/2)); the
        voltage is the negative rate of change of that, z being its place below the middle.
        Source: Griffiths, Introduction to Electrodynamics, 4th ed., 5.4 and 7.2 (dipole and loop).
        """
        fallen = self.fallen(times)
        z = fallen - self.height
        speed = np.where(fallen < TUBE, G * np.clip(times - self.at, 0.0, None), 0.0)
        linked = 1.5 * self.turns * MU_0 * MOMENT * RADIUS**2
        return linked * z * speed / (RADIUS**2 + z**2) ** 2.5

    @property
    def flux(self) -> float:
        """Largest linked flux, in Wb: the area of either lobe."""
        return self.turns * MU_0 * MOMENT / (2 * RADIUS)


class MagnetTube(Rig):
    """State: way fallen / m. Handles: the height, the coil, and letting go."""

    key = "magnet_tube"
    name = "Magnet tube"
    handles = (
        Handle("height", "height above coil", "m", 0.2, 1.2, 0.05),
        choice("coil", "coil", *(f"{turns} turns" for turns in TURNS)),
        press("drop", "let the magnet go"),
    )
    starts = {"height": 0.6}
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Voltmeter VM-5", "0203", "1.0"),
            (
                Sensor(
                    ChannelFacts("U", "coil voltage", "ε", "V", -5.0, 5.0, 0.001, 10_000.0),
                    noise=0.002,
                    offset=0.004,
                    gain=0.996,
                ),
            ),
            clock_ppm=-9.0,
        ),
    )

    def begin(self) -> dict[str, float]:
        self.drops: list[Drop] = []
        return {"fallen": 0.0}

    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        if self.settings["drop"]:
            turns = TURNS[int(self.settings["coil"])]
            self.drops = [*self.drops[-4:], Drop(self.now, self.settings["height"], turns)]
        fallen = 0.0
        if self.drops:
            since = self.now + seconds - self.drops[-1].at
            landed = since > math.sqrt(2 * TUBE / G) + 1.5  # then it is taken up again
            fallen = 0.0 if landed else float(self.drops[-1].fallen(np.array([self.now]))[0])
        return {"fallen": fallen}

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        return sum((drop.voltage(times) for drop in self.drops), np.zeros_like(times))
