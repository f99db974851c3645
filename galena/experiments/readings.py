"""Readings of runs as arrays: read once from the disk, then kept in memory while there is room.

A finished chunk never changes, so what is in memory stays true; a run that is being recorded
only grows, and only its new chunks are read.
"""

import threading
from collections import OrderedDict
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

import numpy as np
from django.db.models import Q
from numpy.typing import NDArray

from galena.core.calibration import Correction
from galena.core.errors import SeriesError
from galena.core.series import STAMPS, VALUES, Chunk, assemble
from galena.experiments.models import Quantity, Run, Series, SeriesChunk

ROOM = 1_000_000_000  # bytes


@dataclass(frozen=True)
class Readings:
    """Times since the start of the run in s and the corrected readings, both of shape (n,)."""

    t: NDArray[np.float64]
    y: NDArray[np.float64]

    def __len__(self) -> int:
        return int(self.t.size)

    @cached_property
    def extremes(self) -> tuple[float, float]:
        """The lowest and the highest reading that is a number; zero twice if none is."""
        finite = self.y[np.isfinite(self.y)]
        return (float(finite.min()), float(finite.max())) if finite.size else (0.0, 0.0)


NOTHING = Readings(np.empty(0), np.empty(0))


@dataclass(frozen=True)
class _Kept:
    """What is in memory of a series: so many chunks, joined; `final` if no more will come."""

    chunks: int
    array: NDArray[np.generic]
    final: bool


class _Shelf:
    """Arrays by series, the longest unused thrown away first."""

    def __init__(self, room: int) -> None:
        self.room = room
        self._lock = threading.Lock()
        self._kept: OrderedDict[int, _Kept] = OrderedDict()

    def take(self, wanted: list[Series], runs: dict[int, Run]) -> dict[int, NDArray[np.generic]]:
        """Give all that is stored of these series, by key; one query for what is not here.

        runs: the run of each stream; while it is recorded, its series grow.
        """
        with self._lock:
            known = {one.pk: self._kept[one.pk] for one in wanted if one.pk in self._kept}
        open_ones = [one for one in wanted if one.pk not in known or not known[one.pk].final]
        fresh = _fresh_chunks({one.pk: known[one.pk].chunks if one.pk in known else 0
                               for one in open_ones})  # fmt: skip
        for one in open_ones:
            dtype = STAMPS if one.quantity_id is None else VALUES
            before = known.get(one.pk, _Kept(0, np.empty(0, dtype), False))
            chunks = fresh.get(one.pk, [])
            run = runs[one.stream_id]
            try:
                joined = _joined(before.array, chunks, dtype)
            except SeriesError as error:
                raise SeriesError(
                    f"Run {run.number}: {error} Hide it to see the others."
                ) from error
            final = run.state != Run.State.RECORDING
            known[one.pk] = _Kept(before.chunks + len(chunks), joined, final)
        with self._lock:
            for key, kept in known.items():
                self._kept[key] = kept
                self._kept.move_to_end(key)
            while sum(kept.array.nbytes for kept in self._kept.values()) > self.room:
                self._kept.popitem(last=False)
        return {key: kept.array for key, kept in known.items()}

    def clear(self) -> None:
        with self._lock:
            self._kept.clear()


def _fresh_chunks(after: dict[int, int]) -> dict[int, list[Chunk]]:
    """Read the chunks of each series from a sequence number on."""
    if not after:
        return {}
    wanted = Q()
    for key, sequence in after.items():
        wanted |= Q(series=key, sequence__gte=sequence)
    rows = SeriesChunk.objects.filter(wanted).order_by("series_id", "sequence")
    fresh: dict[int, list[Chunk]] = {}
    for key, *content in rows.values_list("series_id", "first_index", "count", "data", "crc32"):
        fresh.setdefault(key, []).append(Chunk(*content))
    return fresh


def _joined(
    known: NDArray[np.generic], chunks: list[Chunk], dtype: np.dtype
) -> NDArray[np.generic]:
    if not chunks:
        return known
    added = assemble(chunks, dtype, after=int(known.size))
    return np.concatenate((known, added)) if known.size else added


_shelf = _Shelf(ROOM)


def forget() -> None:
    """Throw away all that is in memory."""
    _shelf.clear()
    _corrected.cache_clear()


def readings(run: Run, quantity: Quantity) -> Readings:
    """Give a run's readings of a quantity; nothing where the run has not measured it."""
    measured = Series.objects.filter(stream__run=run, quantity=quantity)
    found = of_series(list(measured.select_related("stream__run")))
    return found[0] if found else NOTHING


def of_series(wanted: list[Series]) -> list[Readings]:
    """Give the readings of each series; `stream` and its `run` must be loaded with them."""
    streams = {one.stream_id for one in wanted}
    stamps = {
        one.stream_id: one for one in Series.objects.filter(stream__in=streams, quantity=None)
    }
    runs = {one.stream_id: one.stream.run for one in wanted}
    arrays = _shelf.take([*wanted, *stamps.values()], runs)
    return [_readings(one, arrays[one.pk], arrays[stamps[one.stream_id].pk]) for one in wanted]


def _readings(series: Series, raw: NDArray[np.float64], stamps: NDArray[np.int64]) -> Readings:
    origin_us = series.stream.origin_us
    if origin_us is None:
        return NOTHING
    count = min(raw.size, stamps.size)
    return _corrected(_Same((series.pk, count), (raw, stamps)), origin_us, series.zero)


@dataclass(frozen=True)
class _Same:
    """Arrays that are the same while the series and their length are."""

    version: tuple[int, int]
    arrays: tuple[NDArray[np.float64], NDArray[np.int64]] = field(compare=False)


@lru_cache(maxsize=64)
def _corrected(stored: _Same, origin_us: int, zero: float) -> Readings:
    count = stored.version[1]
    raw, stamps = stored.arrays
    return Readings(seconds(stamps[:count], origin_us), Correction(zero).apply(raw[:count]))


def seconds(stamps: NDArray[np.int64], origin_us: int) -> NDArray[np.float64]:
    """Turn the time stamps of a device's clock, in µs, into seconds since the run's t = 0."""
    return (stamps - origin_us) / 1e6
