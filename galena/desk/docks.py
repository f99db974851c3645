"""What apps above put beside the graphs of the Desk, for the experiments that have it."""

from collections.abc import Callable
from dataclasses import dataclass

from galena.experiments.models import Experiment


@dataclass(frozen=True)
class Dock:
    """A template, and what it shows of an experiment; None where there is nothing to show."""

    template: str
    context: Callable[[Experiment], dict | None]


DOCKS: list[Dock] = []


def register(dock: Dock) -> None:
    """Put something further beside the graphs."""
    DOCKS.append(dock)


def docks_of(experiment: Experiment) -> list[dict]:
    """Give what stands beside the graphs of an experiment: its template with what it shows."""
    shown = []
    for dock in DOCKS:
        context = dock.context(experiment)
        if context is not None:
            shown.append({"template": dock.template} | context)
    return shown
