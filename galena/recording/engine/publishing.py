"""Tells those who watch what is being recorded: readings as they come, and what is waited for."""

from typing import TYPE_CHECKING

from galena.bench.live.bench import packed
from galena.core import numbers
from galena.experiments.data.readings import seconds
from galena.recording.engine.state import RunInProgress, Stepping, Waiting

if TYPE_CHECKING:
    from galena.recording.engine.recorder import Recorder

TELL_EVERY = 3  # publishings of the bench


class Publisher:
    """Publishes a recorder's doings on its bench's hub, from the event loop."""

    def __init__(self, recorder: "Recorder") -> None:
        self.recorder = recorder
        self._told: tuple = ()
        self._turn = 0

    def publish(self) -> None:
        """Send what is new."""
        recorder = self.recorder
        self._turn += 1
        told = self._state()
        if told != self._told:
            self._told = told
            held = recorder.holder
            recorder.bench.hub.publish("runs", "run", {"recording": held.pk if held else None})
        if recorder.current is not None:
            self._readings(recorder.current)
        if self._turn % TELL_EVERY == 0:
            if recorder.waiting is not None:
                self._awaited(recorder.waiting)
            if recorder.stepping is not None:
                self._means(recorder.stepping)

    def _state(self) -> tuple:
        """What pages must know at once when it changes."""
        recorder, stepping = self.recorder, self.recorder.stepping
        waiting = recorder.waiting.wish.experiment.pk if recorder.waiting else None
        held = recorder.holder.pk if recorder.holder else None
        taken = stepping.version if stepping is not None else 0
        return held, waiting, taken, len(recorder.troubles)

    def _readings(self, current: RunInProgress) -> None:
        topic = f"run:{current.run.experiment_id}"
        hub = self.recorder.bench.hub
        wanted = hub.wanted(topic)
        for place, taking in enumerate(current.takings):
            batch = taking.take_for_feed() if taking.is_placed else None
            if batch is not None and wanted:
                t = seconds(batch.stamps, taking.origin())
                columns = [
                    correction.apply(batch.values[:, column])
                    for column, correction in enumerate(taking.corrections)
                ]
                head = {"run": current.run.pk, "stream": place, "first": batch.first}
                hub.publish(topic, "run-readings", head | packed(t, columns))

    def _awaited(self, waiting: Waiting) -> None:
        topic = f"run:{waiting.wish.experiment.pk}"
        if self.recorder.bench.hub.wanted(topic):
            self.recorder.bench.hub.publish(topic, "awaited", awaited(waiting))

    def _means(self, stepping: Stepping) -> None:
        topic = f"run:{stepping.run.experiment_id}"
        if self.recorder.bench.hub.wanted(topic):
            self.recorder.bench.hub.publish(topic, "means", {"means": means(stepping)})


def awaited(waiting: Waiting) -> dict:
    """Say what is waited for, and how far it is."""
    said = {"awaits": waiting.awaited, "text": "", "how": "", "trouble": " ".join(waiting.missing)}
    shown, level, taking = waiting.watched_channel, waiting.plan.level, waiting.trigger
    if shown is None or level is None or taking.latest != taking.latest:
        return said
    away = level.distance(taking.latest)
    unit = f" {shown.unit}" if shown.unit else ""
    said["text"] = numbers.fixed(taking.latest, shown.decimals) + unit
    distance = numbers.fixed(abs(away), shown.decimals) + unit
    side = "below" if level.direction == "rising" else "above"
    finder = taking.finder
    if finder is not None and finder.is_beyond:
        said["how"] = f"past the level already: it must first come back {side} it"
    elif finder is not None and not finder.is_clear:
        clear = numbers.significant(finder.clear) + unit
        said["how"] = (
            f"too near the level: its noise could pass it. It must first be {clear} {side}"
        )
    else:
        said["how"] = f"{distance} {side} the level"
    return said


def means(stepping: Stepping) -> list[dict]:
    """Give the live mean of each channel, over as long as a reading takes."""
    told = []
    for taking, group in zip(stepping.takings, stepping.shown, strict=True):
        for shown, known in zip(group, taking.live(), strict=True):
            text = "–"
            if known is not None:
                text = numbers.estimate(known.mean, known.standard_error)
                if not known.standard_error > 0:
                    text = numbers.fixed(known.mean, shown.decimals)
            value, _, u = text.partition(" ± ")
            told.append({"channel": shown.channel.pk, "text": value, "u": u, "whole": text})
    return told
