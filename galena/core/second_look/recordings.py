"""Remarks on a finished recording: each looks at one way in which a run may be poor.

Every function takes what was recorded and gives a Remark or None; none changes anything. They
are cautious: a good run is never remarked on, at the price of saying nothing in doubt.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.noise import quiet_scatter
from galena.core.second_look.remark import Remark

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Channel:
    """What a channel gave to a run: times in s, corrected and raw readings, all of shape (n,), the
    rate in 1/s that it can give, its limits and least step where they are known (in `unit`), and
    whether the run was to end by itself."""

    t: Floats
    y: Floats
    raw: Floats
    max_rate: float
    minimum: float | None
    maximum: float | None
    resolution: float | None
    unit: str
    has_end: bool


@dataclass(frozen=True)
class Stream:
    """How many readings an instrument gave to a run, and how many lines were lost or garbled."""

    taken: int
    lost: int
    garbled: int


ENOUGH_ACROSS = 6  # readings across a steep part by which its shape is known
STUCK_READINGS = 20
STUCK_SECONDS = 5.0
LEFT_TO_GO = 0.1  # share of the way that may be left at the end
_BINS = 120
_DECIDED = 5.0  # difference of log-likelihoods that decides between two shapes


def too_few_across(t: Floats, y: Floats, max_rate: float) -> Remark | None:
    """Remark on a steep part that too few readings describe.

    The steep part is the run of changes of one sign about the greatest change between
    neighbours; what counts are the readings between a tenth and nine tenths of its height.
    t in s, y in any unit, both of shape (n,); max_rate: what the channel can give, in 1/s.
    """
    good = np.isfinite(y)
    t, y = t[good], y[good]
    if y.size < 8:
        return None
    changes = np.diff(y)
    noise = quiet_scatter(y)
    steepest = int(np.argmax(np.abs(changes)))
    reach = float(np.ptp(y))
    if not reach or abs(changes[steepest]) < max(8 * noise, 0.02 * reach):
        return None
    first, last = _steep_part(changes, steepest, noise)
    height = float(y[last] - y[first])
    if abs(height) < max(0.25 * reach, 20 * noise):
        return None
    share = (y[first : last + 1] - y[first]) / height
    across = int(np.count_nonzero((share > 0.1) & (share < 0.9)))
    interval = float(np.median(np.diff(t)))
    rate = min(_round_up(2 * ENOUGH_ACROSS / max(across, 1) / interval), max_rate)
    if across >= ENOUGH_ACROSS or rate * interval < 1.5:  # nothing could be done about it
        return None
    count = "no reading" if not across else f"only {across} reading{'s' if across > 1 else ''}"
    sentence = (
        f"{count.capitalize()} across the fastest part: its height and steepness are uncertain."
    )
    return Remark(sentence, f"Try {numbers.grouped(round(rate))} a second.")


def at_limit(raw: Floats, lo: float, hi: float, resolution: float, unit: str) -> Remark | None:
    """Remark on readings at the end of what the sensor can read; raw: shape (n,)."""
    edge = resolution / 2
    for limit, stuck in ((hi, raw >= hi - edge), (lo, raw <= lo + edge)):
        count = int(np.count_nonzero(stuck))
        if count:
            text = f"{limit:g} {unit}".replace("-", numbers.MINUS).strip()
            readings = "One reading is" if count == 1 else f"{numbers.grouped(count)} readings are"
            return Remark(
                f"{readings} at the sensor's limit of {text}: what lay beyond was not seen.",
                "Repeat it with less, or with a sensor of a wider range.",
            )
    return None


def of_limits(seen: Channel) -> Remark | None:
    """Remark on raw readings at the limits of a channel, where these are known."""
    if seen.minimum is None or seen.maximum is None or not seen.resolution:
        return None
    return at_limit(seen.raw, seen.minimum, seen.maximum, seen.resolution, seen.unit)


def identical(t: Floats, raw: Floats) -> Remark | None:
    """Remark on a long stretch of the very same reading amid others that vary.

    Long is at least 20 readings and 5 s, and five times any other such stretch.
    """
    good = np.isfinite(raw)
    t, raw = t[good], raw[good]
    if raw.size < STUCK_READINGS:
        return None
    starts = np.flatnonzero(np.append(True, raw[1:] != raw[:-1]))
    lengths = np.diff(np.append(starts, raw.size))
    longest = int(np.argmax(lengths))
    count = int(lengths[longest])
    others = np.delete(lengths, longest)
    lasts = float(t[starts[longest] + count - 1] - t[starts[longest]])
    if count < STUCK_READINGS or lasts < STUCK_SECONDS:
        return None
    if others.size and count < 5 * int(others.max()):
        return None
    begun = float(t[starts[longest]])
    return Remark(
        f"{numbers.grouped(count)} readings from t = {_short(begun)} s on are the very same.",
        "Was the sensor plugged in and free to follow? Repeat the run if it was not.",
    )


def lines_lost(taken: int, lost: int, garbled: int) -> Remark | None:
    """Remark on readings that never arrived, or arrived garbled."""
    missing = max(lost, garbled)
    if missing <= 0:
        return None
    share = missing / max(1, taken + missing)
    percent = f"{100 * share:.1f} %" if share >= 0.001 else "under 0.1 %"
    what = "One reading was" if missing == 1 else f"{numbers.grouped(missing)} readings were"
    return Remark(
        f"{what} lost on the way ({percent}); the gap is left open.",
        "Check the cable, and a slower rate if many are lost.",
    )


def not_settled(t: Floats, y: Floats) -> Remark | None:
    """Remark on a signal that was still on its way to a level when the run ended.

    The last half of the run is compared with an approach to a level, a + b exp(-t/τ), and with
    a parabola, which has as many parameters. Only where the approach fits clearly better, and
    more than a tenth of the way is left, there is a remark.
    """
    binned = _last_half(t, y)
    if binned is None:
        return None
    x, means = binned
    curve = np.stack([np.ones_like(x), x, x * x], axis=1)
    parabola = _left_over(curve, means)[0]
    fits = []
    for tau in np.geomspace(0.1, 2.0, 40):
        design = np.stack([np.ones_like(x), np.exp(-x / tau)], axis=1)
        fits.append((*_left_over(design, means), tau))
    left, coefficients, tau = min(fits, key=lambda one: one[0])
    floor = 1e-12 * float(means @ means) + 1e-300
    if x.size / 2 * math.log((parabola + floor) / (left + floor)) < _DECIDED:
        return None
    to_go = float(coefficients[1]) * math.exp(-1 / tau)
    start = float(np.nanmean(y[: max(1, y.size // _BINS)]))
    whole = abs(float(coefficients[0]) - start)
    if abs(to_go) <= LEFT_TO_GO * whole or whole == 0:
        return None
    share = min(99, round(100 * abs(to_go) / whole))
    return Remark(
        f"It had not settled at the end: about {share} % of the way was left.",
        "Record longer if you want to see where it settles.",
    )


def unchanged_steps(
    settings: Floats, y: Floats, u: Floats, *, name: str = "the setting", live: bool = False
) -> dict[int, Remark]:
    """Remark, by row, on stepwise readings that did not change though the setting did.

    settings, y and their standard uncertainties u: shape (n,), as they were taken; name: what
    was set. A row counts as unchanged where it differs from the one before by no more than
    chance has it, while the changes before and after it are large. With `live` the last row is
    judged by the one before.
    """
    remarks: dict[int, Remark] = {}
    for row in range(1, y.size):
        is_known = np.isfinite([y[row], y[row - 1], settings[row], settings[row - 1]]).all()
        if not is_known or settings[row] == settings[row - 1]:
            continue
        chance = 3 * math.hypot(_or_zero(u[row]), _or_zero(u[row - 1]))
        change = abs(float(y[row] - y[row - 1]))
        around = [abs(float(y[row - 1] - y[row - 2]))] if row >= 2 else []
        if row + 1 < y.size:
            around.append(abs(float(y[row + 1] - y[row])))
        if len(around) < (1 if live else 2) or not all(map(math.isfinite, around)):
            continue
        large = min(around)
        if change <= max(chance, 0.02 * large) and large > max(4 * chance, 10 * change):
            remarks[row] = Remark(f"The same as before, though {name} changed.", "Take it again.")
    return remarks


def _steep_part(changes: Floats, steepest: int, noise: float) -> tuple[int, int]:
    sign = math.copysign(1.0, changes[steepest])
    least = max(3 * noise, 0.02 * abs(float(changes[steepest])))
    first = last = steepest
    while first > 0 and sign * changes[first - 1] > least:
        first -= 1
    while last + 1 < changes.size and sign * changes[last + 1] > least:
        last += 1
    return first, last + 1


def _round_up(rate: float) -> float:
    power = 10.0 ** math.floor(math.log10(rate))
    return next(step * power for step in (1, 2, 5, 10) if step * power >= rate * (1 - 1e-9))


def _last_half(t: Floats, y: Floats) -> tuple[Floats, Floats] | None:
    """Give means of the last half in equal stretches of time, the times from 0 to 1."""
    if t.size < 40 or not t[-1] > t[0]:
        return None
    first = int(np.searchsorted(t, (t[0] + t[-1]) / 2))
    x, part = (t[first:] - t[first]) / (t[-1] - t[first]), y[first:]
    good = np.isfinite(part)
    x, part = x[good], part[good]
    if x.size < 20:
        return None
    bins = min(_BINS, x.size // 2)
    edges = np.searchsorted(x, np.linspace(0, 1, bins + 1)[:-1])
    edges = np.unique(edges[edges < x.size])
    sizes = np.diff(np.append(edges, x.size))
    return np.add.reduceat(x, edges) / sizes, np.add.reduceat(part, edges) / sizes


def _left_over(design: Floats, values: Floats) -> tuple[float, Floats]:
    coefficients, *_ = np.linalg.lstsq(design, values, rcond=None)
    left: Floats = values - design @ coefficients
    return float(left @ left), np.asarray(coefficients, dtype=np.float64)


def _or_zero(u: float) -> float:
    return float(u) if math.isfinite(u) else 0.0


def _short(value: float) -> str:
    return f"{value:.4g}".replace("-", numbers.MINUS)
