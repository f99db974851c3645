"""What the findings of a ledger draw over the readings: brackets, curves, areas and words."""

import numpy as np

from galena.desk.ledger.cards import Ledger
from galena.desk.ledger.rows import Row
from galena.desk.models import Note, Sheet, Span
from galena.shell.templatetags.science import words

STRAIGHT = 1e-6  # of the height of a curve: so near to its chord it is that


def overlay(ledger: Ledger) -> dict:
    """Say what is drawn over the readings: brackets, markers, curves, areas and words."""
    shown = [row for row in ledger.rows if row.finding.run is None or row.finding.run.shown]
    several = len({row.finding.run_id for row in shown if row.finding.run_id}) > 1
    return {
        "spans": [
            {"id": card.span.pk, "letter": card.span.letter, "lo": card.span.lo, "hi": card.span.hi}
            | {"name": card.span.name, "text": f"{card.lo_text} to {card.hi_text} {card.x_unit}"}
            for card in ledger.spans
        ],
        "markers": [
            {"id": card.marker.pk, "number": card.marker.number, "x": card.marker.x}
            | {"name": card.marker.name, "text": f"{card.text} {card.x_unit}"}
            for card in ledger.markers
        ],
        "curves": curves(ledger.sheet, shown),
        "areas": [_area(row) for row in shown if row.answer.area is not None],
        "notes": [note for row in ledger.rows for note in _notes(row, several=several)],
        "titles": {
            graph.pk: residuals_title(row)
            for row in ledger.rows for graph in row.finding.residual_graphs
        },
    }  # fmt: skip


def curves(sheet: Sheet, rows_of_it: list[Row]) -> list[dict]:
    """Give fits as points: before their span, inside it, and after it; tangents as one piece."""
    drawn = []
    by_ends = not sheet.bends_lines
    for row in rows_of_it:
        if row.answer.line is not None:
            xs, ys = row.answer.line
            drawn.append(_drawn(row) | {"parts": [[[], []], [list(xs), list(ys)], [[], []]]})
        if row.answer.fit is None or row.finding.span is None or not row.finding.run.shown:
            continue
        drawn.append(
            _drawn(row) | {"parts": parts(row.finding.span, row.answer.fit, by_ends=by_ends)}
        )
    return drawn


def _drawn(row: Row) -> dict:
    finding = row.finding
    return {
        "id": finding.pk, "number": finding.run.number, "marked": finding.run.marked,
        "quantity": finding.quantity_id, "hand": row.answer.by_hand,
    }  # fmt: skip


def parts(span: Span, fit, *, by_ends: bool = False) -> list[list]:
    """Give a fit as points before its span, inside it and after it; gaps where it has no value.

    by_ends: a straight piece is given by its two ends.
    """
    lo, hi = span.lo, span.hi
    reach = (hi - lo) * 0.25
    ends = [(lo - reach, lo, 24), (lo, hi, 240), (hi, hi + reach, 24)]
    pieces = []
    for stretch in ends:
        x = np.linspace(*stretch)
        y = fit.predict(x)
        good = np.isfinite(y) & ~fit.model.outside(x)
        if by_ends and good.all() and _is_straight(x, y):
            x, y, good = x[[0, -1]], y[[0, -1]], good[[0, -1]]
        pieces.append([x[good].tolist(), y[good].tolist()])
    return pieces


def _is_straight(x: np.ndarray, y: np.ndarray) -> bool:
    """Tell whether a curve is its own chord as far as an eye can tell, however near it looks."""
    chord = y[0] + (y[-1] - y[0]) * (x - x[0]) / (x[-1] - x[0])
    return bool(np.abs(y - chord).max() <= STRAIGHT * np.ptp(y))


def _area(row: Row) -> dict:
    lo, hi, low, high = row.answer.area
    finding = row.finding
    return {
        "number": finding.run.number, "marked": finding.run.marked, "quantity": finding.quantity_id,
        "lo": lo, "hi": hi, "base": [low, high],
    }  # fmt: skip


def _notes(row: Row, *, several: bool) -> list[dict]:
    """Give what stands on the graph of a finding, with its run where there are several."""
    notes: list[Note] = row.finding.its_notes
    if not notes or row.answer.at is None:
        return []
    x, y = row.answer.at
    text = f"run {row.finding.run.number}: " if several and row.finding.run else ""
    text += on_graph(row)
    return [{"id": one.pk, "text": text, "html": words(text), "x": x, "y": y} for one in notes]


def on_graph(row: Row) -> str:
    """Write a finding as it stands in a graph: its equation and its numbers."""
    numbers = [
        f"{one.name} = {one.text} {one.unit_text}".strip()
        if row.is_fit or len(row.answer.estimates) > 1
        else f"{one.text} {one.unit_text}".strip()
        for one in row.answer.estimates[:5]
    ]
    if row.answer.trouble:
        return f"{row.label}: {row.answer.trouble}"
    first = row.equation if row.is_fit else row.label
    return first + ("; " if row.is_fit else " ") + ", ".join(numbers)


def residuals_title(row: Row) -> str:
    """Say what residuals show, over their graph."""
    runs_test = row.answer.runs_test
    run = f"run {row.finding.run.number}"
    if runs_test is None:
        return f"residuals, {run}: {row.answer.trouble}"
    return f"residuals of {row.label}, {run}: {runs_test.verdict}"
