"""What apps above put beside the graphs of the Desk or on Record, for experiments that have it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from galena.experiments.models import Experiment

Page = Literal["desk", "record"]


@dataclass(frozen=True)
class Dock:
    """A template on a page, and what it shows of an experiment; None where there is nothing."""

    page: Page
    template: str
    context: Callable[[Experiment], dict | None]


DOCKS: list[Dock] = []


def register(dock: Dock) -> None:
    """Put something further on a page."""
    DOCKS.append(dock)


def docks_of(page: Page, experiment: Experiment) -> list[dict]:
    """Give what stands on a page of an experiment: its template with what it shows."""
    shown = []
    for dock in DOCKS:
        context = dock.context(experiment) if dock.page == page else None
        if context is not None:
            shown.append({"template": dock.template} | context)
    return shown
