"""From the text of a report to its page: Markdown, mathematics, and what is put in."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from django.utils.html import escape, format_html
from django.utils.safestring import SafeString, mark_safe

from galena.core.errors import GalenaError
from galena.reports.marked_up import BEGIN, END, MIDDLE, PLACE, Marked, marked_up
from galena.reports.mathematics import Mathematics
from galena.reports.put_ins import PUT_INS, Asked, Piece, PutInError, read
from galena.reports.put_ins.numbers import number
from galena.reports.source import Source
from galena.shell.worker import WorkerError

_ALONE = re.compile(f"<p([^>]*)>((?:\\s*{BEGIN}\\d+{END})+)\\s*</p>")
_FORMULA_ALONE = re.compile(f"<p>({MIDDLE}\\d+{END})</p>")
_NUMBERED = re.compile(r"(Figure|Table) (\d+)")
CALLED = {"figure": "Figure", "table": "Table"}


@dataclass(frozen=True)
class Placed:
    """A piece at its place: what was asked, the piece, and its number where it has one."""

    asked: Asked
    piece: Piece
    number: int = 0
    trouble: str = ""

    @property
    def called(self) -> str:
        """How it is referred to: Figure 2."""
        return f"{CALLED[self.piece.kind]} {self.number}" if self.number else ""


@dataclass(frozen=True)
class Page:
    """The report as it prints.

    placed: what is put in, in the order of the text. numbers: what each number of the ledger is
    shown as, by its reference. unknown: what is asked for and is not there, in words.
    """

    body: SafeString
    placed: list[Placed] = field(default_factory=list)
    numbers: dict[str, str] = field(default_factory=dict)
    unknown: list[str] = field(default_factory=list)
    marked: Marked | None = None

    @property
    def quoted(self) -> int:
        """How many numbers of the ledger stand in it."""
        return sum(one.piece.is_number for one in self.placed)


def shown_page(text: str, source: Source, *, frozen: Mapping[str, str] | None = None) -> Page:
    """Set a report's text for its writer: where it cannot be set, the page says why."""
    try:
        return set_page(text, source, frozen=frozen)
    except WorkerError as error:
        return Page(format_html('<p class="unknown">{} Your text is kept as it is.</p>', error))


def set_page(text: str, source: Source, *, frozen: Mapping[str, str] | None = None) -> Page:
    """Set a report's text. frozen: what numbers are shown as, where they are kept as they were.

    On paper mathematics is drawn. Raises WorkerError where it takes too long, or is too large:
    what is kept, printed or handed in is the whole report or nothing.
    """
    marked = marked_up(text)
    placed = _placed(marked.asked, source, frozen or {})
    html = _ALONE.sub(lambda match: _row(match, placed), marked.html)
    html = _FORMULA_ALONE.sub(
        lambda match: _formula(marked.formulas, match[1], source.on_paper), html
    )
    html = PLACE.sub(
        lambda match: (
            _formula(marked.formulas, match[0], source.on_paper)
            if match[0][0] == MIDDLE
            else _in_line(placed[int(match[1])])
        ),
        html,
    )
    numbers = {one.asked.word: one.piece.plain for one in placed if one.piece.is_number}
    unknown = [one.trouble for one in placed if one.trouble]
    unknown += [f"mathematics “{one.typed[:40]}”: {one.trouble}" for one in marked.formulas
                if one.trouble]  # fmt: skip
    return Page(mark_safe(html), placed, numbers, list(dict.fromkeys(unknown)), marked)


def _placed(asked: list[str], source: Source, frozen: Mapping[str, str]) -> list[Placed]:
    """Make all pieces; figures and tables are numbered as they come, then referred to."""
    placed: list[Placed] = []
    counts = {"figure": 0, "table": 0}
    for text in asked:
        one = _made(read(text), text, source, frozen)
        if one.piece.kind in counts and not one.trouble:
            counts[one.piece.kind] += 1
            one = replace(one, number=counts[one.piece.kind])
        placed.append(one)
    called = {one.called for one in placed if one.number}
    labelled = {one.asked.label: one.called for one in placed if one.number and one.asked.label}
    return [_referred(one, called, labelled) for one in placed]


