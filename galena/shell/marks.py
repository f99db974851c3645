"""How runs are told apart: colour, shape and dash together, so that none is needed alone.

The one source for templates, for the painter in the browser and for figures on paper; the
colours are those of colours.css.
Paths are drawn about the origin with a half-width of about 5.
"""

from dataclasses import asdict, dataclass

from galena.shell.colours import DARK, LIGHT


@dataclass(frozen=True)
class Mark:
    """The mark of a run; `dash` is a list of lengths as SVG has it, empty for a solid line."""

    number: int
    shape: str
    path: str
    dash: tuple[float, ...] = ()

    @property
    def colour(self) -> str:
        return LIGHT[f"mark-{self.number}"]

    @property
    def bright(self) -> str:
        """Its colour in a dark room."""
        return DARK[f"mark-{self.number}"]


MARKS = (
    Mark(1, "disc", "M-4.6 0a4.6 4.6 0 1 0 9.2 0a4.6 4.6 0 1 0 -9.2 0Z"),
    Mark(2, "triangle", "M0 -5.6L5.4 4.2L-5.4 4.2Z", (9, 5)),
    Mark(3, "square", "M-4.3 -4.3H4.3V4.3H-4.3Z", (2, 4)),
    Mark(4, "diamond", "M0 -5.8L5.2 0L0 5.8L-5.2 0Z", (9, 4, 2, 4)),
    Mark(5, "down triangle", "M0 5.6L5.4 -4.2L-5.4 -4.2Z", (14, 4)),
    Mark(
        6, "cross",
        "M-5 -3.4L-3.4 -5L0 -1.6L3.4 -5L5 -3.4L1.6 0L5 3.4L3.4 5L0 1.6L-3.4 5L-5 3.4L-1.6 0Z",
        (4, 3),
    ),
    Mark(
        7, "plus",
        "M-1.4 -5.4H1.4V-1.4H5.4V1.4H1.4V5.4H-1.4V1.4H-5.4V-1.4H-1.4Z",
        (12, 3, 2, 3, 2, 3),
    ),
    Mark(
        8, "star",
        "M0 -5.8L1.5 -1.9L5.6 -1.8L2.4 0.8L3.5 4.8L0 2.5L-3.5 4.8L-2.4 0.8L-5.6 -1.8L-1.5 -1.9Z",
        (6, 2),
    ),
)  # fmt: skip


# Lines of a graph's first, second, third … quantity, where it shows several.
QUANTITY_DASHES: tuple[tuple[float, ...], ...] = (
    (), (7, 4), (2, 3), (10, 3, 2, 3), (4, 2), (12, 4), (1, 2), (6, 2, 2, 2),
)  # fmt: skip
FILLINGS = ("filled", "hollow", "barred")  # and their marks


def mark_of(number: int) -> Mark:
    """Give the mark of the run with this number, counted from 1."""
    return MARKS[(number - 1) % len(MARKS)]


def dash_text(dash: tuple[float, ...]) -> str:
    """Write a dash as SVG's attribute wants it."""
    return " ".join(f"{length:g}" for length in dash)


def as_json(chosen: dict[int, int] | None = None) -> dict:
    """Give all marks for the painter in the browser, and which run has which by choice."""
    marks = [asdict(mark) | {"colour": mark.colour, "bright": mark.bright} for mark in MARKS]
    return {"marks": marks, "chosen": chosen or {}}
