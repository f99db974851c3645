"""The end of a run: what became of each instrument, how the rigs looked, and the second look."""

from galena.experiments.runs import judging
from galena.recording import flows
from galena.recording.acquisition.releasing import drift_of, release
from galena.recording.engine.recordings import Recordings
from galena.recording.engine.state import RunInProgress, Stepping


def end(current: RunInProgress) -> None:
    """Note the end of a run; its instruments go back to watching, unless it is armed again."""
    first = current.takings[0]
    clock, origin_us = first.link.clock.estimate(), first.origin_us or 0
    scenes = current.scenes.end(lambda host: (clock.device_at(host) - origin_us) / 1e6)
    settled = [taking.settled_origin() for taking in current.takings]
    drifts = [drift_of(taking.link) for taking in current.takings]
    for taking in current.takings:
        taking.complete = True
        if current.next is None:
            release(taking.link, taking)
    ends = [
        flows.StreamEnd(stored, taking.lost, taking.garbled, *placed, drift)
        for taking, stored, placed, drift in zip(
            current.takings, current.stored, settled, drifts, strict=True
        )
    ]
    host = clock.host_at(settled[0][0]), clock.rate
    flows.end_run(current.run, _ending(current), ends, host)
    flows.keep_scenes(current.run, scenes)


def _ending(current: RunInProgress) -> str:
    """Say why a run ended, where it was other than as planned."""
    if current.stopped_by or not current.missing:
        return current.stopped_by
    gone = current.missing[0].split(" The run goes on")[0]
    return f"An instrument was gone at the end. {gone}"


def end_stepping(recordings: Recordings, stepping: Stepping, ending: str) -> None:
    """Note that no further reading is taken of a stepwise run for now."""
    with stepping.busy:
        if not recordings.is_held(stepping):
            return
        ends = [
            flows.StreamEnd(stored, 0, 0, stored.stream.origin_us or 0, 1.0, drift_of(taking.link))
            for taking, stored in zip(stepping.takings, stepping.stored, strict=True)
        ]
        flows.end_run(stepping.run, ending, ends)
        judging.look(stepping.run)
        for taking in stepping.takings:
            release(taking.link, taking)
        recordings.drop(stepping)
