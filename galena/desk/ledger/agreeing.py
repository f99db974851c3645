"""Whether the runs agree on one question: one line for all of its numbers."""

from dataclasses import dataclass

from galena.core.pooling import agreement
from galena.core.second_look.fits import FAR_OFF
from galena.desk.findings.questions import Estimate
from galena.desk.ledger.rows import Row
from galena.experiments.models import Run


@dataclass(frozen=True)
class _Judged:
    """A number's name, whether the runs agree on it, and how far apart they lie, in words."""

    name: str
    agree: bool
    how_far: str


def agreement_line(rows: list[Row]) -> str:
    """Say of one question on which numbers its runs agree; empty where nothing can be said.

    Of two runs it is told how far apart they are; of more, which lies farthest from their mean.
    """
    judged = [
        one for estimate in rows[0].answer.estimates if (one := _judge(rows, estimate)) is not None
    ]
    if not judged:
        return ""
    runs = [row.finding.run for row in rows]
    who = f"{runs[0]} and {runs[1]}" if len(runs) == 2 else f"the {len(runs)} runs"
    agreed = [one for one in judged if one.agree]
    differing = [one for one in judged if not one.agree]
    told = []
    if agreed:
        told.append(f"agree in {_listed(agreed)}")
    if differing:
        told.append(f"{'' if agreed else 'do '}not agree in {_listed(differing)}")
    return f"{rows[0].label}: {who} " + ", but do ".join(told)


def _judge(rows: list[Row], estimate: Estimate) -> _Judged | None:
    pairs = [
        (row.finding.run, other)
        for row in rows for other in row.answer.estimates
        if other.key == estimate.key and other.own_uncertainty > 0
    ]  # fmt: skip
    if len(pairs) < 2:
        return None
    values, own = [one.value for _, one in pairs], [one.own_uncertainty for _, one in pairs]
    judged = agreement(values, own)
    runs = [run for run, _ in pairs]
    return _Judged(estimate.name, judged.agree, _how_far(runs, judged.apart, judged.odd))


def _how_far(runs: list[Run], apart: float, odd: int) -> str:
    if len(runs) == 2:
        return "far apart" if apart >= FAR_OFF else f"{apart:.1f} of their uncertainties apart"
    by = "far off" if apart >= FAR_OFF else f"{apart:.1f} of its uncertainty off"
    return f"{runs[odd]} farthest, {by}"


def _listed(judged: list[_Judged]) -> str:
    parts = [f"{one.name} ({one.how_far})" for one in judged]
    return " and ".join([", ".join(parts[:-1]), parts[-1]] if len(parts) > 1 else parts)
