"""Readings of runs as arrays: read once from the disk, then kept in memory while there is room.

A finished chunk never changes, so what is in memory stays true; a run that is being recorded
only grows, and only its new chunks are read.
"""

import threading
from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.calibration import Correction
from galena.core.errors import SeriesError
from galena.core.series import STAMPS, VALUES, assemble
from galena.experiments.models import Quantity, Run, Series, SeriesChunk

ROOM = 1_000_000_000  # bytes


@dataclass(frozen=True)
class Readings:
    """Times since the start of the run in s and the corrected readings, both of shape (n,)."""

    t: NDArray[np.float64]
    y: NDArray[np.float64]

    def __len__(self) -> int:
        return int(self.t.size)


NOTHING = Readings(np.empty(0), np.empty(0))


class _Shelf:
    """Arrays by series, the longest unused thrown away first."""

    def __init__(self, room: int) -> None:
        self.room = room
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, tuple[int, NDArray[np.generic]]] = OrderedDict()

    def take(self, series: Series) -> NDArray[np.generic]:
        """Give all that is stored of a series."""
        with self._lock:
            chunks, known = self._kept.get(series.pk, (0, None))
        fresh = list(
            SeriesChunk.objects.filter(series=series, sequence__gte=chunks).order_by("sequence")
        )
        if known is None or fresh:
            dtype = STAMPS if series.quantity_id is None else VALUES
            known = _joined(known, [chunk.content for chunk in fresh], dtype)
            chunks += len(fresh)
        with self._lock:
            self._kept[series.pk] = (chunks, known)
            self._kept.move_to_end(series.pk)
            while sum(array.nbytes for _, array in self._kept.values()) > self.room:
                self._kept.popitem(last=False)
        return known

    def clear(self) -> None:
        with self._lock:
            self._kept.clear()


def _joined(known, chunks, dtype):
    if known is None:
        return assemble(chunks, dtype)
    for chunk in chunks:
        if chunk.first_index != known.size:
            raise SeriesError(f"Readings after {known.size} are missing from the file.")
        part = assemble([type(chunk)(0, chunk.count, chunk.data, chunk.crc32)], dtype)
        known = np.concatenate((known, part))
    return known


_shelf = _Shelf(ROOM)


def forget() -> None:
    """Throw away all that is in memory."""
    _shelf.clear()


def readings(run: Run, quantity: Quantity) -> Readings:
    """Give a run's readings of a quantity; nothing where the run has not measured it."""
    series = (
        Series.objects.filter(stream__run=run, quantity=quantity).select_related("stream").first()
    )
    return NOTHING if series is None else of_series(series)


def of_series(series: Series) -> Readings:
    """Give the readings of one series; its stream must be loaded."""
    stream = series.stream
    if stream.origin_us is None:
        return NOTHING
    times = Series.objects.get(stream=stream, quantity=None)
    raw, stamps = _shelf.take(series), _shelf.take(times)
    count = min(raw.size, stamps.size)  # a chunk may arrive between the two
    return Readings(
        seconds(stamps[:count], stream.origin_us), Correction(series.zero).apply(raw[:count])
    )


def seconds(stamps: NDArray[np.int64], origin_us: int) -> NDArray[np.float64]:
    """Turn the time stamps of a device's clock, in µs, into seconds since the run's t = 0."""
    return (stamps - origin_us) / 1e6
