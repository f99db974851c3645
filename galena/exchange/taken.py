"""Where runs that were taken in are looked at: an app above says so when it starts."""

from collections.abc import Callable

from django.urls import reverse

from galena.experiments.models import Experiment, Run

Shower = Callable[[Experiment, list[Run]], str]
_showers: list[Shower] = []


def register(shower: Shower) -> None:
    """Have what was taken in be shown; the shower gives the address where it is."""
    _showers.append(shower)


def shown(experiment: Experiment, runs: list[Run]) -> str:
    """Give the address where runs that were taken in are shown."""
    addresses = [shower(experiment, runs) for shower in _showers if runs]
    return addresses[0] if addresses else reverse("bench", args=[experiment.pk])
