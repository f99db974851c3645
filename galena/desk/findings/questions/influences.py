"""How the answers to some questions change with each reading that they were asked of."""

import numpy as np

from galena.core.areas import Baseline, weights_between
from galena.core.errors import GalenaError
from galena.core.fits.sensitivity import sensitivities
from galena.core.influence import Influence
from galena.desk.findings.questions.answer import Answer, Subject


def of_mean(subject: Subject, answer: Answer, key: str) -> Influence:
    """Each reading of a mean counts the same."""
    places = subject.inside.t[np.isfinite(subject.inside.y)]
    return Influence(places, np.full(places.size, 1 / max(1, places.size)))


def of_area(subject: Subject, answer: Answer, key: str) -> Influence:
    """Each reading counts by the width that belongs to it."""
    readings = subject.whole
    good = np.isfinite(readings.t) & np.isfinite(readings.y)
    baseline: Baseline = "ends" if subject.details["baseline"] == "ends" else 0.0
    weights, *_ = weights_between(
        readings.t[good], *subject.places, baseline=baseline,
        readings_only=bool(subject.details["readings_only"]),
    )  # fmt: skip
    u = 1.0 if readings.u is None else np.nan_to_num(readings.u[good])
    return Influence(readings.t[good], weights * (u if np.any(u) else 1.0))


def of_fit(subject: Subject, answer: Answer, key: str) -> Influence | None:
    """A parameter changes with each reading as the slopes of its model say."""
    fit = answer.fit
    if fit is None or answer.by_hand or key not in fit.free:
        return None
    u = subject.inside.u if fit.weighted else None
    try:
        kept, by_reading = sensitivities(fit, subject.inside.t, subject.inside.y, u)
    except GalenaError:
        return None
    changes = by_reading[:, fit.free.index(key)]
    return Influence(subject.inside.t[kept], changes if u is None else changes * u[kept])
