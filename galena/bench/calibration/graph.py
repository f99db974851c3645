"""The graph of a calibration on its sheet: standards and curve above, residuals below."""

from dataclasses import dataclass

import numpy as np

from galena.core.calibrating import residuals
from galena.core.calibration import Calibration, Standard
from galena.core.ticks import ticks, widened

WIDTH, LEFT, RIGHT = 400.0, 58.0, 392.0
TOP, BOTTOM = 24.0, 138.0
RESIDUAL_TOP, RESIDUAL_BOTTOM = 162.0, 206.0
HEIGHT = 236.0


@dataclass(frozen=True)
class Graph:
    """Places in the drawing, in its own units: points (x, y), ticks (place, text), a path."""

    points: list[tuple[float, float]]
    path: str
    residuals: list[tuple[float, float]]
    x_ticks: list[tuple[float, str]]
    y_ticks: list[tuple[float, str]]
    residual_ticks: list[tuple[float, str]]
    zero_line: float
    base: float


def draw(standards: list[Standard], curve: Calibration | None) -> Graph | None:
    """Place standards and, if there is one, the curve; nothing where there is no standard."""
    if not standards:
        return None
    raw = np.array([one.raw for one in standards])
    known = np.array([one.known for one in standards])
    x_range = widened(float(raw.min()), float(raw.max()), 0.08)
    line = np.linspace(*x_range, 81)
    values = curve.apply(line) if curve else np.empty(0)
    all_y = np.concatenate([known, values])
    y_range = widened(float(all_y.min()), float(all_y.max()), 0.06)
    left = residuals(curve, standards) if curve else np.zeros(0)
    most = float(np.abs(left).max()) if left.size else 0.0
    most = most if most > 1e-9 * max(1e-300, float(np.abs(known).max())) else 0.0
    r_range = (-1.3 * most, 1.3 * most) if most else (-1.0, 1.0)
    x = _scale(x_range, LEFT, RIGHT)
    y, r = _scale(y_range, BOTTOM, TOP), _scale(r_range, RESIDUAL_BOTTOM, RESIDUAL_TOP)
    places = zip(x(line), y(values), strict=False)
    return Graph(
        points=_pairs(x(raw), y(known)),
        path="M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in places) if curve else "",
        residuals=_pairs(x(raw), r(left if most else np.zeros_like(left))) if curve else [],
        x_ticks=_ticks(x_range, x, 5),
        y_ticks=_ticks(y_range, y, 4),
        residual_ticks=_ticks(r_range, r, 3) if most else [(r(np.zeros(1))[0].item(), "0")],
        zero_line=float(r(np.zeros(1))[0]),
        base=RESIDUAL_BOTTOM if curve else BOTTOM,
    )


def _scale(limits, start: float, end: float):
    lo, hi = limits
    return lambda values: start + (np.asarray(values) - lo) / (hi - lo) * (end - start)


def _pairs(xs, ys) -> list[tuple[float, float]]:
    return [(round(float(a), 1), round(float(b), 1)) for a, b in zip(xs, ys, strict=True)]


def _ticks(limits: tuple[float, float], scale, count: int) -> list[tuple[float, str]]:
    chosen = ticks(*limits, count)
    places = scale(np.array(chosen.places))
    return [(round(float(a), 1), text) for a, text in zip(places, chosen.labels, strict=True)]
