"""Whose the instruments are while a run is recorded: only who records it may change them."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from galena.instruments.errors import InstrumentError
from galena.instruments.link import Link


@dataclass(frozen=True)
class Use:
    """A run that uses instruments: who records it, and what it is called."""

    links: tuple[Link, ...]
    person: int | None  # the key of who records it
    name: str
    what: str


Uses = Callable[[], list[Use]]


class InUseError(InstrumentError):
    """Somebody else records with it now."""


def refuse(uses: Iterable[Use], links: Iterable[Link], person: int | None) -> None:
    """Raise InUseError where one of these instruments is used by a run of somebody else."""
    wanted = set(map(id, links))
    for use in uses:
        if use.person != person and any(id(link) in wanted for link in use.links):
            raise InUseError(
                f"{use.name} records {use.what} with it now. Wait until that has ended, or ask "
                f"{use.name} to do it."
            )
