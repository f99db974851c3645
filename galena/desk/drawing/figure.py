"""A graph as a vector picture for paper, for the list of experiments and for download."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from galena.core import symbols
from galena.core.decimate import envelope
from galena.core.ticks import decades, ticks
from galena.desk.drawing import window
from galena.desk.ledger import cards, overlay
from galena.desk.models import Sheet
from galena.desk.traces.drawn import RunReadings, shown_runs
from galena.shell.colours import LIGHT
from galena.shell.marks import Mark, mark_of

INK, SOFT, WHITE = LIGHT["ink"], LIGHT["soft"], LIGHT["surface"]
HAIRLINE, SPAN = LIGHT["paper-hairline"], LIGHT["paper-span"]
Marked = tuple[tuple[float, str], ...]  # places on an axis with what is written there
FEW = 120  # readings up to which each gets its mark and no line joins them
MARKS_A_LINE = 9
_ITALIC = 'font-family="STIX Two Text, serif" font-style="italic" font-size="15"'


@dataclass(frozen=True)
class Trace:
    """One run's readings in the figure."""

    number: int
    label: str
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    marked: int
    aside: NDArray[np.bool_] | None = None
    u: NDArray[np.float64] | None = None

    @property
    def mark(self) -> Mark:
        return mark_of(self.marked)


@dataclass(frozen=True)
class Figure:
    """A graph to be drawn: labels are (symbol, unit), limits (lowest, highest)."""

    x_label: tuple[str, str]
    y_label: tuple[str, str]
    x_limits: tuple[float, float]
    y_limits: tuple[float, float]
    traces: tuple[Trace, ...]
    curves: tuple[dict, ...] = ()
    spans: tuple[tuple[str, float, float], ...] = ()
    log: tuple[bool, bool] = (False, False)  # whether x and y are logarithmic
    size: tuple[int, int] = (640, 330)
    bare: bool = field(default=False)  # a small picture without words


def of_sheet(sheet: Sheet, *, size: tuple[int, int] = (640, 330), bare: bool = False) -> Figure:
    """Make the figure of a sheet as it stands, showing all readings."""
    runs = shown_runs(sheet)
    log = (sheet.x_view.log, _is_log(sheet))
    x_limits = window.x_limits(sheet, runs)
    spans = cards.of_sheet(sheet).spans if not bare else []
    rows = [row for card in spans for row in card.rows]
    quantity = sheet.quantity
    used = {row.finding.span_id for row in rows}
    return Figure(
        x_label=(sheet.x_symbol, sheet.x_unit),
        y_label=(quantity.symbol, quantity.unit) if quantity else ("", ""),
        x_limits=x_limits,
        y_limits=window.y_limits(runs, log=log[1]),
        traces=tuple(_trace(one, x_limits, size[0]) for one in runs),
        curves=tuple(
            one for one in overlay.curves(rows) if quantity and one["quantity"] == quantity.pk
        ),
        spans=tuple(
            (card.span.letter, card.span.lo, card.span.hi) for card in spans if card.span.pk in used
        ),
        log=log,
        size=size,
        bare=bare,
    )


def _is_log(sheet: Sheet) -> bool:
    """Tell whether the axis of the sheet's first quantity is logarithmic."""
    for graph in sheet.graphs.all():
        for trace in graph.traces.all():
            return graph.view(trace.side).log
    return False