def _made(asked: Asked, text: str, source: Source, frozen: Mapping[str, str]) -> Placed:
    try:
        if asked.word in PUT_INS:
            piece = PUT_INS[asked.word].set(asked, source)
            if asked.caption:
                caption = format_html("{}", asked.caption)
                piece = replace(piece, caption=caption, plain_caption=asked.caption)
            return Placed(asked, piece)
        if asked.word in ("see", "Figure", "Table"):
            return Placed(asked, Piece("text", ""))
        name = text.strip()
        if name in frozen:
            html = format_html(
                '<span class="quoted" title="kept as it was">{}</span>', frozen[name]
            )
            return Placed(Asked(name, ""), Piece("text", html, frozen[name], is_number=True))
        return Placed(Asked(name, ""), number(name, source))
    except PutInError as error:
        return _unknown(asked, str(error))
    except GalenaError as error:
        return _unknown(asked, f"{text}: {error}")


def _unknown(asked: Asked, trouble: str) -> Placed:
    html = format_html('<mark class="unknown">{}</mark>', trouble)
    return Placed(asked, Piece("text", html, f"[{trouble}]"), trouble=trouble)


def _referred(one: Placed, called: set[str], labelled: dict[str, str]) -> Placed:
    """Set a reference to a figure or table: by its number, or by the label that it was given."""
    if one.trouble or one.asked.word not in ("see", "Figure", "Table"):
        return one
    if one.asked.word == "see":
        wanted = labelled.get(one.asked.of, "")
        if not wanted:
            return _unknown(one.asked, f"nothing is put in as “{one.asked.of}”")
    else:
        wanted = f"{one.asked.word} {one.asked.of}"
        if wanted not in called:
            return _unknown(one.asked, f"there is no {wanted}")
    return Placed(one.asked, Piece("text", format_html("{}", wanted), wanted))


def _row(match: re.Match, placed: list[Placed]) -> str:
    """Set what stands by itself: figures and tables side by side, each with its width."""
    ones = [placed[int(place)] for place in re.findall(r"\d+", match[2])]
    if not any(one.number for one in ones):
        return match[0]
    return f'<div class="row-of-pieces"{match[1]}>{"".join(map(_by_itself, ones))}</div>'


def _by_itself(one: Placed) -> str:
    if not one.number:
        return format_html("<p>{}</p>", mark_safe(one.piece.html))
    width = "whole" if one.asked.share == 1 else "half" if one.asked.share == 0.5 else "third"
    caption = format_html(
        "<figcaption>{}. {}</figcaption>", one.called, mark_safe(one.piece.caption)
    )
    inside = mark_safe(one.piece.html)
    if one.piece.kind == "table":
        return format_html('<figure class="of-table {}">{}{}</figure>', width, caption, inside)
    return format_html('<figure class="{}">{}{}</figure>', width, inside, caption)


def _in_line(one: Placed) -> str:
    if one.number:
        named = f"{one.asked.word} {one.asked.of}".strip()
        return format_html(
            '<mark class="unknown">{{{}}}: put this on a line of its own</mark>', named
        )
    return one.piece.html


def _formula(formulas: list[Mathematics], place: str, on_paper: bool) -> str:
    formula = formulas[int(place[1:-1])]
    if formula.trouble:
        said = f"{formula.typed[:60]}: {formula.trouble}"
        return format_html('<mark class="unknown">{}</mark>', said)
    inside = (
        f'<span class="drawn" role="math" aria-label="{escape(formula.typed)}">{formula.svg}</span>'
        if on_paper
        else formula.mathml
    )
    return f'<div class="formula">{inside}</div>' if formula.is_block else inside
