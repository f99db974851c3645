"""Writes a figure as a vector picture, in black on white where it must be."""

from collections.abc import Iterable
from xml.sax.saxutils import escape

import numpy as np
from numpy.typing import NDArray

from galena.core import symbols
from galena.core.ticks import decades, ticks
from galena.desk.drawing.figure import FEW, Figure, Label, Trace, Upright
from galena.shell.colours import LIGHT
from galena.shell.marks import FILLINGS, dash_text, mark_of

INK, SOFT, WHITE = LIGHT["ink"], LIGHT["soft"], LIGHT["surface"]
HAIRLINE, SPAN = LIGHT["paper-hairline"], LIGHT["paper-span"]
Marked = tuple[tuple[float, str], ...]  # places on an axis with what is written there
MARKS_A_LINE = 9
UPRIGHT = 54  # the width of an axis at the right with its numbers and its label
FAMILY = "'Source Sans 3', sans-serif"  # quoted: a bare name of a font may hold no number
_ITALIC = 'font-family="STIX Two Text, serif" font-style="italic" font-size="15"'
_INSIDE = 0.58  # how large the hollow of a mark is beside the mark


def draw(figure: Figure) -> str:
    """Write the figure as SVG."""
    return "".join(_Drawing(figure).parts())


class _Drawing:
    """Places of a figure on its paper."""

    def __init__(self, figure: Figure) -> None:
        self.figure = figure
        width, height = figure.size
        self.at_right = [side for side in figure.uprights if side != "left"]
        right = UPRIGHT * len(self.at_right) or 14
        left, top, right, bottom = (4, 4, 4, 4) if figure.bare else (64, 24, right, 46)
        self.box = (left, top, width - right, height - bottom)

    def x(self, value):
        share = _share(value, self.figure.x_limits, self.figure.x_log)
        return self.box[0] + share * (self.box[2] - self.box[0])

    def y(self, value, side: str = "left"):
        upright = self.figure.uprights[side]
        share = _share(value, upright.limits, upright.log)
        return self.box[3] - share * (self.box[3] - self.box[1])

    def parts(self) -> Iterable[str]:
        figure = self.figure
        width, height = figure.size
        yield (
            f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" '
            f'width="{width}" height="{height}" font-family="{FAMILY}" '
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
        levels = _upright_ticks(self.figure.uprights["left"])
        for place, _ in levels if self.figure.traces else ():
            yield f'<path d="M{left} {self.y(place):.1f}H{right}" stroke="{HAIRLINE}"/>'
        yield f'<path d="M{left} {top}V{bottom}H{right}" fill="none" stroke="{SOFT}"/>'
        if self.figure.bare:
            return
        for place, label in _ticks(self.figure.x_limits, 8, self.figure.x_log):
            yield f'<path d="M{self.x(place):.1f} {bottom}v5" stroke="{SOFT}"/>'
            yield f'<text x="{self.x(place):.1f}" y="{bottom + 19}" text-anchor="middle">'
            yield f"{label}</text>"
        yield f'<text x="{(left + right) / 2}" y="{bottom + 38}" text-anchor="middle">'
        yield _label(self.figure.x_label) + "</text>"
        yield from self._upright("left", left, -1, 16)
        for place, side in enumerate(self.at_right):
            at = right + UPRIGHT * place
            yield f'<path d="M{at} {top}V{bottom}" stroke="{SOFT}"/>'
            yield from self._upright(side, at, 1, at + UPRIGHT - 10)

    def _upright(self, side: str, at: float, way: int, label_at: float) -> Iterable[str]:
        upright = self.figure.uprights[side]
        anchor = "end" if way < 0 else "start"
        for place, text in _upright_ticks(upright):
            y = self.y(place, side)
            yield f'<path d="M{at} {y:.1f}h{5 * way}" stroke="{SOFT}"/>'
            yield f'<text x="{at + 9 * way}" y="{y + 4.5:.1f}" text-anchor="{anchor}">{text}</text>'
        middle = (self.box[1] + self.box[3]) / 2
        yield f'<text transform="translate({label_at} {middle}) rotate(-90)" text-anchor="middle">'
        yield ", ".join(_label(one) for one in upright.labels) + "</text>"

    def _line(self, trace: Trace) -> Iterable[str]:
        if trace.x.size <= FEW:
            return
        xs, ys = self._places(trace)
        points = " ".join(f"{x:.1f},{y:.1f}" for x, y in zip(xs, ys, strict=True))
        yield f'<polyline points="{points}" fill="none" stroke="{trace.mark.colour}" '
        yield f'stroke-width="1.3" stroke-linejoin="round"{_dash(trace.dash)}/>'

    def _error_bars(self, trace: Trace) -> Iterable[str]:
        if trace.u is None or trace.x.size > FEW:
            return
        lows, highs = (self.y(trace.y + way * trace.u, trace.side) for way in (-1, 1))
        xs = self.x(trace.x)
        for x, low, high in zip(xs, lows, highs, strict=True):
            if np.isfinite(x) and np.isfinite(low) and np.isfinite(high) and low - high > 1:
                yield f'<path d="M{x:.1f} {low:.1f}V{high:.1f}" stroke="{trace.mark.colour}" '
                yield 'stroke-width="1.2"/>'

    def _marks(self, trace: Trace) -> Iterable[str]:
        few = trace.x.size <= FEW
        if self.figure.bare and not few:
            return
        xs, ys = self.x(trace.x), self.y(trace.y, trace.side)
        chosen = np.arange(xs.size) if few else _spread(xs, MARKS_A_LINE, trace.number)
        for index in chosen:
            if not (np.isfinite(ys[index]) and np.isfinite(xs[index])):
                continue
            place = f"translate({xs[index]:.1f} {ys[index]:.1f})"
            yield f'<path transform="{place}" d="{trace.mark.path}" {_filled(trace, index)}/>'
            yield _opened(trace, place)

    def _places(self, trace: Trace) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        xs, ys = self.x(trace.x), self.y(trace.y, trace.side)
        good = np.isfinite(xs) & np.isfinite(ys)
        return xs[good], ys[good]

    def _curve(self, curve: dict) -> Iterable[str]:
        colour = mark_of(curve["marked"]).colour
        side = curve.get("side", "left")
        before, inside, after = (self._path(side, *part) for part in curve["parts"])
        for stroke, width in ((WHITE, 4.5), (colour, 2.2)):
            yield f'<path d="{inside}" fill="none" stroke="{stroke}" stroke-width="{width}"/>'
        yield f'<path d="{before}{after}" fill="none" '
        yield f'stroke="{colour}" stroke-width="1" stroke-dasharray="4 4"/>'

    def _path(self, side: str, xs: list[float], ys: list[float]) -> str:
        pairs = zip(self.x(np.array(xs)), self.y(np.array(ys), side), strict=True)
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


def _upright_ticks(upright: Upright) -> Marked:
    return _ticks(upright.limits, 5, upright.log)


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


def _opened(trace: Trace, place: str) -> str:
    """Open the mark of a further quantity: hollow, or with a bar of paper through it."""
    how = FILLINGS[(trace.filling or 0) % len(FILLINGS)]
    if how == "hollow":
        path = f'transform="{place} scale({_INSIDE})" d="{trace.mark.path}"'
        return f'<path {path} fill="{WHITE}"/>'
    if how == "barred":
        return f'<path transform="{place}" d="M-1.2 -7H1.2V7H-1.2Z" fill="{WHITE}"/>'
    return ""


def _dash(dash: tuple[float, ...]) -> str:
    return f' stroke-dasharray="{dash_text(dash)}"' if dash else ""


def _spread(xs: NDArray[np.float64], count: int, number: int) -> NDArray[np.intp]:
    """Choose readings about evenly spaced on paper, shifted from run to run."""
    lo, hi = float(xs.min()), float(xs.max())
    places = lo + (hi - lo) * (np.arange(count) + 0.5 + 0.17 * ((number - 1) % 4)) / count
    return np.unique(np.clip(np.searchsorted(xs, places), 0, xs.size - 1))


def _label(named: Label) -> str:
    symbol, unit = named
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
