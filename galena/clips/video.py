"""Reads and writes films with PyAV; knows nothing of Django, so that a worker starts quickly.

Times are whole microseconds from the first picture; they come from the film, never from its rate.
"""

from __future__ import annotations

import contextlib
import json
import multiprocessing
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from galena.clips.errors import ClipError
from galena.core.loading import later
from galena.core.tracking import follow

if TYPE_CHECKING:
    import av
else:
    av = later("av")

LARGEST_WIDTH = 1280  # of the working copy, in pixels
KEY_EVERY = 5  # pictures: a step decodes no more than these
LONGEST = 600.0  # s
LARGEST = 9000  # pixels along a side
MEMORY = 3_000_000_000  # bytes that preparing may take
TICK = Fraction(1, 1_000_000)  # s
UNWRITTEN = "No working copy of this film can be written. Is there room on the disk?"
NO_VIDEO = "There is no film in this file. Choose an MP4, MOV, WebM, AVI or MKV file."


@dataclass(frozen=True)
class Prepared:
    """A film as it was prepared: its size upright, that of the working copy, and its times.

    times: µs, shape (n,); left_out: pictures whose time does not come after the one before;
    broken: whether the file ends in the middle.
    """

    width: int
    height: int
    shown_width: int
    shown_height: int
    times: NDArray[np.int64]
    left_out: int
    broken: bool


def length_of(path: str) -> float:
    """Give how long a film says that it is, in s, or guess from its size. Raises ClipError."""
    _bound()
    with opened(path) as container:
        stream = container.streams.video[0]
        _refuse_large(stream.width, stream.height)
        seconds = 0.0
        if container.duration:
            seconds = container.duration / av.time_base
        elif stream.duration and stream.time_base:
            seconds = float(stream.duration * stream.time_base)
        if seconds > LONGEST:
            raise ClipError("It lasts longer than 10 minutes. Cut it to the part that matters.")
        return seconds or LONGEST


def _refuse_large(width: int, height: int) -> None:
    if max(width, height) > LARGEST:
        raise ClipError(f"Its pictures are larger than {LARGEST} pixels along a side.")


def prepare(path: str, folder: str) -> Prepared:
    """Make the working copy, the poster and the list of times of a film. Raises ClipError."""
    _bound()
    try:
        return _prepare(path, Path(folder))
    except av.FFmpegError as error:
        raise ClipError(UNWRITTEN) from error


def _prepare(path: str, place: Path) -> Prepared:
    broken, left_out = False, 0
    times: list[int] = []
    writer: _Writer | None = None
    first = upright = None
    try:
        for frame in _frames(path):
            if isinstance(frame, _Broken):
                broken = True
                break
            if frame.pts is None:
                left_out += 1
                continue
            now = round(frame.pts * frame.time_base / TICK)
            first = now if first is None else first
            if times and now - first <= times[-1]:
                left_out += 1
                continue
            if now - first > LONGEST / TICK:
                raise ClipError("It lasts longer than 10 minutes. Cut it to the part that matters.")
            _refuse_large(frame.width, frame.height)  # whatever the file says of them
            picture = _upright(frame)
            if writer is None:
                upright = picture.width, picture.height
                writer = _Writer(place / "working.mp4", upright)
                _write_poster(place / "poster.jpg", picture)
            times.append(now - first)
            writer.take(picture, times[-1])
            if len(times) % 20 == 0:
                _tell(place, len(times), times[-1])
    finally:
        if writer is not None:
            writer.close()
    if writer is None or upright is None:
        raise ClipError("No picture of this film can be read. Is the file whole?")
    return Prepared(*upright, *writer.size, np.array(times, dtype=np.int64), left_out, broken)


def grey(
    path: str, first: int, count: int, times: NDArray[np.int64]
) -> Iterator[NDArray[np.uint8]]:
    """Give some pictures of a working copy in grey, shape (h, w), from a picture's number on."""
    with opened(path) as container:
        stream = container.streams.video[0]
        container.seek(int(times[first] * TICK / stream.time_base), stream=stream, backward=True)
        wanted = times[first : first + count]
        given = 0
        for frame in container.decode(stream):
            now = frame.pts * frame.time_base / TICK
            if given < wanted.size and now >= wanted[given] - 500:
                given += 1
                yield frame.to_ndarray(format="gray").astype(np.uint8, copy=False)
            if given == wanted.size:
                return


