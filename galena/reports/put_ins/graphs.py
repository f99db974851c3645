"""Graphs of any sheet: all of its stack or one, as at the Desk or within limits that are kept."""

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import replace
from functools import partial

import numpy as np
from django.template.loader import render_to_string
from django.utils.html import strip_tags

from galena.core.errors import SeriesError
from galena.core.numbers import parse
from galena.core.symbols import plain
from galena.desk.drawing import figure, paper
from galena.desk.drawing.figure import Figure, Trace
from galena.desk.ledger.cards import SpanCard
from galena.desk.models import Graph, Sheet
from galena.desk.models import Trace as Shown
from galena.experiments.pictures import Picture
from galena.reports.put_ins.put_in import Asked, Choice, Piece, PutIn, PutInError
from galena.reports.source import Source

WIDTH, HEIGHT, IN_STACK = 640, 330, 200  # pixels of a graph alone, and of one in a stack
NARROWEST = 380  # pixels: what is printed smaller keeps letters that can be read
MOST_READINGS = 50_000  # of a figure that are attached
_LIMITS = re.compile(r"(x|y)\s+(\S+)\s*(?:\.\.|to)\s*(\S+)")
_GRAPH = re.compile(r"graph\s+(\d+)")


def _choices(source: Source) -> list[Choice]:
    listed = []
    for sheet in source.sheets:
        if not sheet.traces:
            continue
        name = source.name_of(sheet)
        listed.append(Choice(str(sheet), f"{{graph {name}}}"))
        graphs = sheet.graphs.all()
        if len(graphs) > 1:
            listed += [Choice(f"{sheet}: graph {place}", f"{{graph {name} | graph {place}}}")
                       for place in range(1, len(graphs) + 1)]  # fmt: skip
    return listed


def _set(asked: Asked, source: Source) -> Piece:
    sheet = source.sheet(asked.of)
    try:
        spans = source.ledger(sheet).spans
        figures = _figures(sheet, asked, spans)
    except SeriesError as error:
        raise PutInError(str(error)) from error
    if not any(one.traces for one in figures):
        raise PutInError(f"the graph “{sheet}” has no readings to show")
    picture = _picture(figures)
    caption = _caption(sheet, figures, _graphs(sheet, asked), spans)
    return Piece("figure", picture.svg, f"[{sheet}]", caption, _plain(caption), picture,
                 readings=partial(_as_csv, figures))  # fmt: skip


def _figures(sheet: Sheet, asked: Asked, spans: list[SpanCard]) -> list[Figure]:
    width = max(NARROWEST, round(WIDTH * (1.25 * asked.share if asked.share < 1 else 1)))
    chosen = next((match for one in asked.options if (match := _GRAPH.fullmatch(one))), None)
    graphs = sheet.graphs.all()
    alone = chosen is not None or len(graphs) == 1
    height = (HEIGHT if asked.share == 1 else 290) if alone else IN_STACK
    figures = figure.stack(sheet, spans, width=width, height=height * len(graphs))
    if chosen is not None:
        if not 1 <= int(chosen[1]) <= len(figures):
            raise PutInError(f"“{sheet}” has {len(figures)} graphs, no graph {chosen[1]}")
        figures = [figures[int(chosen[1]) - 1]]
    for option in asked.options:
        if _GRAPH.fullmatch(option):
            continue
        figures = [_limited(one, option) for one in figures]
    return figures


def _limited(drawing: Figure, option: str) -> Figure:
    """Draw within limits that are kept: `x 0..10`, `y 0..5`. Raises PutInError."""
    match = _LIMITS.fullmatch(option)
    try:
        if match is None:
            raise ValueError
        lo, hi = parse(match[2]), parse(match[3])
        if not lo < hi:
            raise ValueError
    except ValueError:
        raise PutInError(
            f"“{option}” is no part of a graph: write half, third, graph 2, x 0..10 or y 0..5"
        ) from None
    if match[1] == "x":
        return replace(drawing, x_limits=(lo, hi))
    uprights = {side: replace(one, limits=(lo, hi)) for side, one in drawing.uprights.items()}
    return replace(drawing, uprights=uprights)


