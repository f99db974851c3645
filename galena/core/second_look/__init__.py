"""Quiet remarks on the quality of what is measured, each with its reason and what to do.

Every look is stated once in `LOOKS`, in the order in which remarks are given.
"""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

from galena.core.second_look import fits, readings, recordings, zeros
from galena.core.second_look.remark import At, Look, Remark
from galena.core.straightness import Straightness, straightness, unless_within_uncertainty

_looks: dict[str, Look[Any]] = {}
LOOKS: Mapping[str, Look[Any]] = MappingProxyType(_looks)


def register(*looks: Look[Any]) -> None:
    """Have further looks."""
    for look in looks:
        _looks[look.key] = look


def remarks(at: At, seen: object) -> list[Remark]:
    """Look at something in every way that there is for it; gives what is remarked on."""
    given = (look.look(seen) for look in LOOKS.values() if look.at == at)
    return [remark for remark in given if remark is not None]


register(
    Look("never_zeroed", "plan", "a force-like channel that was never zeroed", zeros.never_zeroed),
    Look("noisy_digits", "reading", "a last digit that is only noise", readings.noisy_digits),
    Look("too_few_across", "channel", "a steep part that too few readings describe",
         lambda seen: recordings.too_few_across(seen.t, seen.y, seen.max_rate)),
    Look("at_limit", "channel", "readings at the end of what the sensor can read",
         recordings.of_limits),
    Look("identical", "channel", "readings that stand still for longer than others do",
         lambda seen: recordings.identical(seen.t, seen.raw)),
    Look("not_settled", "channel", "a signal on its way to a level when the run ended",
         lambda seen: recordings.not_settled(seen.t, seen.y) if seen.has_end else None),
    Look("lines_lost", "stream", "readings that were lost on the way",
         lambda seen: recordings.lines_lost(seen.taken, seen.lost, seen.garbled)),
    Look("bent", "fit", "readings that do not lie on the line fitted to them", fits.bent),
    Look("offset", "fit", "an offset that agrees with zero, or does not", fits.offset),
    Look("falling", "fit", "a line that falls, taken for an inverse relation", fits.falling),
    Look("too_many", "fit", "as many parameters as there are readings", fits.too_many),
    Look("curve", "fit", "residuals that keep one sign", fits.curve),
    Look("tied", "fit", "parameters that can hardly be told apart", fits.tied),
    Look("chi_squared", "fit", "scatter other than the uncertainties say", fits.chi_squared),
    Look("left_out", "fit", "readings at which the model has no value", fits.left_out),
    Look("beyond", "claim", "a place beyond the readings of a fit", fits.beyond),
)  # fmt: skip

__all__ = ["LOOKS", "Look", "Remark", "Straightness", "register", "remarks", "straightness",
    "unless_within_uncertainty",
]  # fmt: skip
