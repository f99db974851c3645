"""The chosen relation: the curve, its straightened form, and what would follow from it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from galena.core import units
from galena.core.decimate import envelope
from galena.core.fits import Fit
from galena.core.straightening import (
    RELATIONS,
    BothWays,
    Claim,
    Relation,
    Straightened,
    both_ways,
)
from galena.core.straightening.own import Own
from galena.desk.drawing.figure import FEW, Figure, Trace, Upright
from galena.desk.drawing.paper import draw
from galena.desk.findings.questions import Estimate
from galena.straighten import laws
from galena.straighten.choice import Choice, told_of
from galena.straighten.claiming import claimed
from galena.straighten.question import SHOWN
from galena.straighten.subject import Curve, Floats, Subject

SIZE = (480, 330)
_ALONG = 200  # places of a drawn curve
_NEAR_ZERO = 0.6  # of the largest: readings that begin below are shown from zero on


@dataclass(frozen=True)
class OfRun:
    """One run in the chosen axes, with its line, its claim and the constants of its law."""

    curve: Curve
    seen: Straightened
    line: Fit
    claim: Claim
    constants: list[Estimate]


@dataclass(frozen=True)
class Beside:
    """A constant from the line and from the curve itself."""

    of_line: Estimate
    of_curve: Estimate
    differs: bool


@dataclass(frozen=True)
class Work:
    """All that is shown of a chosen relation."""

    relation: Relation
    runs: list[OfRun]
    of_run: OfRun
    sentence: str
    textbook: str
    law: laws.Pieces
    beside: list[Beside]
    both: BothWays
    curve_picture: str
    straight_picture: str

    @property
    def is_one_fit(self) -> bool:
        """Tell whether line and curve are one and the same fit."""
        return self.relation.keeps_y and not self.both.trouble


def work_of(subject: Subject, choice: Choice) -> Work:
    """Work a relation out for every run. Raises GalenaError."""
    symbols = (subject.x, subject.y)
    told = told_of(RELATIONS[choice.relation], choice, symbols)
    runs = [_of_run(told, one, choice, subject) for one in subject.curves]
    at = next(one for one in runs if one.curve.run.pk == subject.run.pk)
    relation, curve = at.seen.relation, at.curve
    u = curve.u if choice.weighted else None
    both = both_ways(at.seen, at.line, curve.x, curve.y, u_y=u)
    constants = relation.law(at.line)
    return Work(
        relation,
        runs,
        at,
        laws.spoken(at.claim.sentence, relation, symbols),
        laws.textbook(relation, symbols, at.claim.has_constant),
        laws.with_values(relation, constants, symbols, at.claim.has_constant),
        _beside(at, both, subject),
        both,
        _curve_picture(runs, subject),
        _straight_picture(runs, subject),
    )


def _of_run(relation: Relation, curve: Curve, choice: Choice, subject: Subject) -> OfRun:
    seen = relation.straighten(curve.x, curve.y, u_y=curve.u)
    u = seen.u_y if choice.weighted else None
    of_line = claimed(
        seen.relation, seen.x, seen.y, u, choice.held(), seen.left_out, seen.u_y
    )  # fmt: skip
    return OfRun(curve, seen, of_line.line, of_line.claim,
                 _constants(seen.relation, of_line.line, of_line.claim, subject))  # fmt: skip


def _constants(relation: Relation, line: Fit, said: Claim, subject: Subject) -> list[Estimate]:
    of = relation.units(subject.x[1], subject.y[1])
    through = relation.key in ("none", "proportional")
    return [
        Estimate(name, SHOWN.get(name, name), *values, of[name])
        for name, values in relation.law(line).items()
        if not (through and name not in _kept_by(relation, said))
    ]


def _kept_by(relation: Relation, said: Claim) -> tuple[str, ...]:
    """Name the constants that a level line, or one through the origin, has."""
    return ("c",) if relation.key == "none" else ("k",)


def _beside(at: OfRun, both: BothWays, subject: Subject) -> list[Beside]:
    relation = at.seen.relation
    of = relation.units(subject.x[1], subject.y[1])
    return [
        Beside(one, Estimate(one.key, one.name, *both.constants[one.key], of[one.key]),
               one.key in both.differing)
        for one in at.constants if one.key in both.constants
    ]  # fmt: skip


def _curve_picture(runs: Iterable[OfRun], subject: Subject) -> str:
    runs = list(runs)
    x_limits = _limits([one.curve.x for one in runs])
    drawn = [(one, *_curve_of(one)) for one in runs]
    y_limits = _limits([one.curve.y for one in runs])
    return draw(Figure(
        x_label=(subject.x[0], units.typeset(subject.x[1])), x_limits=x_limits,
        uprights={"left": Upright(((subject.y[0], units.typeset(subject.y[1])),), y_limits)},
        traces=tuple(_trace(one.curve, one.curve.x, one.curve.y, one.curve.u, x_limits)
                     for one in runs),
        curves=tuple(_drawn(one, xs, ys) for one, xs, ys in drawn), size=SIZE,
    ))  # fmt: skip


def _curve_of(of_run: OfRun) -> tuple[Floats, Floats]:
    """Give the curve that the line of a run stands for, along its readings."""
    x = of_run.curve.x[of_run.seen.kept]
    along = np.linspace(x.min(), x.max(), _ALONG)
    return along, of_run.seen.relation.back(of_run.line, along)


def _straight_picture(runs: Iterable[OfRun], subject: Subject) -> str:
    runs = list(runs)
    relation = runs[0].seen.relation
    x_limits = _limits([one.seen.x for one in runs])
    y_limits = _limits([one.seen.y for one in runs])
    ends = np.array(x_limits)
    x_label, y_label = labels(relation, subject)
    return draw(Figure(
        x_label=x_label, x_limits=x_limits, uprights={"left": Upright((y_label,), y_limits)},
        traces=tuple(_trace(one.curve, one.seen.x, one.seen.y, one.seen.u_y, x_limits)
                     for one in runs),
        curves=tuple(_drawn(one, ends, one.line.predict(ends)) for one in runs), size=SIZE,
    ))  # fmt: skip


def labels(relation: Relation, subject: Subject) -> tuple[tuple[str, str], tuple[str, str]]:
    """Give symbol and unit of what is plotted along both axes of a relation."""
    if isinstance(relation, Own) and relation.of_x is not None and relation.of_y is not None:
        across, up = relation.of_x, relation.of_y
        return (across.text, units.typeset(across.unit)), (up.text, units.typeset(up.unit))
    (x, x_unit), (y, y_unit) = subject.x, subject.y
    return (
        (relation.x.symbol(x, x_unit), units.typeset(relation.x.unit(x_unit))),
        (relation.y.symbol(y, y_unit), units.typeset(relation.y.unit(y_unit))),
    )


def _limits(rows: list[Floats]) -> tuple[float, float]:
    """Give the limits of an axis: from zero on where that is not far from the readings."""
    lo, hi = min(float(row.min()) for row in rows), max(float(row.max()) for row in rows)
    room = (hi - lo) * 0.05 or abs(hi) * 0.05 or 1.0
    if 0 < lo < _NEAR_ZERO * hi:
        return 0.0, hi + room
    if _NEAR_ZERO * lo < hi < 0:
        return lo - room, 0.0
    return lo - room, hi + room


def _trace(
    curve: Curve, x: Floats, y: Floats, u: Floats | None, limits: tuple[float, float]
) -> Trace:
    run = curve.run
    if x.size > FEW:
        order = np.argsort(x, kind="stable")
        x, y = envelope(x[order], y[order], limits[0], limits[1], SIZE[0] // 2)
        u = None
    return Trace(run.number, run.label, x, y, run.marked, None, u)


def _drawn(of_run: OfRun, x: Floats, y: Floats) -> dict:
    nothing: tuple[list[float], list[float]] = ([], [])
    good = np.isfinite(x) & np.isfinite(y)
    inside = ([float(one) for one in x[good]], [float(one) for one in y[good]])
    return {"marked": of_run.curve.run.marked, "parts": (nothing, inside, nothing)}
