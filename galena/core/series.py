"""Readings as they are stored: chunks of little-endian numbers that can be checked."""

from __future__ import annotations

import zlib
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import SeriesError

VALUES = np.dtype("<f8")
STAMPS = np.dtype("<i8")


@dataclass(frozen=True)
class Chunk:
    """So many consecutive readings from index `first_index` on, as bytes, with their CRC-32."""

    first_index: int
    count: int
    data: bytes
    crc32: int


def pack(readings: NDArray[np.generic], first_index: int, dtype: np.dtype[np.generic]) -> Chunk:
    """Make a chunk of readings, shape (n,), that start at an index of their series."""
    data = np.ascontiguousarray(readings, dtype=dtype).tobytes()
    return Chunk(first_index, int(readings.size), data, zlib.crc32(data))


def assemble(
    chunks: Iterable[Chunk], dtype: np.dtype[np.generic], after: int = 0
) -> NDArray[np.generic]:
    """Join chunks, in the order of their index from `after` on, into one array of shape (n,).

    Raises SeriesError where a chunk is damaged or one is missing, and says from which reading.
    """
    parts, expected = [], after
    for chunk in chunks:
        if chunk.first_index != expected:
            raise SeriesError(
                f"Readings {expected + 1} to {chunk.first_index} are missing from the file. "
                "Copy the database back from your last copy."
            )
        if zlib.crc32(chunk.data) != chunk.crc32 or len(chunk.data) != chunk.count * dtype.itemsize:
            raise SeriesError(
                f"Readings {expected + 1} to {expected + chunk.count} are damaged on the disk. "
                "Copy the database back from your last copy."
            )
        parts.append(chunk.data)
        expected += chunk.count
    return np.frombuffer(b"".join(parts), dtype=dtype)


def inside(x: NDArray[np.float64], lo: float, hi: float) -> slice:
    """Tell which readings of an ascending x lie in lo <= x <= hi, both ends counted in."""
    first = int(np.searchsorted(x, lo, side="left"))
    return slice(first, max(first, int(np.searchsorted(x, hi, side="right"))))


def nearest(x: NDArray[np.float64], place: float) -> int:
    """Tell the index of the reading nearest to a place on an ascending x; the earlier on a tie.

    Raises SeriesError where there is no reading.
    """
    if x.size == 0:
        raise SeriesError("This run has no reading to point at. Record it again.")
    after = int(np.searchsorted(x, place, side="left"))
    if after == 0:
        return 0
    if after == x.size:
        return int(x.size) - 1
    return after - 1 if place - x[after - 1] <= x[after] - place else after
