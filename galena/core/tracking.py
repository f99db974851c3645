"""Follows a marked thing from picture to picture by what surrounds it.

Source: Lewis, Fast Normalized Cross-Correlation, Vision Interface (1995) 120; the place of the
peak between pixels is that of the parabola through it and its neighbours.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.loading import later

signal = later("scipy.signal")

Floats = NDArray[np.float64]
Picture = NDArray[np.uint8]
HALF = 11  # pixels from the middle of what is followed to its edge
SURE = 0.62  # a likeness below this is no longer told from chance
RENEWED_FROM = 0.8  # only of a good likeness is the look renewed
_KEPT = 0.85  # of the look before, where it is renewed
_FIRST = 0.35  # share that the first look keeps for ever, so that it does not drift away
_RIVAL = 0.93  # of the best likeness: another place as like as this leaves it open
_FLAT = 1.0  # grey levels: what has no more contrast looks like anything


@dataclass(frozen=True)
class Mark:
    """A place in a picture, in pixels from the left and the top, and how like the look it is."""

    x: float
    y: float
    score: float


def follow(
    pictures: Iterable[Picture], start: tuple[float, float], *, reach: int = 24, half: int = HALF
) -> Iterator[Mark]:
    """Follow what is marked in the first of some pictures; ends where it is unsure.

    pictures: grey, shape (h, w), uint8; start: its place in the first one; reach: pixels around
    the foreseen place in which it is looked for; half: the half width of what is looked for.
    Gives a mark a picture, the first one with score 1. The first picture whose mark would be
    unsure (less like than SURE, or another place nearly as like) has none, nor have those after.
    """
    places: list[tuple[float, float]] = []
    first = look = np.empty(0)
    for picture in pictures:
        grey = picture.astype(np.float64)
        if not places:
            first = look = patch(grey, start, half)
            if float(first.std()) < _FLAT:
                return
            places.append(start)
            yield Mark(*start, 1.0)
            continue
        found = _best(grey, look, foreseen(places), reach, half)
        if found is None:
            return
        places.append((found.x, found.y))
        if found.score >= RENEWED_FROM:
            now = _KEPT * look + (1 - _KEPT) * patch(grey, places[-1], half)
            look = _FIRST * first + (1 - _FIRST) * now
        yield found


def foreseen(places: list[tuple[float, float]]) -> tuple[float, float]:
    """Give where it will be next: as fast as it was, and as much faster as it became before."""
    last = np.array(places[-3:])
    if len(last) == 1:
        return places[-1]
    step = last[-1] - last[-2]
    if len(last) == 3:
        step = step + 0.5 * (step - (last[-2] - last[-3]))
    x, y = last[-1] + step
    return float(x), float(y)


def patch(grey: Floats, at: tuple[float, float], half: int) -> Floats:
    """Give what surrounds a place that may lie between pixels, shape (2 half + 1, 2 half + 1).

    Between pixels it is taken on straight lines; beyond the edge the edge goes on.
    """
    x, y = at
    left, top = int(np.floor(x)), int(np.floor(y))
    across, down = x - left, y - top
    rows = np.clip(np.arange(top - half, top + half + 2), 0, grey.shape[0] - 1)
    columns = np.clip(np.arange(left - half, left + half + 2), 0, grey.shape[1] - 1)
    part = grey[np.ix_(rows, columns)]
    upper = (1 - across) * part[:-1, :-1] + across * part[:-1, 1:]
    lower = (1 - across) * part[1:, :-1] + across * part[1:, 1:]
    return np.asarray((1 - down) * upper + down * lower)


def _best(
    grey: Floats, look: Floats, at: tuple[float, float], reach: int, half: int
) -> Mark | None:
    """Give the place within reach that looks most like it; None where that is unsure."""
    height, width = grey.shape
    x, y = (round(one) for one in at)
    left, right = max(0, x - reach - half), min(width, x + reach + half + 1)
    top, bottom = max(0, y - reach - half), min(height, y + reach + half + 1)
    if right - left < look.shape[1] + 2 or bottom - top < look.shape[0] + 2:
        return None  # it has left the picture
    likeness = likeness_of(grey[top:bottom, left:right], look)
    row, column = np.unravel_index(int(np.argmax(likeness)), likeness.shape)
    best = float(likeness[row, column])
    if best < SURE or _has_rival(likeness, int(row), int(column), half):
        return None
    down = _between(likeness[:, column], int(row))
    across = _between(likeness[row, :], int(column))
    return Mark(left + half + float(column) + across, top + half + float(row) + down, best)


def likeness_of(part: Floats, look: Floats) -> Floats:
    """Give how like each place of a part is to a look, from -1 to 1: the correlation of both.

    part: shape (h, w); look: shape (m, m); gives shape (h - m + 1, w - m + 1).
    """
    look = look - look.mean()
    count = look.size
    products = signal.fftconvolve(part, look[::-1, ::-1], mode="valid")
    sums, squares = _sums(part, look.shape), _sums(part**2, look.shape)
    spread = np.sqrt(np.maximum(squares - sums**2 / count, 0.0))
    size = float(np.linalg.norm(look)) * spread
    flat = spread < _FLAT * np.sqrt(count)
    return np.where(flat, 0.0, products / np.where(flat, 1.0, size))


def _sums(values: Floats, shape: tuple[int, ...]) -> Floats:
    """Give the sums over all windows of a shape, from sums of sums."""
    total = np.zeros((values.shape[0] + 1, values.shape[1] + 1))
    total[1:, 1:] = values.cumsum(axis=0).cumsum(axis=1)
    m, n = shape
    return np.asarray(total[m:, n:] - total[:-m, n:] - total[m:, :-n] + total[:-m, :-n])


def _has_rival(likeness: Floats, row: int, column: int, half: int) -> bool:
    """Tell whether another place, not just beside it, looks nearly as like."""
    rows, columns = np.ogrid[: likeness.shape[0], : likeness.shape[1]]
    away = (np.abs(rows - row) > half) | (np.abs(columns - column) > half)
    others = likeness[away]
    return bool(others.size and others.max() > _RIVAL * likeness[row, column])


def _between(line: Floats, place: int) -> float:
    """Give how far beside a pixel the peak of a line lies, at most half a pixel."""
    if not 0 < place < line.size - 1:
        return 0.0
    before, at, after = line[place - 1 : place + 2]
    bend = before - 2 * at + after
    return float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0
