"""Pictures that apps above make of what an experiment holds: for reports, and to be taken along."""

from collections.abc import Callable
from dataclasses import dataclass

from galena.experiments.models import Experiment


@dataclass(frozen=True)
class Picture:
    """A picture as SVG, how wide and high it is in its own units, and a caption for it."""

    svg: str
    size: tuple[float, float]
    caption: str


@dataclass(frozen=True)
class PictureKind:
    """A kind of picture: `listed` names those of an experiment, each with its reference; `drawn`
    draws one, or raises GalenaError where there is none of this reference."""

    key: str
    words: str
    listed: Callable[[Experiment], list[tuple[str, str]]]
    drawn: Callable[[Experiment, str], Picture]


PICTURES: dict[str, PictureKind] = {}


def register(*kinds: PictureKind) -> None:
    """Offer further kinds of pictures."""
    PICTURES.update({kind.key: kind for kind in kinds})
