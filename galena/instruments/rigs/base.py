"""What every rig is made of: sensors with imperfections, handles, and a clock that can be held."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from galena.core.numbers import decimals_of
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Sensor:
    """How a channel falls short of the truth, all in the channel's unit.

    reading = gain · truth + offset + noise, rounded to the resolution, held within the limits

    The noise is `noise` and, added in squares, `relative_noise` times the truth. `source` is
    the rig's name for what it senses, where that is not the channel's id.
    """

    facts: ChannelFacts
    noise: float
    offset: float = 0.0
    gain: float = 1.0
    relative_noise: float = 0.0
    source: str = ""

    @property
    def decimals(self) -> int:
        """The decimals with which the device writes its readings."""
        return decimals_of(self.facts.resolution)

    @property
    def of(self) -> str:
        """The rig's name for what it senses."""
        return self.source or self.facts.id

    def sense(self, truth: Floats, noise: Floats) -> Floats:
        """Turn true values into readings; noise: standard normal numbers of the same shape."""
        facts = self.facts
        spread = np.hypot(self.noise, self.relative_noise * truth)
        felt = self.gain * truth + self.offset + spread * noise
        steps = np.rint(felt / facts.resolution) * facts.resolution
        return np.clip(steps, facts.min, facts.max)


@dataclass(frozen=True)
class StandIn:
    """One simulated instrument of a rig.

    Its clock runs fast by so many parts per million, and reads `clock_at_reset_us` at the rig's
    reset: two instruments were never switched on at the same moment.
    """

    identity: Identity
    sensors: tuple[Sensor, ...]
    clock_ppm: float = 0.0
    clock_at_reset_us: float = 1000.0
    speaks: Literal["lines", "SCPI", "plain"] = "lines"

    @property
    def max_rate(self) -> float:
        """The highest rate that all its channels can give."""
        return min(sensor.facts.max_rate for sensor in self.sensors)


@dataclass(frozen=True)
class Handle:
    """Something that a person can do to a rig with their hands.

    A slide has a value; a choice has the number of one of its `choices`; a press happens once,
    when it is set to 1.
    """

    id: str
    label: str
    unit: str = ""
    min: float = 0.0
    max: float = 1.0
    step: float = 1.0
    kind: Literal["slide", "choice", "press"] = "slide"
    choices: tuple[str, ...] = ()


def choice(ident: str, label: str, *choices: str) -> Handle:
    """Make a handle that is in one of several places."""
    return Handle(ident, label, max=len(choices) - 1.0, kind="choice", choices=choices)


def press(ident: str, label: str) -> Handle:
    """Make a handle that does something once."""
    return Handle(ident, label, kind="press")


class Rig(ABC):
    """A physical model on a grid of times, `GRID` seconds apart, that starts at 0 at a reset.

    A change of a handle takes effect at the next time of the grid, so that a reset, the same
    changes and the same seed give the same readings, however they were asked for.

    `max_pace` is the highest time factor: how many of its own seconds it may live in one.
    `chance` is the source of what is random in the model itself; only `step` may draw from it.
    """

    key: ClassVar[str]
    name: ClassVar[str]
    handles: ClassVar[tuple[Handle, ...]]
    max_pace: ClassVar[float] = 1.0
    starts: ClassVar[dict[str, float]] = {}
    GRID: float = 0.01
    COARSEST: ClassVar[float] = 0.01  # the widest grid that nothing in it is too fast for

    def __init__(self, seed: int) -> None:
        self.reset(seed)

    def reset(self, seed: int) -> None:
        """Go back to the start, with noise from this seed."""
        self.seed = seed
        self.steps = 0
        self.chance = np.random.default_rng((seed, 0x5C))
        self.settings = {one.id: self.starts.get(one.id, one.min) for one in self.handles}
        self._planned: list[tuple[int, str, float]] = []
        self._tracks = {name: [value] for name, value in self.begin().items()}
        self._first_step = 0

    @property
    @abstractmethod
    def stand_ins(self) -> tuple[StandIn, ...]:
        """The rig's instruments."""

    @abstractmethod
    def begin(self) -> dict[str, float]:
        """Give the state after a reset."""

    @abstractmethod
    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        """Give the state so many seconds later, with the settings as they are."""

    def truth(self, source: str, times: Floats, tracks: dict[str, Floats]) -> Floats:
        """Give the true values of a source at times, in s, from the state's at the same times."""
        return tracks[source]

    @property
    def now(self) -> float:
        """Seconds since the reset that the model has lived through."""
        return self.steps * self.GRID

    @property
    def state(self) -> dict[str, float]:
        """The state now."""
        return {name: track[-1] for name, track in self._tracks.items()}

    def set(self, handle: str, value: float, at: float | None = None) -> None:
        """Set a handle, now or at a time in seconds since the reset; ValueError if it cannot."""
        by_ident = {one.id: one for one in self.handles}
        if handle not in by_ident:
            raise ValueError(f"there is no handle {handle}")
        limits = by_ident[handle]
        if limits.kind == "choice" and value != round(value):
            raise ValueError(f"{handle} is the number of a choice, from 0 to {limits.max:g}")
        if not limits.min <= value <= limits.max:
            reach = f"{limits.min:g} to {limits.max:g} {limits.unit}".rstrip()
            raise ValueError(f"{handle} goes from {reach}")
        if at is None or at <= self.now:
            self.settings[handle] = value
        else:
            self._planned.append((round(at / self.GRID), handle, value))

    def live_until(self, seconds: float) -> None:
        """Let the model live on to the last time of the grid at or before so many seconds."""
        until = int(seconds / self.GRID + 1e-9)
        while self.steps < until:
            for planned in [one for one in self._planned if one[0] <= self.steps]:
                self.settings[planned[1]] = planned[2]
                self._planned.remove(planned)
            for name, value in self.step(self.state, self.GRID).items():
                self._tracks[name].append(value)
            self.steps += 1
            for handle in self.handles:
                if handle.kind == "press":
                    self.settings[handle.id] = 0.0

    def forget_before(self, seconds: float) -> None:
        """Drop the past that no instrument will ask for again."""
        drop = int(seconds / self.GRID) - self._first_step - 1
        if drop > 1000:
            for track in self._tracks.values():
                del track[:drop]
            self._first_step += drop

    def read(self, source: str, times: Floats) -> Floats:
        """Give the true values of a source at times that the model has lived through."""
        lo = max(0, int(times[0] / self.GRID) - self._first_step) if times.size else 0
        hi = int(times[-1] / self.GRID) - self._first_step + 2 if times.size else 1
        grid = np.arange(lo, min(hi, len(next(iter(self._tracks.values()))))) + self._first_step
        tracks = {
            name: np.interp(times, grid * self.GRID, track[lo:hi])
            for name, track in self._tracks.items()
        }
        return self.truth(source, times, tracks)