def _graphs(sheet: Sheet, asked: Asked) -> list[Graph]:
    """Give the graphs that are asked for: one of the stack, or all."""
    graphs = list(sheet.graphs.all())
    chosen = next((match for one in asked.options if (match := _GRAPH.fullmatch(one))), None)
    return graphs if chosen is None else [graphs[int(chosen[1]) - 1]]


def _told(graphs: list[Graph]) -> list[tuple[Shown, str]]:
    """Give the quantities that are shown; of a single graph with the filling of their marks."""
    if len(graphs) == 1:
        return figure.filled(graphs[0])
    shown = {trace.quantity_id: trace for graph in graphs for trace in graph.traces.all()}
    return [(trace, "") for trace in shown.values()]


def _picture(figures: list[Figure]) -> Picture:
    if len(figures) == 1:
        return Picture(paper.draw(figures[0]), figures[0].size, "")
    top, parts = 0, []
    for one in figures:
        parts.append(f'<g transform="translate(0 {top})">{paper.draw(one)}</g>')
        top += one.size[1] + 6
    width = figures[0].size[0]
    svg = (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {top}" width="{width}" '
        f'height="{top}" role="img">{"".join(parts)}</svg>'
    )
    return Picture(svg, (width, top), "")


def _caption(
    sheet: Sheet, figures: list[Figure], graphs: list[Graph], spans: list[SpanCard]
) -> str:
    fitted = [card for card in spans if any(row.answer.fit for row in card.rows)]
    fits = [row for card in fitted for row in card.rows if row.answer.fit]
    context = {
        "sheet": sheet,
        "runs": _once(trace for one in figures for trace in one.traces),
        "shown": _told(graphs),
        "spans": fitted,
        "has_fits": any(one.curves for one in figures),
        "straight": all(row.finding.kind in ("line", "proportional") for row in fits),
    }
    return render_to_string("reports/_caption.html", context).strip()


def _once(traces: Iterable[Trace]) -> list[Trace]:
    """Give the traces of a figure, each run but once."""
    return list({one.number: one for one in traces}.values())


def _plain(caption: str) -> str:
    return " ".join(strip_tags(caption).split())


def _as_csv(figures: list[Figure]) -> bytes:
    """Give the readings that a figure shows: a row each, with its run; of very many some."""
    out = io.StringIO(newline="")
    rows = csv.writer(out)
    for drawing in figures:
        for trace in drawing.traces:
            y_label = _label_of(trace, drawing)
            rows.writerow(["run", _head(drawing.x_label), _head(y_label), "set aside"])
            every = max(1, -(-trace.x.size // MOST_READINGS))
            aside = trace.aside if trace.aside is not None else np.zeros(trace.x.size, bool)
            for x, y, out_of_it in zip(trace.x[::every].tolist(), trace.y[::every].tolist(),
                                       aside[::every].tolist(), strict=True):  # fmt: skip
                rows.writerow([trace.number, f"{x:.12g}", f"{y:.12g}", "yes" if out_of_it else ""])
    return out.getvalue().encode()


def _label_of(trace: Trace, drawing: Figure) -> tuple[str, str]:
    """Give the symbol and unit of a trace: its place among the quantities of its axis."""
    labels = drawing.uprights[trace.side].labels
    on_axis = sorted({one.filling or 0 for one in drawing.traces if one.side == trace.side})
    place = on_axis.index(trace.filling or 0)
    return labels[place] if place < len(labels) else ("y", "")


def _head(label: tuple[str, str]) -> str:
    symbol, unit = label
    return f"{plain(symbol)} / {unit}" if unit else plain(symbol)


GRAPH = PutIn("graph", "Graphs", _choices, _set, is_block=True)
