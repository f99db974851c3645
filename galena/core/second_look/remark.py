"""A remark of the second look, and what it is taken at."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Generic, Literal, TypeVar

At = Literal["plan", "channel", "stream", "reading", "fit", "claim"]
Seen = TypeVar("Seen")


@dataclass(frozen=True)
class Remark:
    """What was seen, and what to do about it."""

    observation: str
    advice: str

    def __str__(self) -> str:
        return f"{self.observation} {self.advice}"


@dataclass(frozen=True)
class Look(Generic[Seen]):
    """One way in which something may be poor.

    at: what is looked at: a plan, a channel or an instrument's stream of a finished recording, how
    single readings are shown, a fit, a claim. about: a sentence on it. look: gives a remark, or
    None where there is nothing to remark on.
    """

    key: str
    at: At
    about: str
    look: Callable[[Seen], Remark | None] = field(repr=False)
