"""Pictures of clips for reports: one with what is drawn over it, a strip of some, all positions."""

from __future__ import annotations

import base64
import itertools
from html import escape

import numpy as np

from galena.clips import files, stills
from galena.clips.errors import ClipError
from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane
from galena.clips.preparing import WORKERS
from galena.core.numbers import fixed
from galena.desk.drawing.paper import FAMILY
from galena.experiments.models import Experiment
from galena.experiments.pictures import Picture, PictureKind
from galena.shell.marks import mark_of

PATIENCE = 40.0  # s
IN_A_STRIP, STRIP_WIDTH, GAP = 6, 320, 12  # pictures, pixels of each, pixels between them
IN_ONE = 24  # positions that a picture of all of them shows
AROUND = 0.06  # of the picture's width: what moves lies so near to its mark
_INK, _AXES = "#22303c", "#6b4a7d"


def with_marks(clip: Clip, number: int) -> Picture:
    """Give a picture of a clip with its scale, axes and marks. Raises ClipError, WorkerError."""
    _refuse_unready(clip, number)
    (still,) = _stills(clip, [number])
    drawn = _embedded(still, clip) + _ruler(clip) + _axes(clip) + _marks(clip, number)
    at = fixed(float(clip.ticks[number]) / 1e6, 3)
    caption = f"Picture {number + 1} of the clip “{clip.name}”, {at} s after its first."
    return Picture(_svg(drawn, clip.width, clip.height), (clip.width, clip.height), caption)


def strip(clip: Clip, count: int = IN_A_STRIP) -> Picture:
    """Give some of the pictures that are measured side by side, each with its time."""
    _refuse_unready(clip, clip.start)
    numbers = _spread(clip, count)
    wide, high = STRIP_WIDTH, STRIP_WIDTH * clip.height / clip.width
    parts = []
    for place, still in enumerate(_stills(clip, numbers, STRIP_WIDTH)):
        left = place * (wide + GAP)
        time = fixed(float(clip.ticks[numbers[place]]) / 1e6, 3)
        parts.append(
            f'<image x="{left}" y="0" width="{wide}" height="{high:.1f}" href="{_address(still)}"/>'
            f'<text x="{left}" y="{high + 24:.1f}" font-size="20" fill="{_INK}">{time} s</text>'
        )
    size = (len(numbers) * (wide + GAP) - GAP, high + 32)
    caption = f"Pictures of the clip “{clip.name}”; times count from its first picture."
    return Picture(_svg("".join(parts), *size), size, caption)


def all_positions(clip: Clip, count: int = IN_ONE) -> Picture:
    """Give what stands still, with what was marked at each place where it was."""
    _refuse_unready(clip, clip.start)
    marks = Mark.objects.filter(tracked__clip=clip, replaced_at=None)
    places: dict[int, list[tuple[float, float]]] = {}
    for picture, x, y in marks.values_list("picture", "x", "y"):
        if clip.start <= picture <= clip.stop:
            places.setdefault(picture, []).append((x, y))
    if not places:
        raise ClipError("Mark something first, in a few pictures.")
    marked = sorted(places)
    numbers = marked[:: -(-len(marked) // count)]
    shrunk = clip.shown_width / clip.width
    path = str(files.file_of(clip.folder, files.WORKING))
    still = WORKERS.do(
        stills.strobe, path, numbers, clip.ticks,
        [[(x * shrunk, y * shrunk) for x, y in places[one]] for one in numbers],
        AROUND * clip.shown_width, patience=PATIENCE,
    )  # fmt: skip
    drawn = _embedded(still, clip) + _ruler(clip) + _axes(clip)
    steps = np.diff(clip.ticks[numbers]) / 1e6
    every = f", {fixed(float(np.median(steps)), 3)} s apart" if steps.size else ""
    caption = f"{len(numbers)} positions in the clip “{clip.name}”{every}."
    return Picture(_svg(drawn, clip.width, clip.height), (clip.width, clip.height), caption)


def _refuse_unready(clip: Clip, number: int) -> None:
    if clip.state != Clip.State.READY or not 0 <= number < clip.count:
        raise ClipError("There is no such picture.")


def _spread(clip: Clip, count: int) -> list[int]:
    """Choose some of the pictures that are measured, evenly."""
    measured = range(clip.start, clip.stop + 1, clip.every)
    places = np.linspace(0, len(measured) - 1, min(count, len(measured)))
    return [measured[round(place)] for place in places]


def _stills(clip: Clip, numbers: list[int], width: int | None = None) -> list[bytes]:
    path = str(files.file_of(clip.folder, files.WORKING))
    return WORKERS.do(stills.stills, path, numbers, clip.ticks, width, patience=PATIENCE)


def _address(still: bytes) -> str:
    return "data:image/jpeg;base64," + base64.b64encode(still).decode("ascii")


def _embedded(still: bytes, clip: Clip) -> str:
    return f'<image width="{clip.width}" height="{clip.height}" href="{_address(still)}"/>'


def _svg(drawn: str, width: float, height: float) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:g}" '
        f'font-family="{FAMILY}">{drawn}</svg>'
    )


