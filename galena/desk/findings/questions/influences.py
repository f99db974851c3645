"""How the answers to some questions change with each reading that they were asked of."""

import numpy as np

from galena.core.areas import weights_between
from galena.core.errors import GalenaError
from galena.core.fits.moving import gains
from galena.core.influence import Influence
from galena.desk.findings.questions.answer import Answer, Asked


def of_mean(asked: Asked, answer: Answer, key: str) -> Influence:
    """Each reading of a mean counts the same."""
    places = asked.inside.t[np.isfinite(asked.inside.y)]
    return Influence(places, np.full(places.size, 1 / max(1, places.size)))


def of_area(asked: Asked, answer: Answer, key: str) -> Influence:
    """Each reading counts by the width that belongs to it."""
    readings = asked.whole
    good = np.isfinite(readings.t) & np.isfinite(readings.y)
    baseline = "ends" if asked.details["baseline"] == "ends" else 0.0
    weights, *_ = weights_between(
        readings.t[good], *asked.places, baseline=baseline,
        readings_only=bool(asked.details["readings_only"]),
    )  # fmt: skip
    u = 1.0 if readings.u is None else np.nan_to_num(readings.u[good])
    return Influence(readings.t[good], weights * (u if np.any(u) else 1.0))


def of_fit(asked: Asked, answer: Answer, key: str) -> Influence | None:
    """A parameter changes with each reading as the slopes of its model say."""
    fit = answer.fit
    if fit is None or answer.by_hand or key not in fit.free:
        return None
    u = asked.inside.u if fit.weighted else None
    try:
        kept, by_reading = gains(fit, asked.inside.t, asked.inside.y, u)
    except GalenaError:
        return None
    changes = by_reading[:, fit.free.index(key)]
    return Influence(asked.inside.t[kept], changes if u is None else changes * u[kept])
