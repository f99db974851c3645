"""What can be put into a report: each kind says its word, what there is, and how it is set."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from galena.core.errors import GalenaError
from galena.experiments.pictures import Picture

if TYPE_CHECKING:
    from galena.reports.source import Source

SHARES = {"half": 0.5, "third": 1 / 3}


class PutInError(GalenaError, ValueError):
    """What is asked for in the text is not there; in words."""


@dataclass(frozen=True)
class Asked:
    """What stands between braces: a word, what it is of, and options after strokes.

    share: of the page's width. label: under which it can be referred to.
    """

    word: str
    of: str
    options: tuple[str, ...] = ()
    caption: str = ""
    label: str = ""
    share: float = 1.0


def read(text: str) -> Asked:
    """Read what stands between braces: `graph E over t | half | as pool | caption: The pool`."""
    first, *rest = (part.strip() for part in text.split("|"))
    word, _, of = first.partition(" ")
    caption = label = ""
    share, options = 1.0, []
    for option in rest:
        if option.startswith("caption:"):
            caption = option.partition(":")[2].strip()
        elif option.startswith("as ") and option[3:].strip():
            label = option[3:].strip()
        elif option in SHARES:
            share = SHARES[option]
        elif option:
            options.append(option)
    return Asked(word, of.strip(), tuple(options), caption, label, share)


@dataclass(frozen=True)
class Rows:
    """A table: heads, rows of cells, and what is said of rows that are not printed."""

    heads: Sequence[str]
    rows: Sequence[Sequence[str]]
    more: str = ""


@dataclass(frozen=True)
class Piece:
    """Something that is put in: as HTML, as plain words, and, where it is one, its picture or rows.

    kind: `text` stands in a line; figures and tables stand by themselves and are numbered.
    caption: harmless HTML. readings: gives what a figure shows, as CSV, to be attached.
    """

    kind: Literal["text", "figure", "table"]
    html: str
    plain: str = ""
    caption: str = ""
    plain_caption: str = ""
    picture: Picture | None = None
    rows: Rows | None = None
    readings: Callable[[], bytes] | None = None
    origin: str = ""
    is_number: bool = False


@dataclass(frozen=True)
class Choice:
    """What is offered beside the page: words, its value where it has one, and the text for it."""

    words: str
    text: str
    value: str = ""
    mark: int | None = None


@dataclass(frozen=True)
class PutIn:
    """A kind of what can be put in.

    word: what its reference begins with. heading: what its choices stand under. choices: lists
    them. set: makes the piece, or raises PutInError. is_block: whether it stands by itself.
    """

    word: str
    heading: str
    choices: Callable[[Source], list[Choice]]
    set: Callable[[Asked, Source], Piece]
    is_block: bool = False
