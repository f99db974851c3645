"""Clips tied to runs: which moment of a run is which picture."""

import math
from collections.abc import Iterable

from django.db import transaction

from galena.clips.errors import ClipError
from galena.clips.models import Clip, Tie
from galena.core.clock_ties import ClockTie, tied
from galena.experiments.flows import touch
from galena.experiments.models import Run

MOST = 2  # moments that a run and a clip are tied by: the second tells the drift


def tie(clip: Clip, run: Run, run_time: float, clip_time: float) -> Tie:
    """Say that a moment of a run is one of a clip; a third one takes the place of the first.

    Raises ClipError, GeometryError.
    """
    if run == clip.run:
        raise ClipError("This run was marked in the clip: it is tied to it already.")
    if not (math.isfinite(run_time) and 0 <= clip_time <= clip.duration):
        raise ClipError("The moment in the run is a time in s, and one within the clip.")
    before = list(clip.ties.filter(run=run))
    moments = [(one.run_time, one.clip_time) for one in before[1 - MOST :]]
    tied([*moments, (run_time, clip_time)])
    with transaction.atomic():
        for old in before[: len(before) - MOST + 1]:
            old.delete()
        tie_kept = clip.ties.create(run=run, run_time=run_time, clip_time=clip_time)
        touch(clip.experiment)
    return tie_kept


def untie(clip: Clip, run: Run) -> None:
    """Have a clip and a run not be tied any more."""
    with transaction.atomic():
        clip.ties.filter(run=run).delete()
        if clip.timed_by_id == run.pk:
            _time_by(clip, None)
        touch(clip.experiment)


def time_by(clip: Clip, run: Run | None) -> None:
    """Have positions stand at the times of a run, or at those of the clip. Raises ClipError."""
    if run is not None and not clip.ties.filter(run=run).exists():
        raise ClipError("Tie the clip to this run first.")
    _time_by(clip, run)
    touch(clip.experiment)


def _time_by(clip: Clip, run: Run | None) -> None:
    clip.timed_by = run
    clip.save(update_fields=["timed_by"])


def clocks(clip: Clip) -> dict[int, ClockTie]:
    """Give where the times of runs lie in a clip, by the number of each kept run."""
    moments: dict[int, list[tuple[float, float]]] = {}
    kept = clip.ties.filter(run__removed_at=None).select_related("run")
    for one in kept:
        moments.setdefault(one.run.number, []).append((one.run_time, one.clip_time))
    ties = {number: tied(of_run) for number, of_run in moments.items()}
    if clip.run is not None and clip.run.removed_at is None:
        ties[clip.run.number] = of_positions([clip]).get(clip.pk, ClockTie(0.0))
    return ties


def of_positions(clips: Iterable[Clip]) -> dict[int, ClockTie]:
    """Give by which clock the positions of clips stand, where it is that of a run; one query."""
    timed = {clip.pk: clip.timed_by_id for clip in clips if clip.timed_by_id}
    moments: dict[int, list[tuple[float, float]]] = {}
    for one in Tie.objects.filter(clip__in=timed):
        if one.run_id == timed[one.clip_id]:
            moments.setdefault(one.clip_id, []).append((one.run_time, one.clip_time))
    return {key: tied(of_clip) for key, of_clip in moments.items()}
