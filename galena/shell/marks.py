"""How runs are told apart: colour, shape and dash together, so that none is needed alone.

The one source for templates, for the painter in the browser and for figures on paper.
Paths are drawn about the origin with a half-width of about 5.
"""

from dataclasses import asdict, dataclass


@dataclass(frozen=True)
class Mark:
    """The mark of a run; `dash` is a list of lengths as SVG has it, empty for a solid line."""

    colour: str
    shape: str
    path: str
    bright: str  # the colour in a dark room
    dash: tuple[float, ...] = ()

    @property
    def dash_text(self) -> str:
        """The dash as SVG's attribute wants it."""
        return " ".join(f"{length:g}" for length in self.dash)


MARKS = (
    Mark("#0072b2", "disc", "M-4.6 0a4.6 4.6 0 1 0 9.2 0a4.6 4.6 0 1 0 -9.2 0Z", "#56b4e9"),
    Mark("#d55e00", "triangle", "M0 -5.6L5.4 4.2L-5.4 4.2Z", "#ff8f4a", (9, 5)),
    Mark("#009e73", "square", "M-4.3 -4.3H4.3V4.3H-4.3Z", "#3fd0a0", (2, 4)),
    Mark("#7a4fa3", "diamond", "M0 -5.8L5.2 0L0 5.8L-5.2 0Z", "#bfa3e6", (9, 4, 2, 4)),
    Mark("#b8860b", "down triangle", "M0 5.6L5.4 -4.2L-5.4 -4.2Z", "#e6b53c", (14, 4)),
    Mark(
        "#1f2830", "cross",
        "M-5 -3.4L-3.4 -5L0 -1.6L3.4 -5L5 -3.4L1.6 0L5 3.4L3.4 5L0 1.6L-3.4 5L-5 3.4L-1.6 0Z",
        "#f1ede3",
        (4, 3),
    ),
    Mark(
        "#cc6699", "plus",
        "M-1.4 -5.4H1.4V-1.4H5.4V1.4H1.4V5.4H-1.4V1.4H-5.4V-1.4H-1.4Z", "#f29bc4",
        (12, 3, 2, 3, 2, 3),
    ),
    Mark(
        "#4c6b8a", "star",
        "M0 -5.8L1.5 -1.9L5.6 -1.8L2.4 0.8L3.5 4.8L0 2.5L-3.5 4.8L-2.4 0.8L-5.6 -1.8L-1.5 -1.9Z",
        "#9fb8d1",
        (6, 2),
    ),
)  # fmt: skip


def mark_of(number: int) -> Mark:
    """Give the mark of the run with this number, counted from 1."""
    return MARKS[(number - 1) % len(MARKS)]


def as_json(chosen: dict[int, int] | None = None) -> dict:
    """Give all marks for the painter in the browser, and which run has which by choice."""
    return {"marks": [asdict(mark) for mark in MARKS], "chosen": chosen or {}}
