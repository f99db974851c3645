"""A sheet as a picture by itself: its graphs one under the other, its title, and what is shown.

The fonts go along inside, so that it looks the same wherever it is opened.
"""

import base64
from pathlib import Path
from xml.sax.saxutils import escape

from galena.desk.drawing.figure import Figure, Trace, stack, told_apart
from galena.desk.drawing.paper import FAMILY, INK, draw
from galena.desk.models import Sheet
from galena.shell.marks import mark_of

FONTS = Path(__file__).resolve().parent.parent.parent / "shell" / "static" / "vendor"
FACES = (
    ("Source Sans 3", "source-sans-3/SourceSans3-Regular.ttf.woff2", "font-weight:400"),
    ("Source Sans 3", "source-sans-3/SourceSans3-Semibold.ttf.woff2", "font-weight:600"),
    ("STIX Two Text", "stix-two-text/stix-two-text-latin-400-italic.woff2", "font-style:italic"),
    ("STIX Two Text", "stix-two-text/stix-two-text-greek-400-italic.woff2",
     "font-style:italic;unicode-range:U+0370-03FF"),
)  # fmt: skip
GAP, TITLE, LINE = 6, 26, 20  # pixels between graphs, over them, and of a line of the legend
_LETTER = 6.1  # pixels that a letter of the legend takes, about
_PAPER = "#ffffff"


def of_sheet(sheet: Sheet, *, fonts: bool = True) -> tuple[str, int, int]:
    """Draw a sheet as SVG; gives it with its width and height in pixels. Raises SeriesError."""
    figures = stack(sheet)
    width = figures[0].size[0] if figures else 760
    parts, top = [], TITLE if sheet.title else 8
    if sheet.title:
        parts.append(
            f'<text x="{width / 2}" y="18" text-anchor="middle" font-size="16" font-weight="600">'
            f"{escape(sheet.title)}</text>"
        )
    for figure in figures:
        parts.append(f'<g transform="translate(0 {top})">{draw(figure)}</g>')
        top += figure.size[1] + GAP
    legend, height = _legend(figures, sheet, width, top + LINE)
    height += 10
    style = f"<style>{faces()}</style>" if fonts else ""
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width} {height}" width="{width}" '
        f'height="{height}" font-family="{FAMILY}" font-size="13" fill="{INK}">'
        f'{style}<rect width="{width}" height="{height}" fill="{_PAPER}"/>'
        f"{''.join(parts)}{legend}</svg>",
        width, height,
    )  # fmt: skip


def _legend(figures: list[Figure], sheet: Sheet, width: int, top: int) -> tuple[str, int]:
    """Name the runs by their marks, and the quantities of a graph that are told apart."""
    runs: dict[int, Trace] = {}
    for figure in figures:
        runs |= {trace.number: trace for trace in figure.traces}
    entries = [
        (f'<path d="{mark_of(one.marked).path}" fill="{one.mark.colour}"/>',
         f"run {number}" + (f": {one.label}" if one.label else ""))
        for number, one in sorted(runs.items())
    ]  # fmt: skip
    entries += [
        ('<path d="M-5 0H5" stroke="currentColor"/>', f"{shown.quantity.symbol}: {how} marks")
        for shown, how in told_apart(sheet) if how
    ]  # fmt: skip
    parts, x, y = [], 64.0, float(top)
    for mark, words in entries:
        needed = 24 + _LETTER * len(words)
        if x > 64 and x + needed > width - 14:
            x, y = 64.0, y + LINE
        parts.append(
            f'<g transform="translate({x:.0f} {y:.0f})"><g transform="translate(0 -4)">{mark}</g>'
            f'<text x="12">{escape(words)}</text></g>'
        )
        x += needed
    return "".join(parts), round(y if entries else top - LINE)


def faces() -> str:
    """Give the shipped fonts as rules of CSS, with the fonts inside."""
    rules = []
    for family, file, more in FACES:
        font = base64.b64encode((FONTS / file).read_bytes()).decode("ascii")
        rules.append(
            f'@font-face{{font-family:"{family}";{more};'
            f'src:url(data:font/woff2;base64,{font}) format("woff2")}}'
        )
    return "".join(rules)
