"""Stretches in which readings hold still, as between the steps of a fan."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import TooFewReadings

Floats = NDArray[np.float64]
_SHORTEST = 0.03  # of the readings: what is shorter is no plateau
_LEAST = 5
_STILL = 4.0
_FLAT = 0.01  # of the whole range: what changes less from window to window is level
MOST = 60


def plateaus(x: ArrayLike, y: ArrayLike) -> list[tuple[float, float]]:
    """Find the stretches of x in which y keeps its level; the person confirms them.

    A reading lies on a plateau where the means of a window before and of one behind it differ
    by less than four standard uncertainties of that difference, as seen from the scatter that
    the windows usually have. Neighbouring plateaus of about the same level are one.
    Raises TooFewReadings for fewer than twenty readings.
    Source: Shewhart's control limits (W. A. Shewhart, Economic Control of Quality, 1931), for
    the difference of two means.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(values)
    places, values = places[good], values[good]
    if values.size < 20:
        raise TooFewReadings("A search for plateaus", 20, int(values.size))
    width = max(_LEAST, int(_SHORTEST * values.size))
    mean, sd = _windows(values, width)
    usual = float(np.median(sd)) or 1e-12 * float(np.ptp(values))
    apart = np.abs(mean[width:] - mean[:-width])  # window before and window behind
    limit = _STILL * usual * np.sqrt(2 / width)
    still = np.zeros(values.size, dtype=bool)
    still[width : width + apart.size] = apart <= max(limit, _FLAT * float(np.ptp(values)))
    still[:width] = still[width]
    still[width + apart.size :] = still[width + apart.size - 1]
    found = [run for run in _stretches(still) if run[1] - run[0] + 1 >= width]
    joined = _joined(found, values, max(limit, _FLAT * float(np.ptp(values))))
    return [(float(places[i]), float(places[j])) for i, j in joined[:MOST]]


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
