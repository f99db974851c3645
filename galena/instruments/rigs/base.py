"""What every rig is made of: sensors with imperfections, handles, and a clock that can be held."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from galena.core.numbers import decimals_of
from galena.instruments.protocol import ChannelFacts, Identity

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Sensor:
    """How a channel falls short of the truth, all in the channel's unit.

    reading = gain · truth + offset + noise, rounded to the resolution, held within the limits
    """

    facts: ChannelFacts
    noise: float
    offset: float = 0.0
    gain: float = 1.0

    @property
    def decimals(self) -> int:
        """The decimals with which the device writes its readings."""
        return decimals_of(self.facts.resolution)

    def sense(self, truth: Floats, noise: Floats) -> Floats:
        """Turn true values into readings; noise: standard normal numbers of the same shape."""
        facts = self.facts
        felt = self.gain * truth + self.offset + self.noise * noise
        steps = np.rint(felt / facts.resolution) * facts.resolution
        return np.clip(steps, facts.min, facts.max)


@dataclass(frozen=True)
class StandIn:
    """One simulated instrument of a rig; its clock runs fast by so many parts per million."""

    identity: Identity
    sensors: tuple[Sensor, ...]
    clock_ppm: float = 0.0

    @property
    def max_rate(self) -> float:
        """The highest rate that all its channels can give."""
        return min(sensor.facts.max_rate for sensor in self.sensors)


@dataclass(frozen=True)
class Handle:
    """Something that a person can do to a rig with their hands."""

    id: str
    label: str
    unit: str
    min: float
    max: float
    step: float


class Rig(ABC):
    """A physical model on a grid of times, `GRID` seconds apart, that starts at 0 at a reset.

    A change of a handle takes effect at the next time of the grid, so that a reset, the same
    changes and the same seed give the same readings, however they were asked for.
    """

    key: ClassVar[str]
    name: ClassVar[str]
    handles: ClassVar[tuple[Handle, ...]]
    GRID: ClassVar[float] = 0.01

    def __init__(self, seed: int) -> None:
        self.reset(seed)

    def reset(self, seed: int) -> None:
        """Go back to the start, with noise from this seed."""
        self.seed = seed
        self.steps = 0
        self.settings = {handle.id: self.initial(handle.id) for handle in self.handles}
        self._planned: list[tuple[int, str, float]] = []
        self._tracks = {name: [value] for name, value in self.begin().items()}
        self._first_step = 0

    @property
    @abstractmethod
    def stand_ins(self) -> tuple[StandIn, ...]:
        """The rig's instruments."""

    @abstractmethod
    def initial(self, handle: str) -> float:
        """Give the setting of a handle after a reset."""

    @abstractmethod
    def begin(self) -> dict[str, float]:
        """Give the state after a reset."""

    @abstractmethod
    def step(self, state: dict[str, float], seconds: float) -> dict[str, float]:
        """Give the state so many seconds later, with the settings as they are."""

    @abstractmethod
    def truth(self, channel: str, tracks: dict[str, Floats]) -> Floats:
        """Give a channel's true values from the state's at the same times."""

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
        known = {one.id: one for one in self.handles}
        if handle not in known:
            raise ValueError(f"there is no handle {handle}")
        limits = known[handle]
        if not limits.min <= value <= limits.max:
            raise ValueError(f"{handle} goes from {limits.min:g} to {limits.max:g} {limits.unit}")
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

    def forget_before(self, seconds: float) -> None:
        """Drop the past that no instrument will ask for again."""
        drop = int(seconds / self.GRID) - self._first_step - 1
        if drop > 1000:
            for track in self._tracks.values():
                del track[:drop]
            self._first_step += drop

    def read(self, channel: str, times: Floats) -> Floats:
        """Give a channel's true values at times that the model has lived through."""
        lo = max(0, int(times[0] / self.GRID) - self._first_step) if times.size else 0
        hi = int(times[-1] / self.GRID) - self._first_step + 2 if times.size else 1
        grid = np.arange(lo, min(hi, len(next(iter(self._tracks.values()))))) + self._first_step
        tracks = {
            name: np.interp(times, grid * self.GRID, track[lo:hi])
            for name, track in self._tracks.items()
        }
        return self.truth(channel, tracks)
