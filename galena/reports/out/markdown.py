"""The report as Markdown with its pictures, in a zip: what is put in stands there as it is now."""

import io
import re
import zipfile
from collections.abc import Iterator

from galena.reports.put_ins.put_in import Rows
from galena.reports.setting import Page, Placed

_ASKED = re.compile(r"(?<!\\)\{([^\W\d][^{}\n]{0,299})\}")
_CODE = re.compile(r"(```.*?```|`[^`\n]*`)", re.DOTALL)


def pictures_of(page: Page) -> Iterator[tuple[str, Placed]]:
    """Give the figures of a page, each with the name of its file."""
    for one in page.placed:
        if one.number and one.piece.picture is not None:
            yield f"pictures/figure-{one.number}.svg", one


def zipped(title: str, text: str, page: Page) -> bytes:
    """Give a zip with `report.md`, its pictures, and the readings of its figures."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr("report.md", f"# {title}\n\n{in_words(text, page)}\n")
        for name, one in pictures_of(page):
            assert one.piece.picture is not None
            file.writestr(name, standing_alone(one.piece.picture.svg))
            if one.piece.readings:
                file.writestr(f"readings/figure-{one.number}.csv", one.piece.readings())
    return out.getvalue()


def in_words(text: str, page: Page) -> str:
    """Give the text with what is put in as words, links to pictures, and tables; none in code."""
    waiting = iter(page.placed)
    parts = _CODE.split(text)
    for place in range(0, len(parts), 2):
        parts[place] = _ASKED.sub(lambda match: _words(next(waiting, None), match), parts[place])
    return "".join(parts)


def _words(one: Placed | None, match: re.Match) -> str:
    if one is None:
        return str(match[0])
    if one.number and one.piece.rows is not None:
        return f"*{one.called}. {one.piece.plain_caption}*\n\n{as_table(one.piece.rows)}"
    if one.number:
        caption = f"{one.called}. {one.piece.plain_caption}".replace("[", "(").replace("]", ")")
        return f"![{caption}](pictures/figure-{one.number}.svg)\n*{caption}*"
    return one.piece.plain


def as_table(rows: Rows) -> str:
    """Write a table as Markdown does."""
    lines = [_line(rows.heads), _line(["---"] * len(rows.heads)), *map(_line, rows.rows)]
    return "\n".join(lines) + (f"\n\n{rows.more}" if rows.more else "")


def _line(cells) -> str:
    return "| " + " | ".join(str(cell).replace("|", "\\|") for cell in cells) + " |"


def standing_alone(svg: str) -> str:
    """Give an SVG that is a file of its own."""
    if "xmlns=" in svg.partition(">")[0]:
        return svg
    return svg.replace("<svg", '<svg xmlns="http://www.w3.org/2000/svg"', 1)
