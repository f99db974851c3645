"""From marks to positions: worked out each time, so that a new scale or new axes move all."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.clips import ties
from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane, TrackedObject
from galena.clips.rulers import Ruler, axes_of, ruler_of
from galena.core import geometry
from galena.core.clock_ties import ClockTie

Floats = NDArray[np.float64]
Pixels = dict[int, tuple[float, float]]  # by picture


@dataclass(frozen=True)
class Track:
    """The positions of an object in the pictures of a clip that are measured.

    places: x and y, in the unit of the scale or in pixels, shape (n, 2), NaN where it has no mark;
    u: the standard uncertainty of each by itself; shared: what the scale adds to all of them,
    shape (n, 2).
    """

    tracked: TrackedObject
    places: Floats
    u: Floats
    shared: Floats


@dataclass(frozen=True)
class Measured:
    """What was measured in a clip: its marked pictures, their times in s, and a track an object."""

    clip: Clip
    pictures: NDArray[np.int64]
    times: Floats
    unit: str
    tracks: list[Track]


def measured(clip: Clip) -> Measured:
    """Give what was measured in a clip; six queries."""
    return of_clips([clip])[clip.pk]


def of_clips(clips: Iterable[Clip]) -> dict[int, Measured]:
    """Give what was measured in some clips, by their keys; six queries for all."""
    by_key = {clip.pk: clip for clip in clips}
    scales = {one.clip_id: one for one in Scale.objects.filter(clip__in=by_key)}
    planes = {one.clip_id: one for one in SlantedPlane.objects.filter(clip__in=by_key)}
    axes = {one.clip_id: one for one in Axes.objects.filter(clip__in=by_key)}
    objects: dict[int, list[TrackedObject]] = {key: [] for key in by_key}
    kept = TrackedObject.objects.filter(clip__in=by_key)
    for tracked in kept.select_related("x_quantity", "y_quantity"):
        objects[tracked.clip_id].append(tracked)
    marks: dict[int, Pixels] = {one.pk: {} for of_clip in objects.values() for one in of_clip}
    in_force = Mark.objects.filter(tracked__clip__in=by_key, replaced_at=None)
    for key, picture, x, y in in_force.values_list("tracked_id", "picture", "x", "y"):
        marks[key][picture] = (x, y)
    clocks = ties.of_positions(by_key.values())
    return {
        key: _measured(
            clip,
            ruler_of(clip, scales.get(key), planes.get(key)),
            axes_of(axes.get(key), planes.get(key)),
            objects[key],
            marks,
            marks.get(axes[key].moves_with_id or 0) if key in axes else None,
            clocks.get(key),
        )
        for key, clip in by_key.items()
    }


def _measured(
    clip: Clip, ruler: Ruler, axes: geometry.Axes, objects: list[TrackedObject],
    marks: dict[int, Pixels], moving: Pixels | None, clock: ClockTie | None,
) -> Measured:  # fmt: skip
    pictures = np.array(
        sorted({one for tracked in objects for one in marks[tracked.pk]
                if clip.start <= one <= clip.stop}), dtype=np.int64,
    )  # fmt: skip
    origin = None if moving is None else _rows(moving, pictures)
    tracks = [
        Track(one, *ruler.placed(_rows(marks[one.pk], pictures), axes, origin)) for one in objects
    ]
    times = clip.ticks[pictures] / 1e6 if pictures.size else np.empty(0)
    times = times if clock is None else (times - clock.offset) / clock.rate
    return Measured(clip, pictures, times, ruler.unit, tracks)


def _rows(marks: Pixels, pictures: NDArray[np.int64]) -> Floats:
    rows = [marks.get(int(picture), (np.nan, np.nan)) for picture in pictures]
    return np.array(rows, dtype=np.float64).reshape(-1, 2)