def followed(
    path: str, first: int, count: int, times: NDArray[np.int64], place: tuple[float, float]
) -> list[tuple[float, float, float]]:
    """Follow what is at a place of a picture of a working copy: x, y and score of each picture."""
    pictures = grey(path, first, count, times)
    return [(mark.x, mark.y, mark.score) for mark in follow(pictures, place)]


def write(
    path: str, size: tuple[int, int], times: Iterable[float],
    picture: Callable[[int], NDArray[np.uint8]], *, codec: str = "libx264",
) -> None:  # fmt: skip
    """Write a film: pictures in RGB at their times, in s. For demos and tests."""
    ticks = [round(time / TICK) for time in times]
    writer = _Writer(Path(path), size, codec=codec, width=size[0])
    for number, tick in enumerate(ticks):
        writer.take(av.VideoFrame.from_ndarray(picture(number), format="rgb24"), tick)
    writer.close()


class _Broken:
    """What stands where a film breaks off."""


def _bound() -> None:
    """Have a worker take no more memory than it may; the server itself is not bounded."""
    if multiprocessing.parent_process() is not None:
        with contextlib.suppress(ImportError):  # on Windows it is bounded by its time only
            import resource

            resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))


@contextlib.contextmanager
def opened(path: str) -> Iterator[av.container.InputContainer]:
    try:
        container = av.open(path)
    except (av.FFmpegError, ValueError, OSError) as error:
        raise ClipError(NO_VIDEO) from error
    with container:
        if not container.streams.video:
            raise ClipError(NO_VIDEO)
        yield container


def _frames(path: str) -> Iterator[av.VideoFrame | _Broken]:
    with opened(path) as container:
        stream = container.streams.video[0]
        stream.thread_type = "NONE"  # one thread: a class works beside it
        try:
            yield from container.decode(stream)
        except (av.FFmpegError, EOFError):
            yield _Broken()


def _upright(frame: av.VideoFrame) -> av.VideoFrame:
    """Give a picture as it is meant to be seen."""
    quarters = round(frame.rotation / 90) % 4
    if not quarters:
        return frame
    turned = np.rot90(frame.to_ndarray(format="rgb24"), quarters).astype(np.uint8)
    return av.VideoFrame.from_ndarray(np.ascontiguousarray(turned), format="rgb24")


class _Writer:
    """Writes a working copy: H.264 without pictures that refer to later ones."""

    def __init__(
        self, path: Path, size: tuple[int, int], *, codec: str = "libx264",
        width: int = LARGEST_WIDTH,
    ) -> None:  # fmt: skip
        self.size = _fitted(size, width)
        self._container = av.open(str(path), "w")
        options = {"preset": "ultrafast", "crf": "18", "bf": "0", "g": str(KEY_EVERY)}
        if codec != "libx264":
            options = {"deadline": "realtime", "cpu-used": "8", "g": str(KEY_EVERY), "crf": "20"}
        stream = self._container.add_stream(codec, rate=30, options=options)
        assert isinstance(stream, av.VideoStream)
        self._stream = stream
        self._stream.width, self._stream.height = self.size
        self._stream.pix_fmt = "yuv420p"
        self._stream.time_base = self._stream.codec_context.time_base = Fraction(1, 90_000)
        self._stream.thread_count = 1

    def take(self, picture: av.VideoFrame, tick: int) -> None:
        frame = picture.reformat(*self.size, format="yuv420p")
        frame.time_base = self._stream.codec_context.time_base
        frame.pts = round(tick * TICK / frame.time_base)
        self._container.mux(self._stream.encode(frame))

    def close(self) -> None:
        self._container.mux(self._stream.encode())
        self._container.close()


def _fitted(size: tuple[int, int], width: int) -> tuple[int, int]:
    """Give the size of the working copy: at most so wide, both sides even."""
    share = min(1.0, width / size[0])
    fitted = (max(2, 2 * round(side * share / 2)) for side in size)
    return next(fitted), next(fitted)


def _write_poster(path: Path, picture: av.VideoFrame) -> None:
    width, height = _fitted((picture.width, picture.height), 320)
    picture.reformat(width, height).to_image().save(path, quality=80)


def _tell(place: Path, pictures: int, tick: int) -> None:
    """Keep how far preparing has come, for the page that waits."""
    with contextlib.suppress(OSError):
        (place / "progress.json").write_text(json.dumps([pictures, tick]))
