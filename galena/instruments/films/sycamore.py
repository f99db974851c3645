"""A sycamore seed that spins down past a striped staff, drawn picture by picture.

It falls with a drag in proportion to its speed: v = v_t (1 − e^(−t/τ)). A wind carries it
sideways, to and fro. Length of a pixel, times and places are exact, so that what is measured in
the film can be held against them.
"""

from __future__ import annotations

from functools import cache, cached_property

import numpy as np
from numpy.typing import NDArray

from galena.core.loading import later
from galena.instruments.films.drawing import Picture, ellipse, gradient, grained, rectangle

optimize = later("scipy.optimize")

Floats = NDArray[np.float64]
SIZE = (1280, 720)
RATE = 60  # pictures a second
PICTURES = 152  # of which two are missing
MISSING = (57, 96)
PIXEL = 0.4 / 168  # m
RELEASED = 0.15  # s after the film begins
TERMINAL, SETTLING = 0.82, 0.16  # m/s, s
START = (640.0, 90.0)  # of the nut, in pixels
SPIN = 9.0  # turns a second
WIND, WIND_HZ = 0.045, 0.9  # m and 1/s of its way to and fro
GROUND = 672.0  # where its way ends, in pixels
STAFF = (905.0, 24.0, 42.0)  # its left edge, its width and a stripe, in pixels
NUT, WING = 7.0, (26.0, 6.5)  # radii in pixels
_SEED, _GRAINS = 20261, 7


def _fallen(t: Floats) -> Floats:
    """How far it has fallen so long after it was let go, m."""
    return TERMINAL * (t - SETTLING * (1 - np.exp(-t / SETTLING)))


@cache
def _lands() -> float:
    """When it comes to the ground, s after it was let go."""
    height = (GROUND - START[1]) * PIXEL
    return float(optimize.brentq(lambda t: _fallen(np.array(t)) - height, 0.0, 60.0))


class SycamoreFilm:
    """The film: its times, its pictures, and where nut and tip of the wing truly are."""

    size = SIZE

    @cached_property
    def times(self) -> Floats:
        """When each picture was taken, s from the first; shape (n,)."""
        kept = [k for k in range(PICTURES) if k not in MISSING]
        return np.array(kept) / RATE

    def nut(self, times: Floats) -> Floats:
        """Where the nut is, in pixels; shape (n, 2)."""
        t = np.clip(np.asarray(times, dtype=np.float64) - RELEASED, 0.0, _lands())
        sway = WIND * np.sin(2 * np.pi * WIND_HZ * t) * (1 - np.exp(-t / 0.3))
        return np.column_stack((START[0] + sway / PIXEL, START[1] + _fallen(t) / PIXEL))

    def picture(self, number: int) -> Picture:
        """Draw a picture, shape (720, 1280, 3)."""
        t = float(self.times[number])
        drawn = self._grained[number % _GRAINS].copy()
        x, y = (float(one) for one in self.nut(np.array([t]))[0])
        phase = 2 * np.pi * SPIN * max(0.0, t - RELEASED)
        if t >= RELEASED + _lands():
            phase = 0.4
        reach, lean = WING[0] * np.cos(phase), 0.45
        radii = (max(5.0, abs(reach)), WING[1])
        turn = lean if reach >= 0 else np.pi - lean
        wing = (x + np.cos(turn) * radii[0], y - np.sin(turn) * radii[0] * 0.6)
        ellipse(drawn, wing, radii, (201, 170, 112), turn if reach >= 0 else turn + np.pi)
        ellipse(drawn, (x, y), (NUT, NUT), (74, 52, 32))
        ellipse(drawn, (x - 1.5, y - 1.5), (2.2, 2.2), (120, 92, 64))
        return drawn

    @cached_property
    def _grained(self) -> list[Picture]:
        """What stands still, with the grain of a few pictures, which come in turn."""
        return grained(self._scene, _GRAINS, _SEED)

    @cached_property
    def _scene(self) -> Picture:
        """What stands still: sky, a wall, the ground, and the staff with stripes of 0.1 m."""
        scene = gradient(SIZE, (170, 186, 202), (140, 150, 140))
        rectangle(scene, 0, 0, 440, 680, (122, 121, 114))
        for course in range(40, 680, 56):
            rectangle(scene, 0, course, 440, course + 2, (104, 103, 97))
        rectangle(scene, 0, 680, SIZE[0], SIZE[1], (92, 112, 76))
        left, width, stripe = STAFF
        for number in range(15):
            top = 680 - (number + 1) * stripe
            colour = (126, 46, 34) if number % 2 == 0 else (240, 234, 224)
            rectangle(scene, left, top, left + width, top + stripe, colour)
        return scene
