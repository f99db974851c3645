"""What a run is while it is made: started, waited for, recorded, or taken step by step.

The recorder, the writer and the publisher all know these; none of these knows any of them.
"""

import threading
import time
from abc import ABC, abstractmethod
from dataclasses import dataclass, field

from galena.bench.channel_display.display import Shown
from galena.bench.live.in_use import Use
from galena.classroom.models import Person
from galena.core import symbols
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan, level_text
from galena.experiments.models import Experiment, Run
from galena.instruments.link import Link
from galena.recording import flows
from galena.recording.acquisition.arming import ArmedTaking
from galena.recording.acquisition.scenes import SceneWatcher
from galena.recording.acquisition.stepping import StepTaking
from galena.recording.acquisition.taking import Taking

WAIT_FOR_RETURN = 3.0  # seconds past the planned end that a lost instrument is waited for


@dataclass(frozen=True)
class Wish:
    """What a run is to be of: its channels, and what is known of it beforehand."""

    experiment: Experiment
    channels: list[int]
    conditions: dict[int, str]
    note: str
    person: Person


class Recording(ABC):
    """What is recorded of an experiment now, whatever it is at."""

    @property
    def advice(self) -> str:
        """Say what to do so that its instruments are free."""
        return "Wait for its end or stop it first."

    @property
    @abstractmethod
    def experiment_id(self) -> int:
        """The key of the experiment that it is of."""

    @property
    @abstractmethod
    def links(self) -> tuple[Link, ...]:
        """The instruments that it uses."""

    @property
    @abstractmethod
    def use(self) -> Use:
        """Who uses its instruments, and for what."""

    @property
    @abstractmethod
    def signature(self) -> tuple:
        """What is the same as long as pages need not look anew."""

    @abstractmethod
    def sentence(self) -> str:
        """Say what it is and who began it, without a full stop."""


@dataclass(frozen=True)
class Claim(Recording):
    """The instruments of a run that is just being started."""

    wish: Wish
    claimed: tuple[Link, ...]

    @property
    def experiment_id(self) -> int:
        return self.wish.experiment.pk

    @property
    def links(self) -> tuple[Link, ...]:
        return self.claimed

    @property
    def use(self) -> Use:
        person = self.wish.person
        return Use(self.links, person.pk, str(person), "a run")

    @property
    def signature(self) -> tuple:
        return ("claimed",)

    def sentence(self) -> str:
        return f"A run of “{self.wish.experiment}” is just being started by {self.wish.person}"


@dataclass(eq=False)
class RunInProgress(Recording):
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
    has_ended: bool = False  # its instruments are free; it is only looked at a second time
    followers: set[int] = field(default_factory=set)  # experiments that the run is given to

    @property
    def experiment_id(self) -> int:
        return self.run.experiment_id

    @property
    def links(self) -> tuple[Link, ...]:
        return () if self.has_ended else tuple(taking.link for taking in self.takings)

    @property
    def use(self) -> Use:
        return _use_of(self.run, self.links)

    @property
    def signature(self) -> tuple:
        return "recording", self.run.pk

    def sentence(self) -> str:
        return _sentence_of(self.run)

    @property
    def topics(self) -> frozenset[str]:
        """What those watch to whom its readings are sent."""
        return frozenset(f"run:{key}" for key in (self.experiment_id, *list(self.followers)))

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


@dataclass(eq=False)
class Waiting(Recording):
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
    def advice(self) -> str:
        return "Stop waiting first."

    @property
    def experiment_id(self) -> int:
        return self.wish.experiment.pk

    @property
    def links(self) -> tuple[Link, ...]:
        return tuple(taking.link for taking in self.takings)

    @property
    def use(self) -> Use:
        person = self.wish.person
        return Use(self.links, person.pk, str(person), "an armed run")

    @property
    def signature(self) -> tuple:
        return ("armed",)

    def sentence(self) -> str:
        wish = self.wish
        return f"A run of “{wish.experiment}” is armed and waits, started by {wish.person}"

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
        return self._in_words("{} {} past {}", ("rose", "fell")) or "the key was pressed"

    @property
    def details(self) -> dict:
        """What is kept of the event."""
        shown = self.watched_channel
        return {"event": self.event, "watched": shown.source if shown else ""}

    @property
    def awaited(self) -> str:
        """What is waited for, in words."""
        return self._in_words("{} to {} past {}", ("rise", "fall")) or "a key"

    def _in_words(self, words: str, verbs: tuple[str, str]) -> str:
        """Name the channel, its way and the level; nothing where a key is the event."""
        shown, level = self.watched_channel, self.plan.level
        if shown is None or level is None:
            return ""
        text = f"{level_text(level.value, shown.decimals)} {shown.unit}".strip()
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


@dataclass(eq=False)
class Stepping(Recording):
    """A stepwise run in the making."""

    run: Run
    plan: StepwisePlan
    takings: list[StepTaking]
    stored: list[flows.StoredStream]
    shown: list[list[Shown]]
    busy: threading.Lock = field(default_factory=threading.Lock)
    version: int = 0  # counts the changes of its table

    @property
    def experiment_id(self) -> int:
        return self.run.experiment_id

    @property
    def links(self) -> tuple[Link, ...]:
        return tuple(taking.link for taking in self.takings)

    @property
    def use(self) -> Use:
        return _use_of(self.run, self.links)

    @property
    def signature(self) -> tuple:
        return "stepwise", self.run.pk, self.version

    def sentence(self) -> str:
        return _sentence_of(self.run)


def _use_of(run: Run, links: tuple[Link, ...]) -> Use:
    return Use(links, run.started_by_id, str(run.started_by), f"run {run.number}")


def _sentence_of(run: Run) -> str:
    return f"Run {run.number} of “{run.experiment}” is being recorded, started by {run.started_by}"
