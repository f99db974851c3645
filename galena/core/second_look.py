"""Quiet remarks on the quality of what is measured, each with its reason and what to do."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core import units
from galena.core.errors import UnitError
from galena.core.straightness import Straightness as Straightness
from galena.core.straightness import straightness as straightness

# Sensors for these carry a hook, a pan or a tube of their own: they read something when unloaded.
_ZEROED = ("N", "kg", "Pa", "N m")


@dataclass(frozen=True)
class Remark:
    """What was seen, and what to do about it."""

    said: str
    advice: str

    def __str__(self) -> str:
        return f"{self.said} {self.advice}"


def needs_zero(unit: str) -> bool:
    """Tell whether a channel in this unit is like a force: to be zeroed while unloaded."""
    try:
        measured = units.parse(unit)
        return any(measured.is_compatible(units.parse(one)) for one in _ZEROED)
    except UnitError:
        return False


def never_zeroed(names: Sequence[str]) -> Remark | None:
    """Remark on force-like channels that were never zeroed; None where there is none."""
    if not names:
        return None
    which = names[0] if len(names) == 1 else ", ".join(names[:-1]) + " and " + names[-1]
    was, it = ("was", "it") if len(names) == 1 else ("were", "them")
    return Remark(
        f"{which} {was} never zeroed.",
        f"Take the load off and zero {it} on the Bench, or the readings keep an offset.",
    )


def why_not_zeroed(unit: str, symbol: str) -> str:
    """Say why a quantity has a zero of its own, which nobody sets; empty where it has none."""
    if symbol.partition("_")[0] == "pH":
        return "pH 0 is one of its values"
    try:
        measured = units.parse(unit)
    except UnitError:
        return ""
    if measured == units.parse("°C"):
        return "0 °C is one of its values"
    if measured == units.parse("K"):
        return "0 K is absolute zero"
    if measured.factors and measured.is_compatible(units.parse("s")):
        return "time has its own zero"
    return ""


def left_as_they_are(reasons: Mapping[str, str]) -> str:
    """Say which channels were not zeroed with the others, each with its reason."""
    if not reasons:
        return ""
    listed = "; ".join(f"{name}: {reason}" for name, reason in reasons.items())
    return f"Not zeroed, {listed}. If it is meant, zero it at its own strip."


def oddly_zeroed(name: str, reason: str) -> Remark:
    """Remark on a channel that was zeroed by hand though its quantity has a zero of its own."""
    return Remark(
        f"{name} is zeroed, though {reason}.",
        "It shows differences from here now. Take the zero back if that is not meant.",
    )


def decimals(shown: int, suggested: int) -> Remark | None:
    """Remark on a last digit that is only noise; None where it tells something."""
    if shown <= suggested:
        return None
    digits = "The last digit is" if shown == suggested + 1 else f"The last {shown - suggested} are"
    return Remark(f"{digits} noise:", f"{suggested} would do.")


def is_moving(readings: NDArray[np.float64]) -> bool:
    """Tell whether readings run, so that their mean stands for none of them.

    So it is where they are spread four times as far as neighbours differ.
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 8:
        return False
    return float(finite.std(ddof=1)) > 4 * scatter(finite)


def scatter(readings: NDArray[np.float64]) -> float:
    """Standard deviation of single readings about what they follow, so that a drift is no noise.

        s² = Σ (x_i+1 - x_i)² / (2 (n - 1))

    Not a number where there are fewer than three finite readings.
    Source: von Neumann et al., The Annals of Mathematical Statistics 12 (1941) 153.
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 3:
        return math.nan
    steps = np.diff(finite)
    return math.sqrt(float(steps @ steps) / (2 * steps.size))


def quiet_scatter(readings: NDArray[np.float64]) -> float:
    """Standard deviation of single readings, deaf to an event among them.

        s = 1.4826 median|d - median(d)| / √2,  d the differences of neighbours

    Not a number where there are fewer than three finite readings.
    Source: Rousseeuw and Croux, Journal of the American Statistical Association 88 (1993) 1273
    (the median absolute deviation, made consistent for normal noise).
    """
    finite = readings[np.isfinite(readings)]
    if finite.size < 3:
        return math.nan
    steps = np.diff(finite)
    return 1.4826 * float(np.median(np.abs(steps - np.median(steps)))) / math.sqrt(2)


def honest_decimals(noise: float, resolution: float) -> int:
    """Suggest the decimals of a single reading: its last digit is the first that the noise moves.

    noise: standard deviation of single readings; resolution: the least step of the device; both
    in the unit shown. No more decimals than tell steps apart, and at most nine.
    """
    floor = max(noise if math.isfinite(noise) else 0.0, resolution)
    if not floor > 0:
        return 0
    return min(9, max(0, -math.floor(math.log10(floor) + 1e-9)))
