"""Follows an object through the pictures of a clip, in the worker, some pictures at a time."""

from galena.clips import files, marking, preparing, video
from galena.clips.errors import ClipError
from galena.clips.models import TrackedObject

AT_ONCE = 60  # pictures that one request follows
_PATIENCE = 40.0


def follow_on(tracked: TrackedObject, picture: int, person) -> tuple[list[int], bool]:
    """Follow an object from a picture on, where it has a mark; proposed marks are kept.

    Gives the pictures that were marked, and whether it is sure to the end of what was asked.
    Raises ClipError, WorkerError.
    """
    clip = tracked.clip
    start = tracked.marks.filter(picture=picture, replaced_at=None).first()
    if start is None:
        raise ClipError("Mark it in this picture first: from there it is followed.")
    count = min(AT_ONCE * clip.every, clip.stop - picture)
    if count < clip.every:
        return [], True
    size = clip.shown_width / clip.width
    place = (start.x * size, start.y * size)
    path = str(files.file_of(clip.folder, files.WORKING))
    work = (path, picture, count + 1, clip.ticks, place)
    seen = preparing.WORKERS.do(video.followed, *work, patience=_PATIENCE)
    marks = [
        (picture + step, x / size, y / size, score)
        for step, (x, y, score) in enumerate(seen) if step and step % clip.every == 0
    ]  # fmt: skip
    if marks:
        marking.mark_all(tracked, marks, person)
    return [number for number, *_ in marks], len(seen) == count + 1
