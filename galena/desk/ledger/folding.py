"""Cards of spans that are folded: a few numbers each, written once for what they show."""

from dataclasses import dataclass
from functools import lru_cache

from django.template.loader import render_to_string
from django.utils.html import format_html_join
from django.utils.safestring import SafeString, mark_safe

from galena.desk.findings.questions import Estimate
from galena.desk.ledger.groups import line_of
from galena.desk.ledger.rows import Row
from galena.shell.templatetags.science import symbol

LINES = 2  # of numbers on a folded card
KEPT = 2048  # cards: a ledger of many spans shows nearly the same again after each act


@dataclass(frozen=True)
class Short:
    """A line of a folded card: what is told in it, the number of its run's mark, and the number."""

    label: SafeString
    mark: int | None
    text: str
    unit: str


@dataclass(frozen=True)
class Folded:
    """All that a folded card shows, and the address that opens it."""

    key: int
    letter: str
    name: str
    ends: str
    lines: tuple[Short, ...]
    more: int
    trouble: str
    address: str

    @property
    def html(self) -> SafeString:
        """The card."""
        return _written(self)


@lru_cache(KEPT)
def _written(card: Folded) -> SafeString:
    return mark_safe(render_to_string("desk/_span_folded.html", {"card": card}))


def lines_of(rows: list[Row]) -> tuple[tuple[Short, ...], int]:
    """Give the numbers that a folded card shows, and how many more there are."""
    numbers = [(row, one) for row in rows for one in row.answer.estimates[:1]]
    numbers += [(row, one) for row in rows for one in row.answer.estimates[1:]]
    return tuple(_short(*one) for one in numbers[:LINES]), max(0, len(numbers) - LINES)


def _short(row: Row, estimate: Estimate) -> Short:
    line, told = line_of(row, estimate), [row.label]
    if len(row.answer.estimates) > 1:
        told.append(symbol(estimate.name) if estimate.symbol else estimate.name)
    if row.quantity:
        told.append(symbol(row.quantity))
    label = format_html_join(" ", "{}", ((one,) for one in told))
    run = row.finding.run
    return Short(label, None if run is None else run.marked, line.text, line.unit)
