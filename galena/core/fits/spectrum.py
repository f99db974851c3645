"""Which frequencies stand out of readings: where a wave may begin to be fitted."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from galena.core.loading import later

fft = later("scipy.fft")
signal = later("scipy.signal")

Floats = NDArray[np.float64]
PEAKS = 6  # of each spectrum
_EVEN = 1e-3  # of a step: readings whose steps differ by less are taken as even
_PADDED, _LONG = 4, 100_000  # a spectrum is taken so much finer than its bins; a long one half
_BINS, _FINE = 3, 4  # about a peak of uneven readings: so many bins to either side, so finely
_REFINED, _CLOSELY = 5000, 4  # so many readings tell a peak's place; so many peaks are refined


def frequencies(x: Floats, y: Floats) -> Floats:
    """Give the frequencies, in cycles in a unit of x, that stand out; the strongest first.

    x, y: shape (n,), finite. On uneven steps the readings are interpolated for the Fourier
    transform and its peaks refined by the periodogram of the readings themselves.
    Source: J. D. Scargle, The Astrophysical Journal 263 (1982) 835 (the periodogram).
    """
    order = np.argsort(x, kind="stable")
    places, values = x[order], y[order]
    apart = np.concatenate(([True], np.diff(places) > 0))
    places, values = places[apart], values[apart]
    count, reach = places.size, float(places[-1] - places[0])
    if count < 4:
        return np.empty(0)
    step = reach / (count - 1)
    even = bool(np.max(np.abs(np.diff(places) - step)) <= _EVEN * step)
    if not even:
        grid = np.linspace(places[0], places[-1], 2 * count)
        values_on_grid, step = np.interp(grid, places, values), float(grid[1] - grid[0])
    else:
        values_on_grid = values
    line = np.polynomial.polynomial.polyfit(np.linspace(-1, 1, values_on_grid.size),
                                            values_on_grid, 1)  # fmt: skip
    bent = np.polynomial.polynomial.polyval(np.linspace(-1, 1, values_on_grid.size), line)
    strongest: list[tuple[float, float]] = []
    for flat in (values_on_grid - values_on_grid.mean(), values_on_grid - bent):
        for window in (1.0, np.hanning(flat.size)):
            strongest += _peaks(flat * window, step, 1 / reach)
    most = (count - 1) / (2 * reach)
    slow_enough = [one for one in sorted(strongest, reverse=True) if one[1] <= most]
    kept = _apart([frequency for _, frequency in slow_enough], 0.5 / reach)
    return kept if even else _refined(places, values, kept, 1 / reach)


def _peaks(values: Floats, step: float, bin_width: float) -> list[tuple[float, float]]:
    """List the highest peaks of a spectrum, each with its share of the whole power."""
    padded = _PADDED if values.size < _LONG else _PADDED // 2
    size = fft.next_fast_len(padded * values.size, real=True)
    power = np.abs(fft.rfft(values, size)) ** 2
    whole = float(power.sum()) or 1.0
    top = np.flatnonzero((power[1:-1] >= power[:-2]) & (power[1:-1] > power[2:])) + 1
    top = top[np.argsort(power[top])[::-1]][: 8 * PEAKS]
    peaks: list[tuple[float, float]] = []
    for place in top:
        before, at, behind = power[place - 1 : place + 2]
        bend = before - 2 * at + behind
        off = 0.5 * (before - behind) / bend if bend else 0.0
        frequency = (place + off) / (size * step)
        if all(abs(frequency - other) > bin_width for _, other in peaks):
            peaks.append((float(at) / whole, float(frequency)))
        if len(peaks) == PEAKS:
            break
    return peaks


def _apart(values: list[float], width: float) -> Floats:
    kept: list[float] = []
    for value in values:
        if all(abs(value - other) > width for other in kept):
            kept.append(value)
    return np.array(kept)


def _refined(x: Floats, y: Floats, peaks: Floats, bin_width: float) -> Floats:
    """Move each peak to the highest of the periodogram near it, by the readings themselves."""

    some = np.unique(np.linspace(0, x.size - 1, min(_REFINED, x.size)).astype(int))
    places, values = x[some] - x[0], y[some] - y.mean()
    near = np.arange(-_BINS * _FINE, _BINS * _FINE + 1) * (bin_width / _FINE)
    heights, moved = [], []
    for peak in peaks[:_CLOSELY]:
        tried = peak + near
        tried = tried[tried > 0.1 * bin_width]
        power = signal.lombscargle(places, values, 2 * np.pi * tried)
        best = int(np.argmax(power))
        heights.append(float(power[best]))
        moved.append(float(tried[best]))
    return np.concatenate((np.array(moved)[np.argsort(heights)[::-1]], peaks[_CLOSELY:]))
