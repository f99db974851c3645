"""Tells those who watch what is being recorded: readings as they come, and what is waited for."""

from galena.bench.live.batches import packed
from galena.bench.live.bench import Bench
from galena.core import numbers
from galena.experiments.data.readings import seconds
from galena.recording.engine.recordings import Recordings
from galena.recording.engine.state import Recording, RunInProgress, Stepping, Waiting

TELL_EVERY = 3  # publishings of the bench


class Publisher:
    """Publishes what is recorded on the bench's hub, from the event loop."""

    def __init__(self, recordings: Recordings, bench: Bench) -> None:
        self.recordings, self.bench = recordings, bench
        self._published: tuple = ()
        self._turn = 0

    def publish(self) -> None:
        """Send what is new."""
        self._turn += 1
        now = self.recordings.signature()
        if now != self._published:
            self._published = now
            recorded = [one.experiment_id for one in self.recordings.all()]
            self.bench.hub.publish("runs", "run", {"experiments": recorded})
        for recording in self.recordings.all():
            if isinstance(recording, RunInProgress):
                self._readings(recording)
            elif self._turn % TELL_EVERY == 0:
                self._progress(recording)

    def _readings(self, current: RunInProgress) -> None:
        topic, hub = current.topics, self.bench.hub
        is_wanted = hub.wanted(topic)
        for place, taking in enumerate(current.takings):
            batch = taking.take_for_feed() if taking.is_placed else None
            if batch is not None and is_wanted:
                t = seconds(batch.stamps, taking.origin())
                columns = [
                    correction.apply(batch.values[:, column])
                    for column, correction in enumerate(taking.corrections)
                ]
                head = {"run": current.run.pk, "stream": place, "first": batch.first}
                hub.publish(topic, "run-readings", head | packed(t, columns))

    def _progress(self, recording: Recording) -> None:
        """Tell how far the event is, or what the mean of the next step would be."""
        topic, hub = f"run:{recording.experiment_id}", self.bench.hub
        if not hub.wanted(topic):
            return
        if isinstance(recording, Waiting):
            hub.publish(topic, "awaited", awaited(recording))
        elif isinstance(recording, Stepping):
            hub.publish(topic, "means", {"means": means(recording)})


def awaited(waiting: Waiting) -> dict:
    """Say what is waited for, and how far it is."""
    progress = {
        "awaits": waiting.awaited,
        "text": "",
        "how": "",
        "trouble": " ".join(waiting.missing),
    }
    shown, level, taking = waiting.watched_channel, waiting.plan.level, waiting.trigger
    if shown is None or level is None or taking.latest != taking.latest:
        return progress
    away = level.distance(taking.latest)
    unit = f" {shown.unit}" if shown.unit else ""
    progress["text"] = numbers.fixed(taking.latest, shown.decimals) + unit
    distance = numbers.fixed(abs(away), shown.decimals) + unit
    side = "below" if level.direction == "rising" else "above"
    finder = taking.finder
    if finder is not None and finder.is_beyond:
        progress["how"] = f"past the level already: it must first come back {side} it"
    elif finder is not None and not finder.is_clear:
        clear = numbers.significant(finder.clear) + unit
        progress["how"] = (
            f"too near the level: its noise could pass it. It must first be {clear} {side}"
        )
    else:
        progress["how"] = f"{distance} {side} the level"
    return progress


def means(stepping: Stepping) -> list[dict]:
    """Give the live mean of each channel, over as long as a reading takes."""
    listed = []
    for taking, group in zip(stepping.takings, stepping.shown, strict=True):
        for shown, described in zip(group, taking.live(), strict=True):
            text = "–"
            if described is not None:
                text = numbers.estimate(described.mean, described.standard_error)
                if not described.standard_error > 0:
                    text = numbers.fixed(described.mean, shown.decimals)
            value, _, u = text.partition(" ± ")
            listed.append({"channel": shown.channel.pk, "text": value, "u": u, "whole": text})
    return listed
