"""The same law twice: from the line, and fitted to the curve itself."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from galena.core.errors import GalenaError
from galena.core.fits.fitting import fit
from galena.core.fits.result import Fit
from galena.core.fits.widened import widened
from galena.core.straightening.relation import Estimate, Relation, Straightened, rows

_FAR = 2.0
_ROUNDING = 1e-9


@dataclass(frozen=True)
class BothWays:
    """A law fitted to the curve itself: its constants with standard uncertainties, those of them
    that differ from the line's, and why they do. `trouble` says why there is no such fit."""

    constants: dict[str, Estimate]
    differing: tuple[str, ...]
    why: str = ""
    trouble: str = ""
    fit: Fit | None = None


def both_ways(
    seen: Straightened,
    line: Fit,
    x: ArrayLike,
    y: ArrayLike,
    *,
    u_y: ArrayLike | None = None,
) -> BothWays:
    """Fit the law to the curve itself, with the readings that have a place in its axes, and
    compare it with the line.

    x, y: shape (n,), the readings as they are; u_y: by which both fits are weighted. Two values
    of one constant agree where they lie within twice the larger of their uncertainties: they
    come from the same readings, so that these do not add up.
    """
    relation = seen.relation
    if not relation.curve:
        return BothWays({}, (), trouble="What is plotted is the fit itself: there is no other.")
    places, values = rows(x, y)
    u = None if u_y is None else np.broadcast_to(np.asarray(u_y, dtype=float), values.shape)
    laws = relation.law(line)
    try:
        of_curve = fit(
            relation.curve,
            places[seen.kept],
            values[seen.kept],
            u_y=None if u is None else u[seen.kept],
            fixed=_held(relation, line),
            start=_start(relation, laws),
        )
    except GalenaError as error:
        return BothWays({}, (), trouble=str(error))
    of_curve = widened(
        of_curve, places[seen.kept], values[seen.kept], None if u is None else u[seen.kept]
    )
    constants = {
        name: (of_curve.params[theirs], of_curve.uncertainties[theirs])
        for name, theirs in relation.names.items()
    }
    differing = tuple(name for name in constants if not _agree(laws[name], constants[name]))
    return BothWays(constants, differing, _why(relation) if differing else "", fit=of_curve)


def _held(relation: Relation, line: Fit) -> dict[str, float] | None:
    """Hold on the curve what the line holds: an exponent, or an intercept of zero."""
    held: dict[str, float] = {}
    if relation.key == "power" and "slope" in line.held:
        held["n"] = line.params["slope"]
    if "c" in relation.names and "intercept" not in line.params:
        held[relation.names["c"]] = 0.0
    if relation.x_0 is not None:
        held["x_0"] = relation.x_0[0]
    return held or None


def _start(relation: Relation, laws: dict[str, Estimate]) -> dict[str, float] | None:
    """Begin at the line's own constants where the curve has to be searched for."""
    if relation.keeps_y:
        return None
    start = {theirs: laws[name][0] for name, theirs in relation.names.items()}
    return start if np.isfinite(list(start.values())).all() else None


def _agree(a: Estimate, b: Estimate) -> bool:
    apart = abs(a[0] - b[0])
    return apart <= max(_FAR * max(a[1], b[1]), _ROUNDING * abs(a[0]))


def _why(relation: Relation) -> str:
    """Say why a line and its curve may differ."""
    if relation.y.power is None:
        return (
            "A logarithm stretches the scatter of the small readings: unless the line is weighted, "
            "they count for more in it than in the curve."
        )
    if relation.y.power == -1:
        return (
            "An inverse stretches the scatter of the small readings: unless the line is weighted, "
            "they count for more in it than in the curve."
        )
    return "Both have the same readings, but other weights."
