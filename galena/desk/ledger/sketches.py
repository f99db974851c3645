"""Models laid over the readings of a span at a glance, before any is asked for."""

from galena.core import series
from galena.core.budget import allowed
from galena.core.errors import GalenaError
from galena.core.fits.sketching import sketch
from galena.desk.ledger.overlay import parts
from galena.desk.models import Span
from galena.desk.traces.drawn import RunReadings

PATIENCE = 1.0  # seconds; a hand that points does not wait


def laid_over(span: Span, runs: list[RunReadings], model: str) -> tuple[list[dict], str]:
    """Give the curve of a model over the readings of each run inside a span, and what was wrong.

    model: a key of a shipped one, or a formula of x.
    """
    curves, trouble = [], ""
    for read in runs:
        inside = read.readings.at(series.inside(read.readings.t, span.lo, span.hi)).counted
        try:
            with allowed(PATIENCE):
                laid = sketch(model, inside.t, inside.y)
        except GalenaError as error:
            trouble = trouble or str(error)
            continue
        curves.append(
            {"id": -read.run.pk, "number": read.run.number, "marked": read.run.marked,
             "quantity": read.quantity.pk, "hand": True, "parts": parts(span, laid)}
        )  # fmt: skip
    return curves, trouble
