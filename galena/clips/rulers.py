"""What turns pixels of a clip into places: a known length, or a rectangle seen at a slant."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.clips.models import Axes, Clip, Scale, SlantedPlane
from galena.core import geometry

Floats = NDArray[np.float64]
Placed = tuple[Floats, Floats, Floats]  # places, their own uncertainties, what all share; (n, 2)


@dataclass(frozen=True)
class Ruler(ABC):
    """What places in pictures are measured by, in a unit; u_mark: of a mark, in pixels."""

    unit: str
    u_mark: float

    @property
    @abstractmethod
    def pixel(self) -> float:
        """The size of a pixel, or one that is usual in the picture, in the unit."""

    @abstractmethod
    def placed(self, pixels: Floats, axes: geometry.Axes, origin: Floats | None) -> Placed:
        """Give places along axes; origin: where they count from at each, where that moves."""


@dataclass(frozen=True)
class LengthRuler(Ruler):
    """A known length: a pixel is as large everywhere."""

    size: float = 1.0
    u_relative: float = 0.0

    @property
    def pixel(self) -> float:
        return self.size

    def placed(self, pixels: Floats, axes: geometry.Axes, origin: Floats | None) -> Placed:
        places = axes.places(pixels, origin) * self.size
        of_both = 1.0 if origin is None else np.sqrt(2)
        u = np.full(places.shape, self.u_mark * self.size * of_both)
        return places, u, places * self.u_relative


@dataclass(frozen=True)
class PlaneRuler(Ruler):
    """A known rectangle in a plane that is seen at a slant; u_sides: relative, of its sides."""

    plane: geometry.Plane
    u_sides: tuple[float, float]

    @property
    def pixel(self) -> float:
        first, second = (np.array(corner) for corner in self.plane.corners[:2])
        return float(self.plane.width / np.linalg.norm(second - first))

    def placed(self, pixels: Floats, axes: geometry.Axes, origin: Floats | None) -> Placed:
        begin = np.array([axes.origin]) if origin is None else origin
        off = self.plane.places(pixels) - self.plane.places(begin)
        own = self.plane.u_of_marks(pixels, self.u_mark)
        if origin is not None:
            own = np.hypot(own, self.plane.u_of_marks(origin, self.u_mark))
        corners = self.plane.u_of_corners(pixels, begin, self.u_mark)
        shared = np.hypot(corners, off * np.array(self.u_sides))
        places = axes.turned(off)
        signs = np.where(places < 0, -1.0, 1.0)
        return places, axes.turned_uncertainty(own), signs * axes.turned_uncertainty(shared)


def ruler_of(clip: Clip, scale: Scale | None, plane: SlantedPlane | None) -> Ruler:
    """Give what a clip is measured by: its rectangle, its length, or nothing but pixels."""
    if plane is not None:
        relative = plane.u_width / plane.width, plane.u_height / plane.height
        return PlaneRuler(plane.unit, clip.u_mark, plane.geometry, relative)
    if scale is not None:
        drawn = scale.geometry(clip.u_mark)
        return LengthRuler(scale.unit, clip.u_mark, drawn.size, drawn.u_relative)
    return LengthRuler("", clip.u_mark)


def axes_of(axes: Axes | None, plane: SlantedPlane | None) -> geometry.Axes:
    """Give where places count from: the axes, the first corner of a rectangle, or the corner."""
    if axes is not None:
        return axes.geometry
    return geometry.Axes() if plane is None else geometry.Axes(plane.geometry.corners[0])
