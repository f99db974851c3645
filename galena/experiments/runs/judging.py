"""The second look on a run: gathers what core.second_look asks for, keeps its remarks."""

from collections.abc import Iterator

import numpy as np

from galena.core import symbols
from galena.core.errors import SeriesError
from galena.core.second_look import Remark, recordings, remarks, zeros
from galena.core.second_look.recordings import Channel, Stream
from galena.experiments.data.readings import Readings, with_raw
from galena.experiments.models import Run, Series


def look(run: Run) -> list[Remark]:
    """Look at a run that has ended, or a stepwise one so far, and keep what is remarked on."""
    try:
        given = [remark for remark in run.kind.remarks(run) if remark is not None]
    except SeriesError:
        given = []  # what is damaged is said wherever the run is shown
    run.remarks = [[remark.observation, remark.advice] for remark in dict.fromkeys(given)]
    run.save(update_fields=["remarks"])
    return given


def of_timed(run: Run, *, has_end: bool) -> Iterator[Remark]:
    """Look at a run at a rate, channel by channel, and at what its instruments lost.

    has_end: whether it was to end by itself.
    """
    measured = series_of(run)
    stored = with_raw(measured)
    for series, (readings, raw) in zip(measured, stored, strict=True):
        if not len(readings):
            continue
        name = symbols.plain(series.quantity.symbol)
        for remark in remarks("channel", _seen(run, series, readings, raw, has_end)):
            yield Remark(f"{name}: {remark.observation}", remark.advice)
    for stream in run.streams.all():
        of_it = zip(measured, stored, strict=True)
        sizes = [raw.size for series, (_, raw) in of_it if series.stream_id == stream.pk]
        yield from remarks("stream", Stream(max(sizes, default=0), stream.lost, stream.garbled))
    yield from never_zeroed(measured)


def _seen(run: Run, series: Series, readings: Readings, raw: np.ndarray, has_end: bool) -> Channel:
    return Channel(
        readings.t, readings.y, raw[: len(readings)], series.max_rate or run.rate or 1.0,
        series.minimum, series.maximum, series.resolution, series.unit, has_end,
    )  # fmt: skip


def series_of(run: Run) -> list[Series]:
    """Give what the instruments of a run measured."""
    measured = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return list(measured.select_related("quantity", "stream__run"))


def of_limits(series: Series, raw: np.ndarray) -> Remark | None:
    """Remark on raw readings at the end of what the channel can read."""
    nothing = np.empty(0)
    seen = Channel(
        nothing, nothing, raw, 0.0, series.minimum, series.maximum, series.resolution,
        series.unit, False,
    )  # fmt: skip
    return recordings.of_limits(seen)


def never_zeroed(measured: list[Series]) -> list[Remark]:
    """Remark on force-like channels that were not zeroed before the run."""
    names = [
        series.quantity.name
        for series in measured
        if series.zero is None and zeros.needs_zero(series.unit) and series.calibration is None
    ]
    return remarks("plan", list(dict.fromkeys(names)))
