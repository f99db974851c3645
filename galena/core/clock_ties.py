"""Two clocks tied by moments that both have seen: a run's and a film's."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from galena.core.errors import GeometryError

LEAST_APART = 1e-6  # s between two moments: closer ones tell no drift


@dataclass(frozen=True)
class ClockTie:
    """Where a run's times lie in a film: film = offset + rate · run, all in s."""

    offset: float
    rate: float = 1.0

    def in_film(self, run_time: float) -> float:
        """Give the time in the film of a time in the run, s."""
        return self.offset + self.rate * run_time

    def in_run(self, film_time: float) -> float:
        """Give the time in the run of a time in the film, s."""
        return (film_time - self.offset) / self.rate


def tied(moments: Sequence[tuple[float, float]]) -> ClockTie:
    """Tie by one moment or two, each as its time in the run and in the film, s.

    One moment tells how far both are apart; two tell also how much faster one goes. Raises
    GeometryError where they contradict each other.
    """
    (run, film), *further = moments
    if not further:
        return ClockTie(film - run)
    other_run, other_film = further[0]
    if abs(other_run - run) < LEAST_APART or (other_film - film) / (other_run - run) <= 0:
        raise GeometryError(
            "The two moments contradict each other: the later one of the run must be later in "
            "the film, too."
        )
    rate = (other_film - film) / (other_run - run)
    return ClockTie(film - rate * run, rate)
