"""A graph as a vector picture for paper, for the list of experiments and for download."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from galena.core.decimate import envelope
from galena.core.ticks import Ticks, ticks
from galena.desk import ledger, window
from galena.desk.models import Sheet
from galena.shell.marks import Mark, mark_of

INK, SOFT, HAIRLINE, SPAN = "#1f2830", "#55606b", "#e4e0d5", "#f3efe4"
FEW = 120  # readings up to which each gets its mark and no line joins them
MARKS_A_LINE = 9


@dataclass(frozen=True)
class Trace:
    """One run's readings in the figure."""

    number: int
    label: str
    x: NDArray[np.float64]
    y: NDArray[np.float64]

    @property
    def mark(self) -> Mark:
        return mark_of(self.number)


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
    size: tuple[int, int] = (640, 330)
    bare: bool = field(default=False)  # a small picture without words


def of_sheet(sheet: Sheet, *, size: tuple[int, int] = (640, 330), bare: bool = False) -> Figure:
    """Make the figure of a sheet as it stands, showing all readings."""
    runs = window.shown_runs(sheet)
    limits = window.limits(runs)
    spans, _ = ledger.cards(sheet) if not bare else ([], [])
    found = [row for card in spans for row in card.rows]
    quantity = sheet.quantity
    used = {row.finding.span_id for row in found}
    return Figure(
        x_label=("t", "s"),
        y_label=(quantity.symbol, quantity.unit) if quantity else ("", ""),
        x_limits=tuple(limits["x"]),
        y_limits=tuple(limits["y"]),
        traces=tuple(_trace(one, limits["x"], size[0]) for one in runs),
        curves=tuple(ledger.curves(sheet, found)),
        spans=tuple(
            (card.span.letter, card.span.lo, card.span.hi) for card in spans if card.span.pk in used
        ),
        size=size,
        bare=bare,
    )


def _trace(one: window.RunReadings, limits: list[float], width: int) -> Trace:
    x, y = one.readings.t, one.readings.y
    if x.size > FEW:
        x, y = envelope(x, y, limits[0], limits[1], min(250, width // 2))
    return Trace(one.run.number, one.run.label, x, y)


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
        lo, hi = self.figure.x_limits
        return self.box[0] + (value - lo) / (hi - lo) * (self.box[2] - self.box[0])

    def y(self, value):
        lo, hi = self.figure.y_limits
        return self.box[3] - (value - lo) / (hi - lo) * (self.box[3] - self.box[1])

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
        x_ticks = ticks(*self.figure.x_limits, 8)
        y_ticks = ticks(*self.figure.y_limits, 5)
        for place in y_ticks.places if self.figure.traces else ():
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

    def _tick_labels(self, x_ticks: Ticks, y_ticks: Ticks) -> Iterable[str]:
        left, _, _, bottom = self.box
        for place, label in zip(x_ticks.places, x_ticks.labels, strict=True):
            yield f'<path d="M{self.x(place):.1f} {bottom}v5" stroke="{SOFT}"/>'
            yield f'<text x="{self.x(place):.1f}" y="{bottom + 19}" text-anchor="middle">'
            yield f"{label}</text>"
        for place, label in zip(y_ticks.places, y_ticks.labels, strict=True):
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

    def _marks(self, trace: Trace) -> Iterable[str]:
        few = trace.x.size <= FEW
        if self.figure.bare and not few:
            return
        xs, ys = self._places(trace)
        chosen = np.arange(xs.size) if few else _spread(xs, MARKS_A_LINE, trace.number)
        for index in chosen:
            yield f'<path transform="translate({xs[index]:.1f} {ys[index]:.1f})" '
            yield f'd="{trace.mark.path}" fill="{trace.mark.colour}"/>'

    def _places(self, trace: Trace) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        good = np.isfinite(trace.y)
        return self.x(trace.x[good]), self.y(trace.y[good])

    def _curve(self, curve: dict) -> Iterable[str]:
        colour = mark_of(curve["number"]).colour
        points = [
            f"{self.x(x):.1f} {self.y(y):.1f}" for x, y in zip(curve["x"], curve["y"], strict=True)
        ]
        for stroke, width in (("#ffffff", 4.5), (colour, 2.2)):
            yield f'<path d="M{points[1]}L{points[2]}" fill="none" stroke="{stroke}" '
            yield f'stroke-width="{width}"/>'
        yield f'<path d="M{points[0]}L{points[1]}M{points[2]}L{points[3]}" fill="none" '
        yield f'stroke="{colour}" stroke-width="1" stroke-dasharray="4 4"/>'


def _dash(mark: Mark) -> str:
    return f' stroke-dasharray="{mark.dash_text}"' if mark.dash else ""


def _spread(xs: NDArray[np.float64], count: int, number: int) -> NDArray[np.intp]:
    """Choose readings about evenly spaced on paper, shifted from run to run."""
    lo, hi = float(xs.min()), float(xs.max())
    places = lo + (hi - lo) * (np.arange(count) + 0.5 + 0.17 * ((number - 1) % 4)) / count
    return np.unique(np.clip(np.searchsorted(xs, places), 0, xs.size - 1))


def _label(symbol: str, unit: str) -> str:
    italic = (
        '<tspan font-family="STIX Two Text, serif" font-style="italic" font-size="15">'
        f"{escape(symbol)}</tspan>"
    )
    return f"{italic} / {escape(unit)}" if unit else italic
