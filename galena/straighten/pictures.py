"""The small graphs of the cards and the drawings of shapes, as vector pictures."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from galena.core.fits import Fit
from galena.core.straightening import Shape
from galena.shell.marks import mark_of

Floats = NDArray[np.float64]
WIDTH, HEIGHT, BELOW = 208, 66, 22  # of the graph, and of what the line leaves over under it
_ROOM = 6
_MOST = 60  # marks


def small(x: Floats, y: Floats, line: Fit | None, marked: int) -> str:
    """Draw readings with the line through them and, under that, what it leaves over."""
    some = np.unique(np.linspace(0, x.size - 1, min(x.size, _MOST)).astype(int))
    return "".join(_parts(x[some], y[some], line, marked))


def _parts(x: Floats, y: Floats, line: Fit | None, marked: int) -> Iterator[str]:
    height = HEIGHT if line is None else HEIGHT + BELOW
    mark = mark_of(marked)
    yield f'<svg class="small-graph" viewBox="0 0 {WIDTH} {height}" aria-hidden="true">'
    yield f'<path class="axes" d="M{_ROOM} 2V{HEIGHT - 2}H{WIDTH - 2}"/>'
    along = _scale(x, 2 * _ROOM, WIDTH - 2 * _ROOM)
    ends = np.array([x.min(), x.max()])
    fitted = np.empty(0) if line is None else line.predict(ends)
    up = _scale(np.concatenate((y, fitted)), HEIGHT - 2 * _ROOM, _ROOM)
    if line is not None:
        (left, right), (first, last) = along(ends), up(fitted)
        yield f'<path class="fitted" d="M{left:.1f} {first:.1f}L{right:.1f} {last:.1f}"/>'
    for place, value in zip(along(x), up(y), strict=True):
        yield f'<path transform="translate({place:.1f} {value:.1f}) scale(0.62)" '
        yield f'd="{mark.path}" class="mark-{mark.number}" fill="{mark.colour}"/>'
    if line is not None:
        yield from _left_over(along(x), y - line.predict(x))
    yield "</svg>"


def _left_over(places: Floats, off: Floats) -> Iterator[str]:
    middle = HEIGHT + BELOW / 2
    most = float(np.abs(off).max()) or 1.0
    yield f'<path class="level" d="M{_ROOM} {middle}H{WIDTH - 2}"/>'
    for place, value in zip(places, off / most * (BELOW / 2 - 2), strict=True):
        yield f'<path class="left-over" d="M{place:.1f} {middle}v{-value:.1f}"/>'


def _scale(values: Floats, first: float, last: float):
    """Give the rule from values to places between two ends."""
    lo, hi = float(values.min()), float(values.max())
    half = hi / 2 - lo / 2 or 1.0
    return lambda value: first + (last - first) * (np.asarray(value) / 2 - lo / 2) / half


def outline(shape: Shape) -> str:
    """Draw a shape as a curve in a frame."""
    places = " ".join(f"{4 + 40 * x:.1f},{30 - 26 * y:.1f}" for x, y in shape.outline)
    return (
        '<svg class="shape" viewBox="0 0 48 34" aria-hidden="true"><path class="axes" '
        f'd="M3 2V31H46"/><polyline class="fitted" points="{places}"/></svg>'
    )
