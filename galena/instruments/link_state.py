"""What a link is at, and the stream that it reads."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from galena.instruments.clock import ClockEstimate

Health = Literal["looking", "well", "poor", "silent", "gone", "strange"]


@dataclass(frozen=True)
class LinkState:
    """How the instrument is, why, and what to check.

    `poor` is an instrument that gives readings, some of which are lost or garbled.
    """

    health: Health
    reason: str
    advice: str = ""

    @property
    def is_live(self) -> bool:
        """Tell whether readings come."""
        return self.health in ("well", "poor")


@dataclass(frozen=True)
class StreamStart:
    """The start of a stream: its rate, in readings a second of the device, and its clock then."""

    number: int
    rate: float
    clock: ClockEstimate
