"""Draws smooth shapes into a picture, each edge as wide as a pixel, so that places between pixels
are seen.

Coordinates are pixels from the left and the top; the middle of the first pixel is (0, 0).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Picture = NDArray[np.uint8]
Colour = tuple[int, int, int]


def gradient(size: tuple[int, int], top: Colour, bottom: Colour) -> Picture:
    """Give a picture (width, height) that goes from one colour to another; shape (h, w, 3)."""
    width, height = size
    share = np.linspace(0.0, 1.0, height)[:, None, None]
    picture = (1 - share) * np.array(top) + share * np.array(bottom)
    return np.broadcast_to(picture, (height, width, 3)).round().astype(np.uint8)


def rectangle(
    picture: Picture, left: float, top: float, right: float, bottom: float, colour: Colour
) -> None:
    """Fill a rectangle, edges between pixels shared."""
    rows = _reached(top, bottom, picture.shape[0])
    columns = _reached(left, right, picture.shape[1])
    down, across = np.arange(rows.start, rows.stop), np.arange(columns.start, columns.stop)
    down = np.clip(np.minimum(down - top, bottom - down) + 0.5, 0, 1)
    across = np.clip(np.minimum(across - left, right - across) + 0.5, 0, 1)
    _blend(picture, rows, columns, np.outer(down, across), colour)


def ellipse(
    picture: Picture, at: tuple[float, float], radii: tuple[float, float], colour: Colour,
    turn: float = 0.0,
) -> None:  # fmt: skip
    """Fill an ellipse about a place; turn: of its first radius against the clock, in radians."""
    reach = max(radii) + 2
    left, right = int(at[0] - reach), int(at[0] + reach) + 2
    top, bottom = int(at[1] - reach), int(at[1] + reach) + 2
    left, right = max(0, left), min(picture.shape[1], right)
    top, bottom = max(0, top), min(picture.shape[0], bottom)
    if left >= right or top >= bottom:
        return
    across = np.arange(left, right)[None, :] - at[0]
    up = at[1] - np.arange(top, bottom)[:, None]
    cos, sin = np.cos(turn), np.sin(turn)
    u, v = (across * cos + up * sin) / radii[0], (up * cos - across * sin) / radii[1]
    off = np.hypot(u, v)
    slope = np.hypot(u / radii[0], v / radii[1]) / np.maximum(off, 1e-9)
    inside = np.clip((1 - off) / np.maximum(slope, 1e-9) + 0.5, 0, 1)
    _blend(picture, slice(top, bottom), slice(left, right), inside, colour)


def segment(
    picture: Picture, first: tuple[float, float], second: tuple[float, float], radius: float,
    colour: Colour,
) -> None:  # fmt: skip
    """Draw a straight piece with round ends, twice `radius` wide."""
    reach = radius + 2
    left, right = int(min(first[0], second[0]) - reach), int(max(first[0], second[0]) + reach) + 2
    top, bottom = int(min(first[1], second[1]) - reach), int(max(first[1], second[1]) + reach) + 2
    left, right = max(0, left), min(picture.shape[1], right)
    top, bottom = max(0, top), min(picture.shape[0], bottom)
    if left >= right or top >= bottom:
        return
    across = np.arange(left, right)[None, :] - first[0]
    down = np.arange(top, bottom)[:, None] - first[1]
    along = np.array(second, dtype=np.float64) - first
    share = (across * along[0] + down * along[1]) / max(float(along @ along), 1e-9)
    share = np.clip(share, 0, 1)
    off = np.hypot(across - share * along[0], down - share * along[1])
    inside = np.clip(radius - off + 0.5, 0, 1)
    _blend(picture, slice(top, bottom), slice(left, right), inside, colour)


def grained(scene: Picture, count: int, seed: int) -> list[Picture]:
    """Give a scene with the grain of some pictures, which come in turn."""
    random = np.random.default_rng(seed)
    height, width = scene.shape[:2]
    pictures = []
    for _ in range(count):
        grain = random.integers(-2, 3, (height // 4, width // 4, 1))
        mixed = scene.astype(np.int16) + grain.repeat(4, 0).repeat(4, 1)
        pictures.append(np.clip(mixed, 0, 255).astype(np.uint8))
    return pictures


def _reached(lo: float, hi: float, count: int) -> slice:
    """Give the rows or columns that a shape between two edges touches."""
    first = min(max(0, int(lo) - 1), count)
    return slice(first, min(max(first, int(hi) + 2), count))


def _blend(picture: Picture, rows: slice, columns: slice, share: Floats, colour: Colour) -> None:
    part = picture[rows, columns].astype(np.float64)
    mixed = part + share[:, :, None] * (np.array(colour) - part)
    picture[rows, columns] = mixed.round().astype(np.uint8)
