"""Readings of runs as arrays: read once from the disk, then kept in memory while there is room.

A finished chunk never changes, so what is in memory stays true; a run that is being recorded
only grows, and only its new chunks are read.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from django.db.models import F, Q, QuerySet
from numpy.typing import NDArray

from galena.core.decimate import Blocks
from galena.core.errors import SeriesError
from galena.core.series import STAMPS, VALUES, Chunk, assemble
from galena.experiments.data.cache import Cache
from galena.experiments.models import Quantity, Run, Series, SeriesChunk

ROOM = 500_000_000  # bytes of stored readings, and as many of corrected ones


@dataclass(frozen=True)
class Readings:
    """Times since the start of the run in s and the corrected readings, both of shape (n,).

    `shared` is the standard uncertainty that the calibration brings to each reading, the same
    error in all of them; None where there is no calibration. `u_zero` is that of the zero, the
    same shift of all. `u` is the standard uncertainty
    of each by itself, and `u_x` that of its place on another x; None where they are not known.
    `aside` tells which were set aside; None
    where none was.
    """

    t: NDArray[np.float64]
    y: NDArray[np.float64]
    shared: NDArray[np.float64] | None = None
    u: NDArray[np.float64] | None = None
    aside: NDArray[np.bool_] | None = None
    u_x: NDArray[np.float64] | None = None
    rows: NDArray[np.intp] | None = None
    u_zero: float = 0.0

    def __len__(self) -> int:
        return int(self.t.size)

    @cached_property
    def extremes(self) -> tuple[float, float]:
        """The lowest and the highest reading that is a number; zero twice if none is."""
        finite = self.y[np.isfinite(self.y)]
        return (float(finite.min()), float(finite.max())) if finite.size else (0.0, 0.0)

    @cached_property
    def extremes_above_zero(self) -> tuple[float, float]:
        """The lowest and the highest reading above zero; twice not a number if none is."""
        above = self.y[np.isfinite(self.y) & (self.y > 0)]
        return (float(above.min()), float(above.max())) if above.size else (math.nan, math.nan)

    @cached_property
    def gaps(self) -> NDArray[np.intp]:
        """The places of what is no number, ascending."""
        return np.flatnonzero(~np.isfinite(self.y))

    @cached_property
    def blocks(self) -> Blocks:
        """The extremes of blocks of readings."""
        return Blocks.of(self.y)

    def at(self, which: slice | NDArray[np.intp] | NDArray[np.bool_]) -> "Readings":
        """Give some of the readings."""
        optional = ("shared", "u", "aside", "u_x", "rows")
        parts = {name: getattr(self, name) for name in optional}
        parts = {name: None if part is None else part[which] for name, part in parts.items()}
        return Readings(self.t[which], self.y[which], u_zero=self.u_zero, **parts)

    @property
    def shared_by_all(self) -> NDArray[np.float64] | None:
        """What calibration and zero bring to each reading together; None where neither does."""
        if not self.u_zero:
            return self.shared
        return np.hypot(
            0.0 if self.shared is None else self.shared, np.full(len(self), self.u_zero)
        )

    @cached_property
    def combined(self) -> NDArray[np.float64] | None:
        """The combined standard uncertainty of each reading; None where none is known.

        That of the zero alone would make a reading look far better than it is.
        """
        if self.u is None and self.shared is None:
            return None
        parts = [part for part in (self.u, self.shared_by_all) if part is not None]
        return parts[0] if len(parts) == 1 else np.hypot(*parts)

    @property
    def counted(self) -> "Readings":
        """The readings that calculations take: all but those set aside."""
        return self if self.aside is None else self.at(~self.aside)


NOTHING = Readings(np.empty(0), np.empty(0))


@dataclass(frozen=True)
class _Kept:
    """What is in memory of a series: so many chunks, joined; `final` if no more will come."""

    chunks: int
    array: NDArray[np.generic]
    final: bool


_stored: Cache[_Kept] = Cache(ROOM)
_corrected: Cache[Readings] = Cache(ROOM)


def _take(wanted: list[Series], runs: dict[int, Run]) -> dict[int, NDArray]:
    """Give all that is stored of these series, by key; one query for what is not in memory.

    runs: the run of each stream; while it is recorded, its series grow.
    """
    held = {series.holder_id: series for series in wanted}
    taken = {key: kept for key in held if (kept := _stored.get(key)) is not None}
    after = {
        key: taken[key].chunks if key in taken else 0
        for key in held if key not in taken or not taken[key].final
    }  # fmt: skip
    fresh = _fresh_chunks(after)
    for key in after:
        series = held[key]
        dtype = STAMPS if series.quantity_id is None else VALUES
        before = taken.get(key, _Kept(0, np.empty(0, dtype), False))
        chunks = fresh.get(key, [])
        run = runs[series.stream_id]
        joined = _joined(run, before.array, chunks, dtype)
        taken[key] = _Kept(before.chunks + len(chunks), joined, not run.is_growing)
        _stored.put(key, taken[key], joined.nbytes)
    return {series.pk: taken[series.holder_id].array for series in wanted}


def _fresh_chunks(after: dict[int, int]) -> dict[int, list[Chunk]]:
    """Read the chunks of each series from a sequence number on."""
    if not after:
        return {}
    # A database refuses a condition of hundreds of parts: most series are wanted from the start.
    wanted = Q(series__in=[key for key, sequence in after.items() if sequence == 0])
    for key, sequence in after.items():
        if sequence:
            wanted |= Q(series=key, sequence__gte=sequence)
    return _by_series(SeriesChunk.objects.filter(wanted))


def _by_series(chunks: QuerySet[SeriesChunk]) -> dict[int, list[Chunk]]:
    """Read chunks, those of each series in their order."""
    of: dict[int, list[Chunk]] = {}
    rows = chunks.order_by("series_id", "sequence")
    columns = rows.values_list("series_id", "first_index", "count", "data", "crc32")
    for key, first_index, count, data, crc32 in columns:
        of.setdefault(key, []).append(Chunk(first_index, count, bytes(data), crc32))
    return of


def _joined(run: Run, before: NDArray, chunks: list[Chunk], dtype: np.dtype) -> NDArray:
    """Give what was before and what the chunks after it add."""
    if not chunks:
        return before
    added = _assembled(run, chunks, dtype, int(before.size))
    return np.concatenate((before, added)) if before.size else added


def _assembled(run: Run, chunks: list[Chunk], dtype: np.dtype, after: int) -> NDArray:
    try:
        return assemble(chunks, dtype, after)
    except SeriesError as error:
        raise SeriesError(f"Run {run.number}: {error} Hide it to see the others.") from error


def readings(run: Run, quantity: Quantity) -> Readings:
    """Give a run's readings of a quantity; nothing where the run has not measured it."""
    measured = Series.objects.filter(stream__run=run, quantity=quantity)
    of_all = of_series(list(measured.select_related("quantity", "stream__run")))
    return of_all[0] if of_all else NOTHING


