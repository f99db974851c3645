"""All changes of what is measured in a clip: scale, axes, objects, marks, and which pictures."""

import math

import numpy as np
from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from galena.clips import tracked_run
from galena.clips.errors import ClipError
from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane, TrackedObject
from galena.core import geometry
from galena.core.conditions import hold
from galena.core.errors import ConditionError
from galena.core.units import parse
from galena.experiments.flows import touch

MOST_OBJECTS = 8
ENOUGH = 5  # marks in the same picture tell how steady a hand is
BEYOND = 0.5  # of the picture: so far outside a mark may lie, for what is half in sight
_EXAMPLE = "0.400 m"


def set_scale(clip: Clip, ends: tuple[float, float, float, float], length: str, unit: str) -> Scale:
    """Say how long something in the pictures is: `0.400 ± 0.001`, and its unit.

    Raises ClipError, UnitError, GeometryError.
    """
    typed_unit = unit.strip() or "m"
    value, u = _length(length, "the known length", typed_unit)
    x1, y1, x2, y2 = ends
    geometry.Scale((x1, y1), (x2, y2), value, u, clip.u_mark)
    _refuse_outside(clip, x1, y1)
    _refuse_outside(clip, x2, y2)
    scale, _ = Scale.objects.update_or_create(
        clip=clip,
        defaults={"x1": x1, "y1": y1, "x2": x2, "y2": y2, "length": value,
                  "u_length": u, "text": length.strip()[:60], "unit": typed_unit},
    )  # fmt: skip
    _changed(clip)
    return scale


def _length(typed: str, name: str, unit: str) -> tuple[float, float]:
    """Read a typed length and its standard uncertainty. Raises ClipError, UnitError."""
    try:
        if not parse(unit).is_compatible(parse("m")):
            raise ClipError(f"{unit} is no unit of length. Type one such as m or mm.")
        held = hold(typed, name, "number", unit)
    except ConditionError as error:
        raise ClipError(str(error)) from error
    if held.value is None:
        raise ClipError(f"Type {name}, for example {_EXAMPLE}.")
    return held.value, held.u or 0.0


def set_plane(
    clip: Clip, corners: list[tuple[float, float]], width: str, height: str, unit: str
) -> SlantedPlane:
    """Say what four corners in the pictures are: of a rectangle with these sides.

    It goes before the scale. Raises ClipError, UnitError, GeometryError.
    """
    typed_unit = unit.strip() or "m"
    wide, u_wide = _length(width, "the first side", typed_unit)
    high, u_high = _length(height, "the second side", typed_unit)
    for x, y in corners:
        if not (math.isfinite(x) and math.isfinite(y)):
            raise ClipError("The corners must be numbers.")
        _refuse_outside(clip, x, y)
    drawn = geometry.Plane(tuple(corners), wide, high)
    if not np.all(np.isfinite(drawn.places(corners))):
        raise ClipError("The plane is seen too much from its edge.")
    plane, _ = SlantedPlane.objects.update_or_create(
        clip=clip,
        defaults={"corners": [list(one) for one in corners], "unit": typed_unit,
                  "width": wide, "u_width": u_wide, "width_text": width.strip()[:60],
                  "height": high, "u_height": u_high, "height_text": height.strip()[:60]},
    )  # fmt: skip
    _changed(clip)
    return plane


def drop_plane(clip: Clip) -> None:
    """Measure by the scale again, if there is one."""
    SlantedPlane.objects.filter(clip=clip).delete()
    _changed(clip)


def set_axes(
    clip: Clip, x: float, y: float, angle: float = 0.0, *, x_to_left: bool = False,
    y_down: bool = False, moves_with: TrackedObject | None = None,
) -> Axes:  # fmt: skip
    """Say where positions count from, which way the axes go, and whether the origin moves."""
    if not all(math.isfinite(one) for one in (x, y, angle)):
        raise ClipError("The origin and the angle must be numbers.")
    _refuse_outside(clip, x, y)
    axes, _ = Axes.objects.update_or_create(
        clip=clip,
        defaults={"x": x, "y": y, "angle": (angle + 180) % 360 - 180, "x_to_left": x_to_left,
                  "y_down": y_down, "moves_with": moves_with},
    )  # fmt: skip
    _changed(clip)
    return axes


def add_object(clip: Clip, name: str) -> TrackedObject:
    """Name a further thing whose place will be marked."""
    number = (clip.tracked.aggregate(Max("number"))["number__max"] or 0) + 1
    if clip.tracked.count() >= MOST_OBJECTS:
        raise ClipError(f"At most {MOST_OBJECTS} things are marked in a clip.")
    shown = " ".join(name.split())[:60] or f"object {number}"
    tracked = clip.tracked.create(number=number, name=shown)
    _changed(clip)
    return tracked


def rename_object(tracked: TrackedObject, name: str) -> None:
    """Give what is marked another name."""
    tracked.name = " ".join(name.split())[:60] or tracked.name
    tracked.save(update_fields=["name"])
    _changed(tracked.clip)


def drop_object(tracked: TrackedObject) -> None:
    """Take what is marked away, with its marks."""
    clip = tracked.clip
    tracked.delete()
    _changed(clip)


def mark(
    tracked: TrackedObject, picture: int, x: float, y: float, person, score: float | None = None
) -> Mark:
    """Mark a place in a picture; one that was there is kept as it was before. Raises ClipError."""
    return mark_all(tracked, [(picture, x, y, score)], person)[0]