def _line(x1: float, y1: float, x2: float, y2: float, colour: str, width: float) -> str:
    """Draw a line that is seen on dark and on light ground."""
    return "".join(
        f'<line x1="{x1:.1f}" y1="{y1:.1f}" x2="{x2:.1f}" y2="{y2:.1f}" stroke="{stroke}" '
        f'stroke-width="{wide:.1f}"/>'
        for stroke, wide in (("#ffffff", 2.2 * width), (colour, width))
    )


def _word(x: float, y: float, text: str, colour: str, size: float) -> str:
    return (
        f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size:.1f}" fill="{colour}" stroke="#ffffff" '
        f'stroke-width="{size / 5:.1f}" paint-order="stroke">{escape(text)}</text>'
    )


def _ruler(clip: Clip) -> str:
    """Draw the rectangle or the length that the clip is measured by."""
    unit = clip.width / 640
    plane = SlantedPlane.objects.filter(clip=clip).first()
    if plane is not None:
        corners = [*plane.corners, plane.corners[0]]
        sides = [
            _line(x1, y1, x2, y2, _INK, 2 * unit)
            for (x1, y1), (x2, y2) in itertools.pairwise(corners)
        ]
        x, y = corners[0]
        return "".join(sides) + _word(x, y, str(plane), _INK, 16 * unit)
    scale = Scale.objects.filter(clip=clip).first()
    if scale is None:
        return ""
    x, y = (scale.x1 + scale.x2) / 2 + 10 * unit, (scale.y1 + scale.y2) / 2
    drawn = _line(scale.x1, scale.y1, scale.x2, scale.y2, _INK, 2 * unit)
    return drawn + _word(x, y, str(scale), _INK, 16 * unit)


def _axes(clip: Clip) -> str:
    axes = Axes.objects.filter(clip=clip).first()
    if axes is None:
        return ""
    unit, parts = clip.width / 640, []
    ends = axes.geometry.pixels([(60 * unit, 0), (0, 60 * unit)])
    for name, (x, y) in zip("xy", ends, strict=True):
        parts.append(_line(axes.x, axes.y, float(x), float(y), _AXES, 2 * unit))
        parts.append(_word(float(x) + 5 * unit, float(y) + 5 * unit, name, _AXES, 16 * unit))
    return "".join(parts)


def _marks(clip: Clip, number: int) -> str:
    """Draw the marks up to a picture as rings, that of the picture larger."""
    unit, rings = clip.width / 640, []
    marks = Mark.objects.filter(tracked__clip=clip, replaced_at=None, picture__lte=number)
    for of, picture, x, y in marks.values_list("tracked__number", "picture", "x", "y"):
        here = picture == number
        rings.append(
            f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{(6 if here else 4) * unit:.1f}" fill="none" '
            f'stroke="{mark_of(of).colour}" stroke-width="{(2.2 if here else 1.4) * unit:.1f}"/>'
        )
    return "".join(rings)


def _clip_of(experiment: Experiment, reference: str) -> tuple[Clip, int]:
    """Read a reference: a clip by name or key, after a slash a picture. Raises ClipError."""
    named, _, number = (part.strip() for part in reference.partition("/"))
    clip = experiment.clips.filter(name=named).first()
    if clip is None and named.isdecimal() and len(named) < 19:
        clip = experiment.clips.filter(pk=int(named)).first()
    if clip is None or not (number == "" or number.isdecimal()):
        raise ClipError("There is no such clip in this experiment.")
    clip.experiment = experiment
    return clip, int(number) - 1 if number else clip.start


def _listed(experiment: Experiment) -> list[tuple[str, str]]:
    ready = list(experiment.clips.filter(state=Clip.State.READY).defer("times"))
    names = [clip.name for clip in ready]
    return [
        (clip.name if _can_stand(clip.name, names) else str(clip.pk), clip.name) for clip in ready
    ]


def _can_stand(name: str, names: list[str]) -> bool:
    """Tell whether a clip can be referred to by its name: it lasts when an experiment is copied."""
    return names.count(name) == 1 and not set(name) & set("{}|/\n") and not name.isdecimal()


KINDS = (
    PictureKind("clip picture", "picture of a clip with its marks", _listed,
                lambda experiment, reference: with_marks(*_clip_of(experiment, reference))),
    PictureKind("clip strip", "strip of pictures", _listed,
                lambda experiment, reference: strip(_clip_of(experiment, reference)[0])),
    PictureKind("clip positions", "all positions in one picture", _listed,
                lambda experiment, reference: all_positions(_clip_of(experiment, reference)[0])),
)  # fmt: skip
