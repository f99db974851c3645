"""What the strips and the instruments' cards show now, each number as it is to be read."""

import math
from dataclasses import dataclass, field

import numpy as np

from galena.bench.channel_display.display import Shown
from galena.bench.live.feed import Feed
from galena.core import matching, numbers, statistics
from galena.core.errors import TooFewReadings
from galena.core.noise import honest_decimals, scatter
from galena.core.second_look import Remark, remarks
from galena.core.second_look.readings import Digits

ENOUGH = 2000  # readings for a standard deviation to within two per cent


@dataclass
class Strip:
    """A channel's latest readings in an experiment's terms; nothing where there are none."""

    shown: Shown
    feed: Feed
    column: int
    values: np.ndarray = field(default_factory=lambda: np.empty(0))
    raw: np.ndarray = field(default_factory=lambda: np.empty(0))

    @property
    def latest(self) -> float:
        return float(self.values[-1]) if self.values.size else math.nan

    @property
    def mean(self) -> float:
        """The mean of the last second: steadier than the latest reading, for matching."""
        finite = self.values[-(self.values.size // 2) :]
        finite = finite[np.isfinite(finite)]
        return float(finite.mean()) if finite.size else math.nan

    @property
    def noise(self) -> float:
        """Standard deviation of the last two seconds; not a number where it cannot be told."""
        try:
            # Of many readings every so manieth tells the same, at a hundredth of the cost.
            return statistics.describe(self.values[:: max(1, self.values.size // ENOUGH)]).sd
        except TooFewReadings:
            return math.nan

    @property
    def scatter(self) -> float:
        """Standard deviation about what the readings follow, from the latest of them."""
        return scatter(self.values[-ENOUGH:])

    @property
    def remark(self) -> Remark | None:
        """What is wrong with the readings, if something is."""
        if not self.raw.size:
            return None
        channel = self.shown.channel
        if not math.isfinite(float(self.raw[-1])):
            return Remark("It sends no number.", "Is the sensor plugged into the instrument?")
        edge = channel.resolution / 2
        for limit, over in (
            (channel.maximum, self.raw >= channel.maximum - edge),
            (channel.minimum, self.raw <= channel.minimum + edge),
        ):
            if over.any():
                begin = "It is" if over[-1] else "Some readings are"
                text = f"{limit:g} {channel.unit}".replace("-", numbers.MINUS)
                return Remark(f"{begin} at the limit of {text}.", "What lies beyond is not seen.")
        if (lasted := self.feed.stuck_for(self.column)) > 0:
            return Remark(
                f"The very same reading for {lasted:.0f} s.",
                "Is the sensor plugged in? Move it a little and see.",
            )
        return None


def read(feed: Feed, shown: dict[int, Shown]) -> list[Strip]:
    """Give the strips of a live feed, in its order; those switched off are left out."""
    recent = feed.recent()
    strips = []
    for column, channel in enumerate(feed.channels):
        display = shown.get(channel.pk)
        if display is None or not display.used:
            continue
        raw = recent[:, column] if column < recent.shape[1] else np.empty(0)
        values = display.correction.apply(raw) if raw.size else raw
        strips.append(Strip(display, feed, column, values, raw))
    return strips


def as_data(strip: Strip) -> dict:
    """Say what a strip shows, ready for JSON."""
    shown, latest, noise = strip.shown, strip.latest, strip.noise
    share = (latest - shown.lo) / (shown.hi - shown.lo)
    remark = strip.remark
    scatter = strip.scatter
    suggested = honest_decimals(scatter, shown.resolution)
    digits = remarks("reading", Digits(shown.decimals, suggested)) if math.isfinite(scatter) else []
    curve = shown.correction.calibration
    return {
        "channel": shown.channel.pk,
        "text": numbers.fixed(latest, shown.decimals),
        "noise": numbers.significant(noise) if math.isfinite(noise) else "–",
        "value": latest if math.isfinite(latest) else None,
        "level": round(min(1.0, max(0.0, share)), 4) if math.isfinite(share) else None,
        "raw": _raw(strip),
        "remark": str(remark) if remark else "",
        "digits": " ".join(map(str, digits)),
        "shared": _shared(strip) if curve else "",
    }


def _raw(strip: Strip) -> str:
    channel = strip.shown.channel
    latest = float(strip.raw[-1]) if strip.raw.size else math.nan
    return numbers.fixed(latest, channel.decimals)


def _shared(strip: Strip) -> str:
    """Say the standard uncertainty that the calibration brings to the latest reading."""
    if not strip.raw.size or not math.isfinite(strip.latest):
        return ""
    u = float(strip.shown.correction.shared_uncertainty(strip.raw[-1:])[0])
    return numbers.significant(u) if u > 0 else ""


def matched(strips: list[Strip], tolerance: float) -> dict[int, dict]:
    """Compare the strips of the commonest unit; says of each how it stands, by channel."""
    group = most_alike(strips)
    matches = matching.match([strip.mean for strip in group], tolerance)
    if matches is None:
        return {}
    compared = {}
    for strip, off in zip(group, matches.off, strict=True):
        text = numbers.fixed(abs(off), max(strip.shown.decimals, 0))
        compared[strip.shown.channel.pk] = {
            "words": matching.in_words(off, tolerance, text),
            "matched": abs(off) <= tolerance,
            "level": matches.level,
            "tolerance": tolerance,
        }
    return compared


def most_alike(strips: list[Strip]) -> list[Strip]:
    """Give the strips of the unit that most of them have."""
    by_unit: dict[str, list[Strip]] = {}
    for strip in strips:
        by_unit.setdefault(strip.shown.unit, []).append(strip)
    return max(by_unit.values(), key=len, default=[])


def state_of(feed: Feed, strips: list[Strip]) -> dict:
    """Say how an instrument is: the link first, then its channels."""
    state = feed.link.state
    if feed.twin:
        return {
            "health": "strange",
            "reason": f"{feed.twin} says that it has the same serial",
            "advice": "Two instruments cannot be one. Unplug one of them, or set its serial anew.",
        }
    if state.health == "well":
        for strip in strips:
            if (remark := strip.remark) is not None:
                reason = (
                    f"{strip.shown.name}: {remark.observation[0].lower()}{remark.observation[1:]}"
                )
                return {"health": "poor", "reason": reason.rstrip("."), "advice": remark.advice}
    reason = f"well · {state.reason}" if state.health == "well" else state.reason
    return {"health": state.health, "reason": reason, "advice": state.advice}
