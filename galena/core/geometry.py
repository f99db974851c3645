"""From pixels of a picture to places in the room: scale, axes, and a plane seen at a slant.

Pixels are counted from the left and from the top of the picture, as shape (n, 2).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import GeometryError

Floats = NDArray[np.float64]
LEAST = 2.0  # pixels: a shorter length gives no scale
_SLANTED = 1e8  # condition beyond which four corners give no plane


@dataclass(frozen=True)
class Scale:
    """How large a pixel is: a length drawn between two ends, whose true length is known.

    first, second: its ends, in pixels; length, u_length: its true length and its standard
    uncertainty, in any unit; u_mark: the standard uncertainty of an end across the line, in
    pixels. Raises GeometryError.
    """

    first: tuple[float, float]
    second: tuple[float, float]
    length: float
    u_length: float = 0.0
    u_mark: float = 0.0

    def __post_init__(self) -> None:
        numbers = (*self.first, *self.second, self.length, self.u_length, self.u_mark)
        if not all(math.isfinite(number) for number in numbers):
            raise GeometryError("The ends and the length of the scale must be numbers.")
        if self.length <= 0:
            raise GeometryError("The known length must be above zero, for example 0.400 m.")
        if self.pixels < LEAST:
            raise GeometryError(
                f"The scale is {self.pixels:.1f} pixels long: drag along something longer."
            )

    @property
    def pixels(self) -> float:
        """How long it is in the picture, in pixels."""
        return math.dist(self.first, self.second)

    @property
    def size(self) -> float:
        """The size of a pixel, in the unit of the length."""
        return self.length / self.pixels

    @property
    def u_relative(self) -> float:
        """Its relative standard uncertainty, which all positions share.

        Of known length and of both ends: u²(s)/s² = u²(L)/L² + 2 u²(end)/p². Source: JCGM
        100:2008 (GUM), 5.1.6.
        """
        return math.hypot(self.u_length / self.length, math.sqrt(2) * self.u_mark / self.pixels)


@dataclass(frozen=True)
class Axes:
    """Where positions count from, and which way.

    origin: in pixels; angle: of the x axis, in degrees against the clock from the right of the
    picture; x_to_left, y_down: whether an axis is turned round.
    """

    origin: tuple[float, float] = (0.0, 0.0)
    angle: float = 0.0
    x_to_left: bool = False
    y_down: bool = False

    def _turn(self) -> Floats:
        """The matrix from pixels beside the origin to places along the axes; shape (2, 2)."""
        angle = math.radians(self.angle)
        along, across = (math.cos(angle), -math.sin(angle)), (-math.sin(angle), -math.cos(angle))
        signs = np.array([-1.0 if self.x_to_left else 1.0, -1.0 if self.y_down else 1.0])
        return np.asarray(np.array([along, across]) * signs[:, None], dtype=np.float64)

    def places(self, pixels: ArrayLike, origin: ArrayLike | None = None) -> Floats:
        """Give places along the axes, in pixels; shape (n, 2).

        origin: where they count from at each, shape (n, 2); without it the origin stays.
        """
        begin = np.asarray(self.origin if origin is None else origin, dtype=np.float64)
        off = np.asarray(pixels, dtype=np.float64) - begin
        return np.asarray(off @ self._turn().T)

    def _turn_in_plane(self) -> Floats:
        """The matrix from places in a plane to places along the axes; shape (2, 2)."""
        angle = math.radians(self.angle)
        along, across = (math.cos(angle), math.sin(angle)), (-math.sin(angle), math.cos(angle))
        signs = np.array([-1.0 if self.x_to_left else 1.0, -1.0 if self.y_down else 1.0])
        return np.asarray(np.array([along, across]) * signs[:, None], dtype=np.float64)

    def turned(self, places: ArrayLike) -> Floats:
        """Give places in a plane, counted from the origin, along the axes; shape (n, 2)."""
        return np.asarray(np.asarray(places, dtype=np.float64) @ self._turn_in_plane().T)

    def turned_uncertainty(self, u: ArrayLike) -> Floats:
        """Give the uncertainties along the axes of those in a plane; shape (n, 2).

        Source: JCGM 100:2008 (GUM), 5.1.2, of a turn.
        """
        squares = np.asarray(u, dtype=np.float64) ** 2
        return np.asarray(np.sqrt(squares @ (self._turn_in_plane() ** 2).T))

    def pixels(self, places: ArrayLike) -> Floats:
        """Give the pixels of places along the axes; shape (n, 2)."""
        back = np.linalg.inv(self._turn())
        return np.asarray(places, dtype=np.float64) @ back.T + self.origin


@dataclass(frozen=True)
class Plane:
    """A plane seen at a slant: the corners of a known rectangle, in order around it.

    corners: in pixels, shape (4, 2), from the corner at (0, 0) along its width first. width,
    height: its sides, in one unit. Raises GeometryError.
    Source: Hartley and Zisserman, Multiple View Geometry, 2nd ed., 4.1.
    """

    corners: tuple[tuple[float, float], ...]
    width: float
    height: float

    def __post_init__(self) -> None:
        if len(self.corners) != 4:
            raise GeometryError("A plane is told by the four corners of a rectangle.")
        if not (0 < self.width < math.inf and 0 < self.height < math.inf):
            raise GeometryError("The sides of the rectangle must be above zero.")
        turns = _turns(np.array(self.corners, dtype=np.float64))
        if not (np.all(turns > LEAST) or np.all(turns < -LEAST)):
            raise GeometryError(
                "The four corners must go around the rectangle, none in line with two others."
            )

    def _matrix(self) -> Floats:
        """The homography from pixels to the plane, shape (3, 3), from four points."""
        plane = [(0, 0), (self.width, 0), (self.width, self.height), (0, self.height)]
        rows, right = [], []
        for (u, v), (x, y) in zip(self.corners, plane, strict=True):
            rows += [[u, v, 1, 0, 0, 0, -u * x, -v * x], [0, 0, 0, u, v, 1, -u * y, -v * y]]
            right += [x, y]
        system = np.array(rows, dtype=np.float64)
        sizes = np.abs(system).max(axis=0)
        if np.linalg.cond(system / sizes) > _SLANTED:
            raise GeometryError("The plane is seen too much from its edge.")
        solved = np.linalg.solve(system / sizes, np.array(right, dtype=np.float64)) / sizes
        return np.append(solved, 1.0).reshape(3, 3)

    def places(self, pixels: ArrayLike) -> Floats:
        """Give places in the plane, from its corner; shape (n, 2)."""
        return _projected(self._matrix(), np.asarray(pixels, dtype=np.float64))

    def pixels(self, places: ArrayLike) -> Floats:
        """Give the pixels of places in the plane; shape (n, 2)."""
        back = np.asarray(np.linalg.inv(self._matrix()), dtype=np.float64)
        return _projected(back, np.asarray(places, dtype=np.float64))

    def grid(self, across: int, up: int) -> Floats:
        """Give lines that are straight in the plane, as their ends in pixels; shape (n, 2, 2)."""
        xs, ys = np.linspace(0, self.width, across + 1), np.linspace(0, self.height, up + 1)
        ends = [((x, 0.0), (x, self.height)) for x in xs] + [
            ((0.0, y), (self.width, y)) for y in ys
        ]
        return self.pixels(np.array(ends).reshape(-1, 2)).reshape(-1, 2, 2)

    def u_places(self, pixels: ArrayLike, u_mark: float, u_corner: float) -> Floats:
        """Give the standard uncertainties of places, of the marks and the corners; shape (n, 2)."""
        of_corners = self.u_of_corners(pixels, None, u_corner)
        return np.asarray(np.hypot(self.u_of_marks(pixels, u_mark), of_corners))

    def u_of_marks(self, pixels: ArrayLike, u_mark: float) -> Floats:
        """Give what marks that are off by u_mark pixels add to places; shape (n, 2).

        By finite differences of a pixel's hundredth. Source: JCGM 100:2008 (GUM), 5.1.2.
        """
        at, step = np.asarray(pixels, dtype=np.float64), 0.01
        variance = np.zeros_like(at)
        for axis in np.eye(2):
            slope = (self.places(at + step * axis) - self.places(at - step * axis)) / (2 * step)
            variance += (slope * u_mark) ** 2
        return np.asarray(np.sqrt(variance))

    def u_of_corners(self, pixels: ArrayLike, origin: ArrayLike | None, u_corner: float) -> Floats:
        """Give what corners that are off by u_corner pixels add to all places; shape (n, 2).

        origin: pixels that places are counted from, shape (n, 2) or (1, 2); without it they are
        counted from the first corner, wherever it is. Source as above.
        """
        at, step = np.asarray(pixels, dtype=np.float64), 0.01
        variance = np.zeros_like(at)
        begin = None if origin is None else np.asarray(origin, dtype=np.float64)
        corners = np.array(self.corners, dtype=np.float64)
        for place in np.ndindex(4, 2):
            moved = []
            for way in (step, -step):
                shifted = corners.copy()
                shifted[place] += way
                other = Plane(tuple(map(tuple, shifted)), self.width, self.height)
                moved.append(other.places(at) - (0.0 if begin is None else other.places(begin)))
            variance += ((moved[0] - moved[1]) / (2 * step) * u_corner) ** 2
        return np.asarray(np.sqrt(variance))


def _turns(corners: Floats) -> Floats:
    """Give twice the area of the triangle at each corner, with the sign of its turn; shape (4,)."""
    before, after = np.roll(corners, 1, axis=0) - corners, np.roll(corners, -1, axis=0) - corners
    return np.asarray(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0])


def _projected(matrix: Floats, points: Floats) -> Floats:
    homogeneous = np.column_stack((points, np.ones(len(points)))) @ matrix.T
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.asarray(homogeneous[:, :2] / homogeneous[:, 2:])