def _trace(read: RunReadings, limits: tuple[float, float], width: int) -> Trace:
    readings = read.readings if len(read.readings) <= FEW else read.readings.counted
    x, y = readings.t, readings.y
    if x.size > FEW:
        x, y = envelope(x, y, limits[0], limits[1], min(250, width // 2))
        return Trace(read.run.number, read.run.label, x, y, read.run.marked)
    return Trace(read.run.number, read.run.label, x, y, read.run.marked, readings.aside)


def draw(figure: Figure) -> str:
    """Write the figure as SVG."""
    return "".join(_Drawing(figure).parts())


class _Drawing:
    """Places of a figure on its paper."""

    def __init__(self, figure: Figure) -> None:
        self.figure = figure
        width, height = figure.size
        left, top, right, bottom = (4, 4, 4, 4) if figure.bare else (64, 24, 14, 46)
        self.box = (left, top, width - right, height - bottom)

    def x(self, value):
        share = _share(value, self.figure.x_limits, self.figure.log[0])
        return self.box[0] + share * (self.box[2] - self.box[0])

    def y(self, value):
        share = _share(value, self.figure.y_limits, self.figure.log[1])
        return self.box[3] - share * (self.box[3] - self.box[1])

    def parts(self) -> Iterable[str]:
        figure = self.figure
        width, height = figure.size
        yield (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" '
            f'width="{width}" height="{height}" font-family="Source Sans 3, sans-serif" '
            f'font-size="13" fill="{INK}">'
        )
        left, top, right, bottom = self.box
        for letter, lo, hi in figure.spans:
            yield from self._span(letter, lo, hi)
        yield from self._axes()
        yield f'<svg x="{left}" y="{top}" width="{right - left}" height="{bottom - top}" '
        yield f'viewBox="{left} {top} {right - left} {bottom - top}" overflow="hidden">'
        for trace in figure.traces:
            yield from self._line(trace)
        for curve in figure.curves:
            yield from self._curve(curve)
        for trace in figure.traces:
            yield from self._error_bars(trace)
            yield from self._marks(trace)
        yield "</svg></svg>"

    def _span(self, letter: str, lo: float, hi: float) -> Iterable[str]:
        left, right = max(self.box[0], self.x(lo)), min(self.box[2], self.x(hi))
        if right <= left:
            return
        top, bottom = self.box[1], self.box[3]
        yield f'<rect x="{left:.1f}" y="{top}" width="{right - left:.1f}" '
        yield f'height="{bottom - top}" fill="{SPAN}"/>'
        yield f'<path d="M{left:.1f} {top}v-6H{right:.1f}v6" fill="none" stroke="{SOFT}"/>'
        middle = (left + right) / 2
        yield f'<text x="{middle:.1f}" y="{top - 9}" text-anchor="middle" font-size="12" '
        yield f'font-weight="600">{escape(letter)}</text>'

    def _axes(self) -> Iterable[str]:
        left, top, right, bottom = self.box
        x_ticks = _ticks(self.figure.x_limits, 8, self.figure.log[0])
        y_ticks = _ticks(self.figure.y_limits, 5, self.figure.log[1])
        for place, _ in y_ticks if self.figure.traces else ():
            yield f'<path d="M{left} {self.y(place):.1f}H{right}" stroke="{HAIRLINE}"/>'
        yield f'<path d="M{left} {top}V{bottom}H{right}" fill="none" stroke="{SOFT}"/>'
        if self.figure.bare:
            return
        yield from self._tick_labels(x_ticks, y_ticks)
        middle_x, middle_y = (left + right) / 2, (top + bottom) / 2
        yield f'<text x="{middle_x}" y="{bottom + 38}" text-anchor="middle">'
        yield _label(*self.figure.x_label) + "</text>"
        yield f'<text transform="translate(16 {middle_y}) rotate(-90)" text-anchor="middle">'
        yield _label(*self.figure.y_label) + "</text>"

    def _tick_labels(self, x_ticks: Marked, y_ticks: Marked) -> Iterable[str]:
        left, _, _, bottom = self.box
        for place, label in x_ticks:
            yield f'<path d="M{self.x(place):.1f} {bottom}v5" stroke="{SOFT}"/>'
            yield f'<text x="{self.x(place):.1f}" y="{bottom + 19}" text-anchor="middle">'
            yield f"{label}</text>"
        for place, label in y_ticks:
            yield f'<path d="M{left - 5} {self.y(place):.1f}H{left}" stroke="{SOFT}"/>'
            yield f'<text x="{left - 9}" y="{self.y(place) + 4.5:.1f}" text-anchor="end">'
            yield f"{label}</text>"

    def _line(self, trace: Trace) -> Iterable[str]:
        if trace.x.size <= FEW:
            return
        xs, ys = self._places(trace)
        points = " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))
        yield f'<polyline points="{points}" fill="none" stroke="{trace.mark.colour}" '
        yield f'stroke-width="1.3" stroke-linejoin="round"{_dash(trace.mark)}/>'

    def _error_bars(self, trace: Trace) -> Iterable[str]:
        if trace.u is None or trace.x.size > FEW:
            return
        xs, lows, highs = self.x(trace.x), self.y(trace.y - trace.u), self.y(trace.y + trace.u)
        for x, low, high in zip(xs, lows, highs, strict=True):
            if np.isfinite(x) and np.isfinite(low) and np.isfinite(high) and low - high > 1:
                yield f'<path d="M{x:.1f} {low:.1f}V{high:.1f}" stroke="{trace.mark.colour}" '
                yield 'stroke-width="1.2"/>'

    def _marks(self, trace: Trace) -> Iterable[str]:
        few = trace.x.size <= FEW
        if self.figure.bare and not few:
            return
        xs, ys = self.x(trace.x), self.y(trace.y)
        chosen = np.arange(xs.size) if few else _spread(xs, MARKS_A_LINE, trace.number)
        for index in chosen:
            if not (np.isfinite(ys[index]) and np.isfinite(xs[index])):
                continue
            yield f'<path transform="translate({xs[index]:.1f} {ys[index]:.1f})" '
            yield f'd="{trace.mark.path}" {_filled(trace, index)}/>'

    def _places(self, trace: Trace) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        xs, ys = self.x(trace.x), self.y(trace.y)
        good = np.isfinite(xs) & np.isfinite(ys)
        return xs[good], ys[good]

    def _curve(self, curve: dict) -> Iterable[str]:
        colour = mark_of(curve["marked"]).colour
        before, inside, after = (self._path(*part) for part in curve["parts"])
        for stroke, width in ((WHITE, 4.5), (colour, 2.2)):
            yield f'<path d="{inside}" fill="none" stroke="{stroke}" stroke-width="{width}"/>'
        yield f'<path d="{before}{after}" fill="none" '
        yield f'stroke="{colour}" stroke-width="1" stroke-dasharray="4 4"/>'

    def _path(self, xs: list[float], ys: list[float]) -> str:
        pairs = zip(self.x(np.array(xs)), self.y(np.array(ys)), strict=True)
        places = [f"{x:.1f} {y:.1f}" for x, y in pairs if np.isfinite(x) and np.isfinite(y)]
        return "M" + "L".join(places) if places else ""


def _share(value, limits: tuple[float, float], log: bool):
    """Tell how far along an axis a value lies; not a number where it has no logarithm."""
    lo, hi = limits
    if log:
        with np.errstate(divide="ignore", invalid="ignore"):
            value = np.where(np.asarray(value) > 0, np.log10(value), np.nan)
        lo, hi = np.log10(lo), np.log10(hi)
    half = hi / 2 - lo / 2  # limits may be so far apart that their difference is no number
    return (value / 2 - lo / 2) / half


def _ticks(limits: tuple[float, float], about: int, log: bool) -> Marked:
    if log:
        return decades(*limits, about)
    chosen = ticks(*limits, about)
    return tuple(zip(chosen.places, chosen.labels, strict=True))


def _filled(trace: Trace, index: int) -> str:
    """Fill a mark; what was set aside is hollow."""
    if trace.aside is not None and trace.aside[index]:
        return f'fill="{WHITE}" stroke="{trace.mark.colour}" stroke-width="1.2"'
    return f'fill="{trace.mark.colour}"'


def _dash(mark: Mark) -> str:
    return f' stroke-dasharray="{mark.dash_text}"' if mark.dash else ""


def _spread(xs: NDArray[np.float64], count: int, number: int) -> NDArray[np.intp]:
    """Choose readings about evenly spaced on paper, shifted from run to run."""
    lo, hi = float(xs.min()), float(xs.max())
    places = lo + (hi - lo) * (np.arange(count) + 0.5 + 0.17 * ((number - 1) % 4)) / count
    return np.unique(np.clip(np.searchsorted(xs, places), 0, xs.size - 1))


def _label(symbol: str, unit: str) -> str:
    label, lowered = "", False
    for kind, text in (*symbols.parts(symbol), ("", f" / {unit}" if unit else "")):
        if not text:
            continue
        lift = ' dy="-4"' if lowered else ""
        lowered = kind == "sub"
        if lowered:
            label += f'<tspan font-size="10" dy="4">{escape(text)}</tspan>'
        elif kind == "symbol":
            label += f"<tspan{lift} {_ITALIC}>{escape(text)}</tspan>"
        else:
            label += f"<tspan{lift}>{escape(text)}</tspan>"
    return label
