"""Single pictures of a film, and all positions in one; knows no Django, so that a worker starts
quickly."""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from galena.clips.video import TICK, opened

if TYPE_CHECKING:
    import av

QUALITY = 88  # of JPEG
APART = 28  # levels by which what moves differs from what stands still
Colours = NDArray[np.uint8]


def stills(
    path: str, numbers: list[int], times: NDArray[np.int64], width: int | None = None
) -> list[bytes]:
    """Give some pictures of a working copy as JPEG, at most so many pixels wide."""
    pictures = []
    for number in numbers:
        image = Image.fromarray(_picture(path, number, times))
        if width is not None and image.width > width:
            image = image.resize((width, max(1, round(image.height * width / image.width))))
        pictures.append(_jpeg(image))
    return pictures


def strobe(
    path: str, numbers: list[int], times: NDArray[np.int64],
    places: list[list[tuple[float, float]]], radius: float,
) -> bytes:  # fmt: skip
    """Give what stands still, and over it what moved, in each picture where it was, as JPEG.

    places: of each picture, where something was marked, in pixels of the working copy; radius:
    how far around these what moves is looked for. What stands still is each pixel's median.
    """
    pictures = np.stack([_picture(path, number, times) for number in numbers])
    still = np.median(pictures, axis=0).astype(np.uint8)
    composed = still.copy()
    rows, columns = np.indices(still.shape[:2])
    for picture, marked in zip(pictures, places, strict=True):
        differs = np.abs(picture.astype(np.int16) - still).max(axis=2) > APART
        for x, y in marked:
            near = (columns - x) ** 2 + (rows - y) ** 2 <= radius**2
            composed[differs & near] = picture[differs & near]
    return _jpeg(Image.fromarray(composed))


def _picture(path: str, number: int, times: NDArray[np.int64]) -> Colours:
    """Give a picture in RGB, shape (h, w, 3)."""
    with opened(path) as container:
        stream = container.streams.video[0]
        container.seek(int(times[number] * TICK / stream.time_base), stream=stream, backward=True)
        frame: av.VideoFrame | None = None
        for frame in container.decode(stream):
            if frame.pts * frame.time_base / TICK >= times[number] - 500:
                break
        if frame is None:
            raise ValueError("no such picture")
        return frame.to_ndarray(format="rgb24").astype(np.uint8, copy=False)


def _jpeg(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "JPEG", quality=QUALITY)
    return out.getvalue()