def refuse_unseen(tracked: TrackedObject, picture: int, seen: int, person) -> None:
    """Raise ClipError where somebody else has marked a picture since it was looked at.

    seen: the key of the mark that was there, 0 for none.
    """
    there = tracked.marks.filter(picture=picture, replaced_at=None).exclude(made_by=person)
    mark_there = there.select_related("made_by").first()
    if mark_there is not None and mark_there.pk != seen:
        raise ClipError(
            f"{mark_there.made_by} has marked this picture meanwhile, as it is shown now. Mark it "
            "once more to have yours instead."
        )


def mark_all(
    tracked: TrackedObject, places: list[tuple[int, float, float, float | None]], person
) -> list[Mark]:
    """Mark places in several pictures at once: picture, x, y, and how like it was."""
    clip = tracked.clip
    for picture, x, y, _ in places:
        if not 0 <= picture < clip.count:
            raise ClipError("There is no such picture.")
        if not (math.isfinite(x) and math.isfinite(y)):
            raise ClipError("A place is two numbers.")
        _refuse_outside(clip, x, y)
    now = timezone.now()
    with transaction.atomic():
        pictures = [picture for picture, *_ in places]
        in_force = tracked.marks.filter(picture__in=pictures, replaced_at=None)
        in_force.update(replaced_at=now)
        undone = Mark.objects.filter(tracked__clip=clip, made_by=person).exclude(undone_at=None)
        undone.update(undone_at=None)
        marks = Mark.objects.bulk_create(
            Mark(
                tracked=tracked, picture=picture, x=x, y=y, score=score, made_at=now, made_by=person
            )
            for picture, x, y, score in places
        )
        _changed(clip)
    return marks


def unmark(tracked: TrackedObject, picture: int) -> None:
    """Take a mark away; it is kept as it was before."""
    in_force = tracked.marks.filter(picture=picture, replaced_at=None)
    in_force.update(replaced_at=timezone.now())
    _changed(tracked.clip)


def step_back(clip: Clip, person) -> Mark | None:
    """Undo what this person marked last in a clip; what was there before comes back."""
    own = Mark.objects.filter(tracked__clip=clip, made_by=person)
    last = own.filter(replaced_at=None).order_by("-made_at", "-pk").first()
    if last is None:
        return None
    with transaction.atomic():
        now = timezone.now()
        Mark.objects.filter(pk=last.pk).update(replaced_at=now, undone_at=now)
        earlier = last.tracked.marks.filter(picture=last.picture, replaced_at=last.made_at).last()
        if earlier is not None:
            Mark.objects.filter(pk=earlier.pk).update(replaced_at=None)
        _changed(clip)
    return last


def step_on(clip: Clip, person) -> Mark | None:
    """Do again what this person undid last in a clip."""
    own = Mark.objects.filter(tracked__clip=clip, made_by=person)
    last = own.exclude(undone_at=None).order_by("-undone_at", "-pk").first()
    if last is None:
        return None
    with transaction.atomic():
        there = last.tracked.marks.filter(picture=last.picture, replaced_at=None)
        there.update(replaced_at=last.made_at)
        Mark.objects.filter(pk=last.pk).update(replaced_at=None, undone_at=None)
        _changed(clip)
    return last


def choose_pictures(clip: Clip, start: int, stop: int, every: int) -> None:
    """Say from which to which picture is measured, and every how manieth."""
    if not 0 <= start <= stop < max(clip.count, 1):
        raise ClipError(f"Choose pictures from 1 to {clip.count}, the first before the last.")
    if not 1 <= every <= max(clip.count, 1):
        raise ClipError("Every how manieth picture: type a whole number from 1 on.")
    clip.start, clip.stop, clip.every = start, stop, every
    clip.save(update_fields=["start", "stop", "every"])
    _changed(clip)


def set_steadiness(clip: Clip, u_mark: float) -> None:
    """Say how far a mark may be off, as a standard uncertainty in pixels."""
    if not 0.01 <= u_mark <= 200:
        raise ClipError("How far a mark may be off: type pixels from 0.01 to 200.")
    clip.u_mark = u_mark
    clip.save(update_fields=["u_mark"])
    _changed(clip)


def steadiness(clip: Clip) -> tuple[float, int]:
    """Tell how far hands are off from marks set again in the same pictures, and of how many.

    The pooled standard deviation of x and y about the mean of each picture, in pixels; NaN where
    fewer than ENOUGH were set again. Source: JCGM 100:2008 (GUM), 4.2 and H.5.
    """
    by_picture: dict[tuple[int, int], list[tuple[float, float]]] = {}
    by_hand = Mark.objects.filter(tracked__clip=clip, score=None)
    for key, picture, x, y in by_hand.values_list("tracked_id", "picture", "x", "y"):
        by_picture.setdefault((key, picture), []).append((x, y))
    groups = [np.array(places) for places in by_picture.values() if len(places) > 1]
    count = sum(len(places) for places in groups)
    if count < ENOUGH:
        return math.nan, count
    squares = sum(float(((places - places.mean(axis=0)) ** 2).sum()) for places in groups)
    return math.sqrt(squares / (2 * (count - len(groups)))), count


def _refuse_outside(clip: Clip, x: float, y: float) -> None:
    wide, high = clip.width * BEYOND, clip.height * BEYOND
    if not (-wide <= x <= clip.width + wide and -high <= y <= clip.height + high):
        raise ClipError("This place is far outside the picture.")


def _changed(clip: Clip) -> None:
    """Have the run that the clip has become follow."""
    tracked_run.follow(clip)
    touch(clip.experiment)
