"""Tracked runs: positions that were marked in the pictures of a clip."""

from collections.abc import Collection
from dataclasses import replace

import numpy as np

from galena.clips.models import Clip, Mark
from galena.clips.places import Measured, of_clips
from galena.clips.tracked_run import TRACKED
from galena.core.dimensions import factor
from galena.core.numbers import grouped
from galena.core.units import parse
from galena.experiments.data.exclusions import mask
from galena.experiments.data.readings import Readings
from galena.experiments.data.rows import Block, Column
from galena.experiments.data.uncertainty import ruled, step_of_digits
from galena.experiments.models import Quantity, Run
from galena.experiments.runs.kind import LeftOut, RunKind

FINER = 2  # further decimals in a file


class Tracked(RunKind):
    """A run whose readings are places in the pictures of a clip, with their true times."""

    key = TRACKED
    word = "tracked"

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        clips = {clip.run_id: clip for clip in Clip.objects.filter(run__in=runs)}
        by_clip = of_clips(clips.values())
        blocks: dict[int, list[Block]] = {}
        for run in runs:
            clip = clips.get(run.pk)
            stretches = left_out.get((run.pk, None), ())
            blocks[run.pk] = [] if clip is None else [_block(run, by_clip[clip.pk], stretches)]
        return blocks

    def planned(self, run: Run) -> str:
        clip = run.clips.first()
        if clip is None:
            return "marked in a clip that was taken away"
        every = f", every {clip.every}th of them" if clip.every > 1 else ""
        return f"marked in {grouped(clip.count)} pictures of {clip.name}{every}"

    def kept_back(self, run: Run) -> str:
        clip = run.clips.first()
        if clip is None:
            return f"The clip in which run {run.number} was marked was taken away."
        if clip.state != Clip.State.READY:
            return f"The clip in which run {run.number} was marked is not ready: give it later."
        return ""

    def rests_on(self, run: Run) -> list[Run]:
        clip = run.clips.first()
        return [] if clip is None or clip.timed_by is None else [clip.timed_by]

    def interval(self, run: Run) -> float | None:
        return float(run.details.get("interval") or 0.1)

    def counts(self, runs: list[Run]) -> dict[int, int]:
        pairs = Mark.objects.filter(tracked__clip__run__in=runs, replaced_at=None)
        seen: dict[int, set[int]] = {run.pk: set() for run in runs}
        for key, picture in pairs.values_list("tracked__clip__run_id", "picture"):
            seen[key].add(picture)
        return {key: len(pictures) for key, pictures in seen.items()}


def _block(run: Run, measured: Measured, stretches) -> Block:
    count = measured.times.size
    aside = mask(stretches, count)
    columns = {}
    for track in measured.tracks:
        for axis, quantity in enumerate((track.tracked.x_quantity, track.tracked.y_quantity)):
            if quantity is None:
                continue
            size = factor(parse(measured.unit)) / factor(parse(quantity.unit))
            shared = track.shared[:, axis] * size
            readings = Readings(
                measured.times, track.places[:, axis] * size,
                shared if np.any(shared) else None, track.u[:, axis] * size,
            )  # fmt: skip
            finished = ruled(readings, quantity, step_of_digits(quantity.decimals))
            finished = replace(finished, aside=aside)
            parts = (finished.t, finished.y, finished.shared, finished.u, finished.aside)
            version = (quantity.pk, *(part.tobytes() for part in parts if part is not None))
            columns[quantity.pk] = Column(
                quantity, finished, version, u_shown=readings.u,
                file_decimals=quantity.decimals + FINER,
            )  # fmt: skip
    return Block(run, count, columns, measured.times, True, aside)