def of_series(wanted: list[Series], stamps: Iterable[Series] | None = None) -> list[Readings]:
    """Give the readings of each series; quantity, stream and its run must be loaded with them.

    stamps: the series of their time stamps, where they are at hand.
    """
    return [corrected for corrected, _ in with_raw(wanted, stamps)]


def with_raw(
    wanted: list[Series], stamps: Iterable[Series] | None = None
) -> list[tuple[Readings, NDArray[np.float64]]]:
    """Give the readings of each series as `of_series` does, and beside them all its raw ones."""
    if stamps is None:
        streams = {one.stream_id for one in wanted}
        stamps = Series.objects.filter(stream__in=streams, quantity=None)
    stamps_of = {one.stream_id: one for one in stamps}
    runs = {one.stream_id: one.stream.run for one in wanted}
    needed = [stamps_of[stream] for stream in runs]
    arrays = _take([*wanted, *needed], runs)
    return [
        (_readings(one, arrays[one.pk], arrays[stamps_of[one.stream_id].pk]), arrays[one.pk])
        for one in wanted
    ]


def rest_of(wanted: list[Series], first: int) -> list[Readings]:
    """Give the readings of series of one stream from an index on: what a page has missed of a run
    that goes on. Only that is read, and nothing of it is kept, for soon there is more.

    Quantity, stream and its run must be loaded with the series.
    """
    run = wanted[0].stream.run
    stamps = Series.objects.filter(stream=wanted[0].stream_id, quantity=None)
    held = {series.holder_id: series for series in (*wanted, *stamps)}
    later = SeriesChunk.objects.filter(series__in=held, first_index__gt=first - F("count"))
    chunks_of = _by_series(later)
    raw: dict[int, NDArray] = {}
    for key, series in held.items():
        dtype = STAMPS if series.quantity_id is None else VALUES
        chunks = chunks_of.get(key, [])
        start = min(first, chunks[0].first_index) if chunks else first
        raw[series.pk] = _assembled(run, chunks, dtype, start)[max(0, first - start) :]
    (times,) = (raw[series.pk] for series in stamps)
    return [_corrected_readings(series, raw[series.pk], times) for series in wanted]


def raw_of(wanted: list[Series]) -> dict[int, NDArray[np.float64]]:
    """Give all raw readings of each series, by key; stream and its run must be loaded with them."""
    return _take(wanted, {one.stream_id: one.stream.run for one in wanted}) if wanted else {}


def _readings(series: Series, raw: NDArray[np.float64], stamps: NDArray[np.int64]) -> Readings:
    origin_us = series.stream.origin_us
    if origin_us is None:
        return NOTHING
    count = min(raw.size, stamps.size)  # a chunk may have been written between the two
    correction, scale = series.correction, series.stream.scale
    key = (series.pk, count, origin_us, scale, correction)
    corrected = _corrected.get(key)
    if corrected is None:
        corrected = _corrected_readings(series, raw, stamps)
        grows = (series.pk, origin_us, scale, correction) if series.stream.run.is_growing else None
        size = corrected.t.nbytes + corrected.y.nbytes * (1 if corrected.shared is None else 2)
        _corrected.put(key, corrected, size, state_of=grows)
    return corrected


def _corrected_readings(
    series: Series, raw: NDArray[np.float64], stamps: NDArray[np.int64]
) -> Readings:
    """Apply what is set for a series to what is stored of it."""
    origin_us = series.stream.origin_us
    if origin_us is None:
        return NOTHING
    count = min(raw.size, stamps.size)  # a chunk may have been written between the two
    correction = series.correction
    t = seconds(stamps[:count], origin_us, series.stream.scale)
    shared = None
    if correction.calibration is not None:
        shared = correction.curve_uncertainty(raw[:count])
    y = correction.apply(raw[:count])
    return Readings(t, y, shared, u_zero=correction.zero_uncertainty)


def seconds(stamps: NDArray[np.int64], origin_us: int, scale: float = 1.0) -> NDArray[np.float64]:
    """Turn the time stamps of a device's clock, in µs, into seconds since the run's t = 0."""
    return np.asarray((stamps - origin_us) * scale / 1e6, dtype=np.float64)
