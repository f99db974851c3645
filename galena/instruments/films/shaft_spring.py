"""A weight on a long spring in a stair shaft, beside a striped staff, drawn picture by picture.

It swings as the rig of the same name does: x = A e^(−γt) cos(ωt + φ) about its rest. Length of a
pixel, times and places are exact, so that what is measured in the film can be held against them.
"""

from __future__ import annotations

import itertools
import math
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from galena.instruments.films.drawing import (
    Picture,
    ellipse,
    gradient,
    grained,
    rectangle,
    segment,
)
from galena.instruments.rigs.shaft_spring import DAMPING, HOOK, STIFFNESS, G

Floats = NDArray[np.float64]
SIZE = (1280, 720)
RATE = 30  # pictures a second
PICTURES = 150
PIXEL = 0.00125  # m
TOP = 2.46  # height of the upper edge, m
MIDDLE = 640.0  # where the weight hangs, in pixels
STAFF = (905.0, 24.0)  # its left edge and its width, in pixels
STRIPE = 0.1  # m
HUNG_FROM = -60.0  # where the spring begins, above the picture, in pixels
COILS = 17
WEIGHT = (34.0, 26.0)  # half its width and half its height, in pixels
DOT = 7.0  # the radius of the dot on its middle, in pixels
_SEED, _GRAINS = 20262, 5


def row_of(height: float) -> float:
    """Give where a height lies, in pixels from the top."""
    return (TOP - height) / PIXEL


@dataclass(frozen=True)
class Swing:
    """How a weight of a mass swings: x in m from its rest at a time in s."""

    mass: float
    amplitude: float
    phase: float

    @property
    def rest(self) -> float:
        """The height at which it hangs still, m."""
        return HOOK - self.mass * G / STIFFNESS

    @property
    def decay(self) -> float:
        """1/s."""
        return DAMPING / (2 * self.mass)

    @property
    def omega(self) -> float:
        """1/s."""
        return math.sqrt(STIFFNESS / self.mass - self.decay**2)

    def height(self, t: Floats) -> Floats:
        """Give its heights, m."""
        swung = np.exp(-self.decay * t) * np.cos(self.omega * t + self.phase)
        return np.asarray(self.rest + self.amplitude * swung, dtype=np.float64)

    def highest_after(self, t: float) -> float:
        """Give the first time from t on at which it is highest, s; its decay hardly moves that."""
        return t + (-(self.omega * t + self.phase)) % (2 * math.pi) / self.omega


def swing_of(t: Floats, height: Floats, mass: float) -> Swing:
    """Give how a weight swings whose heights were read, whatever the zero of the ranger."""
    still = Swing(mass, 0.0, 0.0)
    fade = np.exp(-still.decay * t)
    turning = still.omega * t
    system = np.column_stack((np.ones_like(t), fade * np.cos(turning), -fade * np.sin(turning)))
    _, along, across = np.linalg.lstsq(system, height, rcond=None)[0]
    return Swing(mass, math.hypot(along, across), math.atan2(across, along))


class SpringFilm:
    """The film of a swing, from a time of it on."""

    size = SIZE

    def __init__(self, swing: Swing, begins: float) -> None:
        self.swing, self.begins = swing, begins

    @cached_property
    def times(self) -> Floats:
        """When each picture was taken, s from the first; shape (n,)."""
        return np.arange(PICTURES) / RATE

    def dot(self, times: Floats) -> Floats:
        """Where the dot on the weight is, in pixels; shape (n, 2)."""
        heights = self.swing.height(np.asarray(times, dtype=np.float64) + self.begins)
        return np.column_stack((np.full(heights.shape, MIDDLE), (TOP - heights) / PIXEL))

    def picture(self, number: int) -> Picture:
        """Draw a picture, shape (720, 1280, 3)."""
        drawn = self._grained[number % _GRAINS].copy()
        y = float(self.dot(self.times[[number]])[0, 1])
        top, bottom = HUNG_FROM, y - WEIGHT[1] - 16
        rows = np.linspace(top, bottom, 2 * COILS + 1)
        for place, (upper, lower) in enumerate(itertools.pairwise(rows)):
            side = 15.0 if place % 2 else -15.0
            segment(drawn, (MIDDLE - side, upper), (MIDDLE + side, lower), 2.0, (86, 88, 92))
        segment(drawn, (MIDDLE, bottom), (MIDDLE, y - WEIGHT[1]), 2.0, (86, 88, 92))
        wide, high = WEIGHT
        rectangle(drawn, MIDDLE - wide, y - high, MIDDLE + wide, y + high, (150, 112, 46))
        rectangle(drawn, MIDDLE - wide, y - high, MIDDLE - wide + 9, y + high, (178, 140, 70))
        ellipse(drawn, (MIDDLE, y), (DOT + 5, DOT + 5), (236, 230, 218))
        ellipse(drawn, (MIDDLE, y), (DOT, DOT), (40, 34, 30))
        return drawn

    @cached_property
    def _grained(self) -> list[Picture]:
        """What stands still, with the grain of a few pictures, which come in turn."""
        return grained(self._scene, _GRAINS, _SEED)

    @cached_property
    def _scene(self) -> Picture:
        """What stands still: the shaft, its rail, the staff, and a line where the hook is empty."""
        scene = gradient(SIZE, (188, 186, 178), (142, 142, 138))
        rectangle(scene, 0, 0, 300, SIZE[1], (126, 124, 118))
        for course in range(-20, SIZE[1], 64):
            rectangle(scene, 0, course, 300, course + 2, (108, 106, 100))
        rectangle(scene, 300, 0, 308, SIZE[1], (98, 96, 92))
        left, width = STAFF
        for number in range(12):
            low = 1.5 + number * STRIPE
            colour = (38, 66, 96) if number % 2 == 0 else (240, 234, 224)
            rectangle(scene, left, row_of(low + STRIPE), left + width, row_of(low), colour)
        rectangle(scene, 560, row_of(HOOK) - 1, 720, row_of(HOOK) + 1, (150, 40, 30))
        return scene
