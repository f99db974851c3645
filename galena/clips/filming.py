"""Films that come from a camera while they are made, and how they are tied to a run by clocks."""

import math
import time
from dataclasses import dataclass

from django.db import transaction

from galena.clips import files, preparing, sending, ties
from galena.clips.errors import ClipError
from galena.clips.models import Clip
from galena.core.errors import GalenaError
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Run
from galena.instruments.clock import DeviceClock, RoundTrip

SILENT = 10.0  # s without a piece after which a film has ended, whether anybody said so or not
MOST_TRIPS = 200
LONG = 60.0  # s of film beyond which its end is tied too, for the drift of the clocks


@dataclass(frozen=True)
class Trip:
    """The browser's clock before and after a question, ms; the server's in between, µs."""

    sent: float
    server: float
    received: float


def server_us() -> int:
    """Give the server's clock in µs: the one that runs are timed by."""
    return time.monotonic_ns() // 1000


def begin(experiment: Experiment, person) -> Clip:
    """Begin to take a film from a camera. Raises ClipError."""
    number = experiment.clips.filter(is_filmed=True).count() + 1
    return sending.new(experiment, f"film {number}", person, size=0, is_filmed=True)


def tell(clip: Clip, run: Run | None, first: float | None, trips: list[Trip]) -> None:
    """Keep of a film during which run it is made, when its first picture was, and round trips.

    first: by the browser's clock, ms. What was told before and is not told now stays.
    """
    kept = [tuple(one) for one in clip.filmed.get("trips", [])]
    kept += [(one.sent, one.server, one.received) for one in trips]
    clip.filmed = {
        "first": clip.filmed.get("first") if first is None else first,
        "trips": kept[-MOST_TRIPS:],
    }
    if run is not None:
        clip.during = run
        if clip.name.startswith("film "):
            clip.name = f"film of run {run.number}"
    clip.save(update_fields=["filmed", "during", "name"])


def finish(clip: Clip) -> None:
    """Have a film be what has come of it; asked twice it is done once. Raises ClipError."""
    if clip.state != Clip.State.SENDING:
        return
    here = sending.sent(clip)
    with transaction.atomic():
        if here:
            clip.size = here
            clip.save(update_fields=["size"])
        else:
            clip.state = Clip.State.FAILED
            clip.trouble = "Nothing came from the camera."
            clip.save(update_fields=["state", "trouble"])
        touch(clip.experiment)
    if here:
        preparing.begin(clip)
    else:
        raise ClipError(clip.trouble)


def settle(experiment: Experiment) -> None:
    """End the films of closed pages, and tie those whose run has ended."""
    for clip in experiment.clips.filter(is_filmed=True, state=Clip.State.SENDING):
        clip.experiment = experiment
        if _is_silent(clip):
            try:
                finish(clip)
            except ClipError:
                continue
    waiting = experiment.clips.filter(state=Clip.State.READY).exclude(during=None)
    for clip in waiting.select_related("during"):
        clip.experiment = experiment
        if clip.during.state != Run.State.RECORDING:
            _tie(clip, clip.during)


def _is_silent(clip: Clip) -> bool:
    try:
        last = files.file_of(clip.folder, files.ORIGINAL).stat().st_mtime
    except FileNotFoundError:
        return True
    return time.time() - last > SILENT


def _tie(clip: Clip, run: Run) -> None:
    """Tie a film to the run during which it was made; one that tells no times stays alone."""
    try:
        for run_time, clip_time in moments(clip, run):
            ties.tie(clip, run, run_time, clip_time)
    except GalenaError:
        clip.ties.filter(run=run).delete()
    clip.during = None
    clip.save(update_fields=["during"])


def moments(clip: Clip, run: Run) -> list[tuple[float, float]]:
    """Give moments of a run and of its film, both in s: the first picture, of long films the last.

    The browser's clock is put beside the server's by round trips, as a device's is.
    """
    first, trips = clip.filmed.get("first"), clip.filmed.get("trips", [])
    zero, rate = run.details.get("host-us"), run.details.get("host-rate")
    if first is None or not trips or zero is None or not rate:
        return []
    clock = DeviceClock()
    for sent, server, received in trips:
        clock.add(RoundTrip(sent * 1000, received * 1000, server))
    estimate = clock.estimate()
    pictures = [0.0] if clip.duration < LONG else [0.0, clip.duration]
    told = []
    for seconds in pictures:
        host = estimate.device_at(first * 1000 + seconds * 1e6)
        run_time = rate * (host - zero) / 1e6
        if math.isfinite(run_time):
            told.append((run_time, seconds))
    return told
