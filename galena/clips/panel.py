"""What the page of a clip shows beside its pictures: scale, axes, marks, and the table."""

import math
from collections.abc import Mapping

from galena.clips import marking, tracked_run
from galena.clips.models import Axes, Clip, Mark, Scale, SlantedPlane, Tie, TrackedObject
from galena.clips.places import Measured, measured
from galena.core import numbers
from galena.shell import requested
from galena.shell.marks import as_json, mark_of

ACTS = ("scale", "plane", "axes", "marks", "tie")
TIME_DECIMALS = 4
GRID = (8, 6)  # lines over a rectangle that should be straight in the picture


def panel_context(
    request, clip: Clip, trouble: str = "", act: str = "", chosen: int | None = None
) -> dict:
    """Give what the panel shows.

    act: what the hand does now: draw the scale, put the axes, or mark; without it what is not
    done yet. chosen: the key of the object that is marked; without it the one asked for.
    """
    scale = Scale.objects.filter(clip=clip).first()
    axes = Axes.objects.filter(clip=clip).first()
    plane = SlantedPlane.objects.filter(clip=clip).first()
    objects = list(clip.tracked.all())
    current = _chosen(request, objects, chosen)
    result = measured(clip)
    tied_moments = list(clip.ties.select_related("run").order_by("run__number", "pk"))
    typed_plane = request.POST if trouble and act == "plane" else {}
    undone = "scale" if scale is None and plane is None else "axes" if axes is None else "marks"
    return {
        "experiment": clip.experiment, "clip": clip, "scale": scale, "axes": axes,
        "plane": plane, "corners": _corner_fields(plane, typed_plane),
        "objects": [(one, mark_of(one.number)) for one in objects], "chosen": current,
        "act": act if act in ACTS else undone, "trouble": trouble,
        "pixel": _pixel(clip, scale), "marked": result.pictures.size,
        "of": len(range(clip.start, clip.stop + 1, clip.every)),
        "typed": request.POST if trouble and act != "plane" else {},
        "typed_plane": typed_plane,
        "steady": _steady(clip),
        "ties": tied_moments,
        "tying": _tying(request, tied_moments),
        "tied": list(dict.fromkeys(one.run for one in tied_moments)),
        "runs": clip.experiment.runs.kept().of_kind(is_recorded=True),
        "can_have_centre": clip.run is not None and len(objects) > 1,
        "speed": tracked_run.speed_of(current) if current else None,
        "rows": _rows(result, current), "unit": result.unit or "px",
        "drawn": _drawn(clip, scale, axes, plane), "ticks": clip.ticks.tolist(),
        "marks": as_json(),
    }  # fmt: skip


def _chosen(request, objects: list[TrackedObject], key: int | None) -> TrackedObject | None:
    """Give the object that is being marked: the one asked for, or the first."""
    wanted = str(key) if key else request.POST.get("object") or request.GET.get("object")
    return next((one for one in objects if str(one.pk) == wanted), objects[0] if objects else None)


def _tying(request, moments: list[Tie]) -> int | None:
    """Give the number of the run that is being tied: the one that was chosen, or is tied."""
    chosen = requested.key_or_none(request.POST.get("run"))
    return chosen or (moments[0].run.number if moments else None)


def _steady(clip: Clip) -> str:
    """Write how far hands are off, where enough was marked again; else nothing."""
    off, _ = marking.steadiness(clip)
    return numbers.significant(off) if off > 0 else ""


def _pixel(clip: Clip, scale: Scale | None) -> str:
    """Write the size of a pixel with its uncertainty."""
    if scale is None:
        return ""
    drawn = scale.geometry(clip.u_mark)
    return f"{numbers.estimate(drawn.size, drawn.size * drawn.u_relative)} {scale.unit}"


def _corner_fields(plane: SlantedPlane | None, typed: Mapping[str, str]) -> list[tuple[str, str]]:
    """Give the corners as a form holds them: those that could not be taken, or those that are."""
    corners = [("", "")] * 4 if plane is None else plane.corners
    fields = [(f"{axis}{place + 1}", value) for place, corner in enumerate(corners)
              for axis, value in zip("xy", corner, strict=True)]  # fmt: skip
    return [(name, typed.get(name, str(value))) for name, value in fields]


def _rows(result: Measured, chosen: TrackedObject | None) -> list[dict]:
    """Write the positions of an object, a row a picture."""
    track = next((one for one in result.tracks if chosen and one.tracked.pk == chosen.pk), None)
    if track is None:
        return []
    decimals = tracked_run.decimals_of_two_digits(float(track.u.min()) if track.u.size else 1.0)
    return [
        {"picture": int(picture) + 1, "t": numbers.fixed(t, TIME_DECIMALS),
         "x": numbers.fixed(x, decimals), "y": numbers.fixed(y, decimals)}
        for picture, t, (x, y) in zip(result.pictures, result.times, track.places, strict=True)
        if math.isfinite(x)
    ]  # fmt: skip


def _drawn(clip: Clip, scale: Scale | None, axes: Axes | None, plane: SlantedPlane | None) -> dict:
    """Say what is drawn over the pictures, in pixels of the film."""
    marks: dict[int, list] = {}
    in_force = Mark.objects.filter(tracked__clip=clip, replaced_at=None)
    for key, *place in in_force.values_list("tracked_id", "picture", "x", "y", "score", "pk"):
        marks.setdefault(key, []).append(place)
    return {
        "width": clip.width, "height": clip.height, "start": clip.start, "stop": clip.stop,
        "every": clip.every,
        "scale": None if scale is None else [scale.x1, scale.y1, scale.x2, scale.y2],
        "scaleText": "" if scale is None else str(scale),
        "plane": None if plane is None else {
            "corners": plane.corners, "grid": plane.geometry.grid(*GRID).tolist(),
            "sides": [f"{plane.width_text} {plane.unit}", f"{plane.height_text} {plane.unit}"],
        },
        "axes": None if axes is None else {"x": axes.x, "y": axes.y, "angle": axes.angle,
                                           "xToLeft": axes.x_to_left, "yDown": axes.y_down},
        "objects": [{"id": one.pk, "number": one.number, "name": one.name,
                     "marks": marks.get(one.pk, [])} for one in clip.tracked.all()],
    }  # fmt: skip
