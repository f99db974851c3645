"""How an approach to a level fades: from where on readings may be taken for the level."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_TIMES = np.geomspace(0.003, 0.5, 36)  # shares of the stretch that are tried as time constants
_SURE = 4.0  # standard uncertainties: an approach that stands out no more is not seen
_LEFT = 0.3  # of the mean's standard uncertainty: so much may be left of the approach
_NOTHING, _ROUNDING = 1e-3, 1e-12  # of the approach; of the readings
_ENOUGH = 4000  # readings that tell an approach
_LEAST_KEPT = 0.4  # of the plateau


def settled(x: Floats, y: Floats, plateau: int, following: float) -> int:
    """Give from which reading on a plateau's mean owes no more to the approach that led to it.

    x, y: shape (n,), the way to a plateau and the plateau, which begins at the reading
    `plateau`. following: by how much means scatter more than those of independent readings.

        y = L + D exp(-(x - x_0)/τ)

    is fitted with τ tried over a grid, each time by linear least squares. The plateau's readings
    begin where what is left of D adds less than three tenths of a standard uncertainty to the
    mean of those that follow; two fifths of the plateau are kept in any case.
    Source: Golub and Pereyra, SIAM Journal on Numerical Analysis 10 (1973) 413, for the fit.
    """
    span = float(x[-1] - x[0])
    if y.size - plateau < 8 or span <= 0:
        return plateau
    since = x - x[0]
    thin = slice(None, None, max(1, y.size // _ENOUGH))
    level = y[plateau + (y.size - plateau) // 2 :]
    off = y - float(level.mean())
    tau, d, sure = _approach(since[thin], off[thin], span)
    if abs(d) <= max(_SURE * sure * following, _ROUNDING * float(np.max(np.abs(y)))):
        return plateau
    scatter = max(float(level.std(ddof=1)) * following, _NOTHING * abs(d))
    first = np.arange(plateau, y.size - max(2, int(_LEAST_KEPT * (y.size - plateau))) + 1)
    kept = y.size - first
    left = np.cumsum((d * np.exp(-since / tau))[::-1])[::-1][first] / kept
    enough = np.abs(left) <= _LEFT * scatter / np.sqrt(kept)
    return int(first[np.argmax(enough)] if enough.any() else first[-1])


def _approach(since: Floats, y: Floats, span: float) -> tuple[float, float, float]:
    """Give time constant, height at the start and the height's standard uncertainty."""
    best = (math.inf, 0.0, 0.0, 0.0)
    for tau in _TIMES * span:
        fading = np.exp(-since / tau)
        off = fading - fading.mean()
        spread = float(off @ off)
        d = float(off @ y) / spread
        rest = y - y.mean() - d * off
        squares = float(rest @ rest)
        if squares < best[0]:
            best = (squares, tau, d, math.sqrt(squares / max(1, y.size - 3) / spread))
    return best[1:]
