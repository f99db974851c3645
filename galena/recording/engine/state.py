"""What the recorder is at: a run that is being recorded, one that waits, one taken step by step."""

import threading
import time
from dataclasses import dataclass, field

from galena.bench.channel_display.display import Shown
from galena.core import symbols
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan
from galena.experiments.models import Experiment, Run
from galena.recording import flows
from galena.recording.acquisition.arming import ArmedTaking
from galena.recording.acquisition.scenes import SceneWatcher
from galena.recording.acquisition.stepping import StepTaking
from galena.recording.acquisition.taking import Taking
from galena.recording.plan.form import level_text

WAIT_FOR_RETURN = 3.0  # seconds past the planned end that a lost instrument is waited for


@dataclass(frozen=True)
class Wish:
    """What a run is to be of: its channels, and what is known of it beforehand."""

    experiment: Experiment
    channels: list[int]
    conditions: dict[int, str]
    note: str
    person: object


@dataclass
class RunInProgress:
    """The run that is being recorded, and its sources."""

    run: Run
    plan: SteadyPlan | ArmedPlan
    takings: list[Taking]
    stored: list[flows.StoredStream]
    scenes: SceneWatcher
    next: "Waiting | None" = None  # what is armed again when this has ended
    started: float = field(default_factory=time.monotonic)
    stopped_by: str = ""
    trouble: str = ""

    @property
    def count(self) -> int:
        """The readings taken of each channel so far, by the instrument that gave most."""
        return max(taking.count for taking in self.takings)

    @property
    def written(self) -> int:
        """The readings of each channel that are on the disk, by the instrument that has most."""
        return max(stored.written for stored in self.stored)

    @property
    def is_over(self) -> bool:
        """Tell whether no further reading will come."""
        if self.stopped_by:
            return True
        if self.plan.duration is None:
            return all(taking.complete for taking in self.takings)
        pace = self.takings[0].link.stream.clock.pace
        lasts = self.plan.duration / pace + WAIT_FOR_RETURN
        late = time.monotonic() > self.started + lasts
        return all(
            taking.complete or (late and not taking.link.state.is_live) for taking in self.takings
        )

    @property
    def missing(self) -> list[str]:
        """Say which instruments are gone now."""
        return [
            f"{stored.stream.instrument}: {taking.link.state.reason}. {taking.link.state.advice} "
            "The run goes on when it is back; what was recorded is kept."
            for taking, stored in zip(self.takings, self.stored, strict=True)
            if not taking.link.state.is_live and taking.count + taking.lost < taking.planned
        ]


@dataclass
class Waiting:
    """An armed run that waits for its event."""

    wish: Wish
    plan: ArmedPlan
    watched: int | None  # the channel whose passing of the level is the event; None: a key
    takings: list[ArmedTaking]
    shown: list[list[Shown]]
    scenes: SceneWatcher
    event_us: float | None = None  # this computer's clock when the key was pressed
    stopping: bool = False

    @property
    def trigger(self) -> ArmedTaking:
        """The instrument whose clock tells the event."""
        return next((one for one in self.takings if one.finder is not None), self.takings[0])

    @property
    def watched_channel(self) -> Shown | None:
        """How the watched channel is shown."""
        everything = [one for group in self.shown for one in group]
        return next((one for one in everything if one.channel.pk == self.watched), None)

    @property
    def event(self) -> str:
        """The event in words."""
        return self._said("{} {} past {}", ("rose", "fell")) or "the key was pressed"

    @property
    def details(self) -> dict:
        """What is kept of the event."""
        shown = self.watched_channel
        return {"event": self.event, "watched": shown.source if shown else ""}

    @property
    def awaited(self) -> str:
        """What is waited for, in words."""
        return self._said("{} to {} past {}", ("rise", "fall")) or "a key"

    def _said(self, words: str, verbs: tuple[str, str]) -> str:
        """Name the channel, its way and the level; nothing where a key is the event."""
        shown, level = self.watched_channel, self.plan.level
        if shown is None or level is None:
            return ""
        text = f"{level_text(level.value, shown)} {shown.unit}".strip()
        verb = verbs[0] if level.direction == "rising" else verbs[1]
        return words.format(symbols.plain(shown.symbol), verb, text)

    @property
    def has_event(self) -> bool:
        return self.event_us is not None or self.trigger.crossing is not None

    def origin_us(self) -> list[int]:
        """Give each instrument's clock at the event, in µs."""
        trigger = self.trigger
        clock = trigger.link.clock.estimate()
        if trigger.crossing is not None:
            own = trigger.crossing.stamp
        else:
            own = clock.device_at(self.event_us or 0.0)
        host_us = clock.host_at(own)
        return [
            round(own if one is trigger else one.link.clock.estimate().device_at(host_us))
            for one in self.takings
        ]

    @property
    def missing(self) -> list[str]:
        """Say which instruments are gone now."""
        return [
            f"{one.link.address.label}: {one.link.state.reason}. {one.link.state.advice}"
            for one in self.takings
            if not one.link.state.is_live
        ]


@dataclass
class Stepping:
    """A stepwise run in the making."""

    run: Run
    plan: StepwisePlan
    takings: list[StepTaking]
    stored: list[flows.StoredStream]
    shown: list[list[Shown]]
    busy: threading.Lock = field(default_factory=threading.Lock)
    version: int = 0  # counts the changes of its table
