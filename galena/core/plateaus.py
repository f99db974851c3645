"""Stretches in which readings hold still, as between the steps of a fan."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings

Floats = NDArray[np.float64]
_WIDEST = 0.03  # of the readings: with so wide a window the search begins
_LEAST = 5
_STILL, _SETTLED = 4.0, 2.0  # standard uncertainties
_FLAT = 0.01  # of the whole range: what changes less from window to window is level
_COVERED = 0.3  # of the readings on plateaus: then a narrower window would only see gusts
_MOST_KEPT = 0.9
MOST = 60


def plateaus(x: ArrayLike, y: ArrayLike) -> list[tuple[float, float]]:
    """Find the stretches of x in which y keeps its level; the person confirms them.

    A reading lies on a plateau where the means of a window before and of one behind it differ
    by less than four standard uncertainties of that difference, as seen from the scatter that
    the windows usually have, and the stretch as a whole neither rises nor falls by more.
    Neighbouring plateaus of about the same level are one. The window is 3 % of the readings,
    and narrower where that finds hardly any.
    Raises TooFewReadings for fewer than twenty readings.
    Source: Shewhart's control limits (W. A. Shewhart, Economic Control of Quality, 1931), for
    the difference of two means.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(values)
    places, values = places[good], values[good]
    if values.size < 20:
        raise TooFewReadings("A search for plateaus", 20, int(values.size))
    best: list[tuple[int, int]] = []
    width = max(_LEAST, int(_WIDEST * values.size))
    while True:
        level = _of_width(values, width)
        if _covered(level) > _covered(best):
            best = level
        if _covered(best) >= _COVERED * values.size or width == _LEAST:
            break
        width = max(_LEAST, width // 2)
    return [(float(places[i]), float(places[j])) for i, j in best[:MOST]]


def _covered(stretches: list[tuple[int, int]]) -> int:
    return sum(j - i + 1 for i, j in stretches)


def _of_width(values: Floats, width: int) -> list[tuple[int, int]]:
    """Find plateaus by comparing neighbouring windows of so many readings."""
    mean, sd = _windows(values, width)
    usual = float(np.median(sd)) or 1e-12 * float(np.ptp(values))
    apart = np.abs(mean[width:] - mean[:-width])  # window before and window behind
    limit = max(_STILL * usual * np.sqrt(2 / width), _FLAT * float(np.ptp(values)))
    still = np.zeros(values.size, dtype=bool)
    still[width : width + apart.size] = apart <= limit
    still[:width] = still[width]
    still[width + apart.size :] = still[width + apart.size - 1]
    found = [run for run in _stretches(still) if run[1] - run[0] + 1 >= width]
    # Gusts may break a plateau in two: what belongs together is judged by how they scatter.
    following = _following(values)
    joined = _joined(found, values, limit * following)
    usual *= following
    level = [(i, j) for i, j in joined if _is_level(values[i : j + 1], usual, limit)]
    return [(_settled(values, i, j), j) for i, j in level]


def _following(y: Floats) -> float:
    """Tell by how much means scatter more because each error keeps a share of the last, as gusts.

    For an error that keeps φ of the last one, differences of readings k apart have a variance
    that goes with 1 - φᵏ; so 1 + φ is that of two apart over that of neighbours. Medians are
    deaf to the steps between plateaus. Source: Box and Jenkins, Time Series Analysis (1976), 3.2.
    """
    near, far = (float(np.median(np.abs(y[k:] - y[:-k]))) for k in (1, 2))
    kept = (far / near) ** 2 - 1 if near > 0 else 0.0
    if not 0 < kept < _MOST_KEPT:  # more than all of it is no error but a smooth curve
        return 1.0
    return math.sqrt((1 + kept) / (1 - kept))


def _settled(y: Floats, i: int, j: int) -> int:
    """Give from where on a plateau has settled: as long as its first quarter differs from the
    rest by more than two standard uncertainties, that quarter is no part of it."""
    while j - i + 1 >= 4 * _LEAST:
        quarter = (j - i + 1) // 4
        first, rest = y[i : i + quarter], y[i + quarter : j + 1]
        scatter = float(rest.std()) * _following(rest)
        apart = abs(float(first.mean()) - float(rest.mean()))
        if apart <= _SETTLED * scatter * math.sqrt(1 / quarter + 1 / rest.size):
            break
        i += quarter
    return i


def _is_level(y: Floats, usual: float, limit: float) -> bool:
    """Tell whether a stretch as a whole keeps its level: its thirds at both ends agree."""
    third = max(1, y.size // 3)
    rise = abs(float(y[-third:].mean()) - float(y[:third].mean()))
    return rise <= max(limit, _STILL * usual * math.sqrt(2 / third))


def _windows(y: Floats, width: int) -> tuple[Floats, Floats]:
    shift = float(y.mean())
    sums = np.concatenate(([0.0], np.cumsum(y - shift)))
    squares = np.concatenate(([0.0], np.cumsum((y - shift) ** 2)))
    mean = (sums[width:] - sums[:-width]) / width
    variance = (squares[width:] - squares[:-width]) / width - mean**2
    return mean + shift, np.sqrt(np.maximum(variance, 0.0) * width / (width - 1))


def _stretches(still: NDArray[np.bool_]) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([False], still, [False])).astype(np.int8)))
    return [(int(i), int(j) - 1) for i, j in zip(edges[::2], edges[1::2], strict=True)]


def _joined(found: list[tuple[int, int]], y: Floats, near: float) -> list[tuple[int, int]]:
    made: list[tuple[int, int]] = []
    for i, j in found:
        level = float(y[i : j + 1].mean())
        if made and abs(level - float(y[made[-1][0] : made[-1][1] + 1].mean())) < near:
            made[-1] = (made[-1][0], j)
        else:
            made.append((i, j))
    return made
