"""What is straightened: the readings of a sheet's quantity, of a span or of all, run by run."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core import units
from galena.core.errors import GalenaError
from galena.core.units import Unit
from galena.desk.errors import DeskError
from galena.desk.findings.answers import Answers
from galena.desk.models import Finding, Sheet, Span
from galena.desk.traces.drawn import runs_of
from galena.experiments.models import Quantity, Run

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Curve:
    """The readings of one run, shape (n,); u: their standard uncertainties, where these are
    known."""

    run: Run
    x: Floats
    y: Floats
    u: Floats | None


@dataclass(frozen=True)
class Subject:
    """Readings of `quantity` over the sheet's x, of every shown run that has any there; `run` is
    the one that is looked at."""

    sheet: Sheet
    span: Span | None
    quantity: Quantity
    curves: tuple[Curve, ...]
    run: Run

    @property
    def curve(self) -> Curve:
        """The readings of the run that is looked at."""
        return next(one for one in self.curves if one.run.pk == self.run.pk)

    @property
    def x(self) -> tuple[str, Unit]:
        """Symbol and unit of what lies along the axis."""
        return self.sheet.x_symbol, units.parse(self.sheet.x_unit)

    @property
    def y(self) -> tuple[str, Unit]:
        """Symbol and unit of what is measured over it."""
        return self.quantity.symbol, units.parse(self.quantity.unit)


def subject_of(sheet: Sheet, span: Span | None, of: int | None, run: int | None) -> Subject:
    """Give what is to be straightened; of: the key of a quantity of the sheet, run: that of a run.

    Without them they are the first ones. Raises DeskError where there is nothing to straighten.
    """
    chosen = next((one for one in sheet.quantities if one.pk == of), None)
    if chosen is None and span is not None:
        chosen = next((one for one in sheet.quantities if one.pk == span.quantity_id), None)
    quantity = chosen or sheet.quantity
    if quantity is None:
        raise DeskError("This sheet shows no quantity yet. Record a run, or type a table.")
    curves = _curves(sheet, span, quantity)
    if not curves:
        where = f"in span {span}" if span is not None else "on this sheet"
        raise DeskError(
            f"No shown run has readings of {quantity.symbol} {where}. Show a run in the rail "
            "at the Desk, or make the span wider."
        )
    looked_at = next((one.run for one in curves if one.run.pk == run), curves[0].run)
    return Subject(sheet, span, quantity, curves, looked_at)


def _curves(sheet: Sheet, span: Span | None, quantity: Quantity) -> tuple[Curve, ...]:
    everywhere = span or Span(sheet=sheet, lo=-math.inf, hi=math.inf)
    probes = [Finding(sheet=sheet, span=everywhere, kind="line", run=run, quantity=quantity)
              for run in runs_of(sheet)]  # fmt: skip
    answers = Answers(probes)
    curves = []
    for probe in probes:
        try:
            inside = answers.subject_of(probe).inside
        except GalenaError:
            continue  # this run has not both quantities
        if len(inside):
            u = inside.u if inside.u is not None and np.any(np.nan_to_num(inside.u) > 0) else None
            curves.append(Curve(probe.run, inside.t, inside.y, u))
    return tuple(curves)
