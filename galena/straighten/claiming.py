"""A line through straightened readings, and what may be claimed from it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.fits import Fit, fit
from galena.core.fits.widened import widened
from galena.core.straightening import Claim, Relation, claim
from galena.core.straightness import straightness, unless_within_uncertainty

Floats = NDArray[np.float64]
MODELS = {"proportional": "proportional", "none": "constant"}
_MOST = 1000  # of more readings the means of neighbours are judged


@dataclass(frozen=True)
class Claimed:
    """The line that a relation has, and the claim that goes with it."""

    line: Fit
    claim: Claim


def model_of(relation: Relation) -> str:
    """Name the model that the line of a relation is: level, through the origin, or any."""
    return MODELS.get(relation.key, "line")


def claimed(
    relation: Relation, x: Floats, y: Floats, u: Floats | None = None,
    held: dict[str, float] | None = None, left_out: int = 0, own: Floats | None = None,
) -> Claimed:  # fmt: skip
    """Fit the line of a relation to readings in its axes, and say what it claims.

    x, y: shape (n,); u: by which they are weighted; held: a slope that is held; own: the readings'
    own uncertainties, within which no curve is seen.
    Whether a level line, or one through the origin, is open is judged by a line that may have any
    slope and intercept. Uncertainties are wider where readings follow each other. Raises
    GalenaError.
    """
    if u is not None and not np.all(np.isfinite(u) & (u > 0)):
        u = None
    line = widened(fit(model_of(relation), x, y, u_y=u, fixed=held), x, y, u)
    free = line if model_of(relation) == "line" else widened(fit("line", x, y, u_y=u), x, y, u)
    judged = unless_within_uncertainty(straightness(*thinned(x, y, u)), x, y, own)
    return Claimed(line, claim(relation, free, judged, left_out))


def thinned(
    x: Floats, y: Floats, u: Floats | None = None, most: int = _MOST
) -> tuple[Floats, Floats, Floats | None]:
    """Take means of neighbours in x where there are very many; shape (about most,)."""
    order = np.argsort(x, kind="stable")
    rows = [x[order], y[order]] + ([] if u is None else [u[order]])
    each = x.size // most
    if each >= 2:
        whole = x.size - x.size % each
        rows = [row[:whole].reshape(-1, each).mean(axis=1) for row in rows]
    return rows[0], rows[1], None if u is None else rows[2]
