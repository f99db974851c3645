"""Stretches in which readings hold still, as between the steps of a fan."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings
from galena.core.settling import settled
from galena.core.statistics import effective_count

Floats = NDArray[np.float64]
_WIDEST = 0.03  # of the readings: with so wide a window the search begins
_LEAST = 5
_STILL = 4.0  # standard uncertainties
_FLAT = 0.01  # of the whole range: what changes less from window to window is level
_COVERED = 0.3  # of the readings on plateaus: then a narrower window would only see gusts
_CALMEST = 0.5  # of the usual scatter: few readings may agree by chance
_TELLING = 20  # readings: so wide must windows be to tell how errors follow each other
_MOST_TELLING = 200  # windows
_TAKEN_OUT, _AT_LEAST_LEFT = 2, 0.25  # a line takes that many correlation times from a window
_BREAK = 2  # windows: a plateau that gusts break for longer is two
MOST = 60


def plateaus(x: ArrayLike, y: ArrayLike) -> list[tuple[float, float]]:
    """Find the stretches of x in which y keeps its level; the person confirms them.

    A reading lies on a plateau where the means of a window before and of one behind it differ
    by less than four standard uncertainties of that difference, as seen from the scatter in
    the calmer of both, and the stretch as a whole neither rises nor falls by more. The scatter
    counts for more where readings follow each other. The window is 3 % of the readings, and
    narrower where that finds hardly any. A plateau begins where the approach to its level has
    faded (`settling`).
    Raises TooFewReadings for fewer than twenty readings.
    Source: Shewhart's control limits (W. A. Shewhart, Economic Control of Quality, 1931), for
    the difference of two means.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(values)
    places, values = places[good], values[good]
    if values.size < 20:
        raise TooFewReadings("A search for plateaus", 20, int(values.size))
    best: list[_Plateau] = []
    width = max(_LEAST, int(_WIDEST * values.size))
    while True:
        level = _of_width(places, values, width)
        if _covered(level) > _covered(best):
            best = level
        if _covered(best) >= _COVERED * values.size or width == _LEAST:
            break
        width = max(_LEAST, width // 2)
    return [(float(places[one.begun]), float(places[one.last])) for one in best[:MOST]]


@dataclass(frozen=True)
class _Plateau:
    """The first and last reading that hold still, and the one from where the level is settled."""

    first: int
    begun: int
    last: int


def _covered(stretches: list[_Plateau]) -> int:
    return sum(one.last - one.first + 1 for one in stretches)


def _of_width(x: Floats, y: Floats, width: int) -> list[_Plateau]:
    """Find plateaus by comparing neighbouring windows of so many readings."""
    mean, sd = _windows(y, width)
    flat = _FLAT * float(np.ptp(y))
    following = _following(y, sd, width)
    more = _STILL * following
    apart = np.abs(mean[width:] - mean[:-width])  # window before and window behind
    least = float(np.median(sd)) * (_CALMEST if width >= _TELLING else 1.0)
    calmer = np.maximum(np.minimum(sd[width:], sd[:-width]), least)
    still = np.zeros(y.size, dtype=bool)
    limit = np.maximum(flat, more * calmer * math.sqrt(2 / width))
    still[width : width + apart.size] = apart <= limit
    still[:width] = still[width]
    still[width + apart.size :] = still[width + apart.size - 1]
    stretches = [run for run in _stretches(still) if run[1] - run[0] + 1 >= width]
    level, before = [], 0
    for i, j in _joined(stretches, y, width, flat, more):
        last = _end(y, i, j, width, more)
        between = apart[max(0, before - width) : max(0, i - width)]
        steepest = max(before, i - between.size + int(between.argmax())) if between.size else i
        way = slice(steepest, last + 1)
        begun = steepest + settled(x[way], y[way], i - steepest, following)
        if _is_level(y[begun : last + 1], flat, more):
            level.append(_Plateau(i, begun, last))
        before = last
    return level


def _end(y: Floats, first: int, last: int, width: int, more: float) -> int:
    """Give the last reading before y leaves a plateau: windows see a step before it comes.

    The readings behind it are looked at in blocks of a sixth of the window. The last block that
    still agrees with the plateau is left away: the step may have begun in it.
    """
    block = max(2, width // 6)
    level = y[(first + last) // 2 : last + 1]
    limit = more * float(level.std()) / math.sqrt(block)
    behind = y[last + 1 : last + 1 + width]
    if behind.size < block:
        return last
    blocks = behind[: behind.size // block * block].reshape(-1, block).mean(axis=1)
    left = np.flatnonzero(np.abs(blocks - level.mean()) > limit)
    agree = int(left[0]) if left.size else blocks.size
    return last + block * max(0, agree - 1)


def _windows(y: Floats, width: int) -> tuple[Floats, Floats]:
    """Give for each window of so many readings the mean and the scatter about a line."""
    off, place = y - float(y.mean()), np.arange(y.size) - y.size / 2
    sums, squares, products = (_sums(one, width) for one in (off, off**2, off * place))
    middle = place[: sums.size] + (width - 1) / 2
    rise = (products - sums * middle) ** 2 / (width * (width**2 - 1) / 12)
    about = np.maximum(squares - sums**2 / width - rise, 0.0)
    return sums / width + float(y.mean()), np.sqrt(about / (width - 2))


def _sums(y: Floats, width: int) -> Floats:
    total = np.concatenate(([0.0], np.cumsum(y)))
    return total[width:] - total[:-width]


def _following(y: Floats, sd: Floats, width: int) -> float:
    """Tell by how much means scatter more than those of independent readings, as in gusts.

    It is told from the readings of windows about their lines, of the calmer half of the windows:
    those hold no step.
    """
    starts = np.arange(0, sd.size, width)
    calm = starts[(sd[starts] > 0) & (sd[starts] <= np.median(sd[starts]))][:_MOST_TELLING]
    if width < _TELLING or not calm.size:
        return 1.0
    off = np.lib.stride_tricks.sliding_window_view(y, width)[calm]
    off = off - off.mean(axis=1, keepdims=True)
    place = np.arange(width) - (width - 1) / 2
    off = (off - np.outer(off @ place, place) / (place @ place)) / sd[calm, None]
    tau = off.size / effective_count(off.ravel())
    return math.sqrt(tau / max(1 - _TAKEN_OUT * tau / width, _AT_LEAST_LEFT))


def _is_level(stretch: Floats, flat: float, more: float) -> bool:
    """Tell whether a stretch as a whole keeps its level: its thirds at both ends agree."""
    third = max(1, stretch.size // 3)
    first, last = stretch[:third], stretch[-third:]
    limit = more * max(float(first.std()), float(last.std())) * math.sqrt(2 / third)
    return abs(float(last.mean() - first.mean())) <= max(flat, limit)


def _stretches(still: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([False], still, [False])).astype(np.int8)))
    return [(int(i), int(j) - 1) for i, j in zip(edges[::2], edges[1::2], strict=True)]


def _joined(
    stretches: list[tuple[int, int]], y: Floats, width: int, flat: float, more: float
) -> list[tuple[int, int]]:
    """Join neighbours of about the same level: gusts may break a plateau in two."""
    joined: list[tuple[int, int]] = []
    for i, j in stretches:
        if joined and i - joined[-1][1] <= _BREAK * width:
            half = (joined[-1][0] + joined[-1][1]) // 2  # before it y may still approach
            before, behind = y[half : joined[-1][1] + 1], y[i : j + 1]
            scatter = max(float(before.std()), float(behind.std()))
            near = max(flat, more * scatter * math.sqrt(1 / before.size + 1 / behind.size))
            if abs(float(before.mean() - behind.mean())) <= near:
                joined[-1] = (joined[-1][0], j)
                continue
        joined.append((i, j))
    return joined
