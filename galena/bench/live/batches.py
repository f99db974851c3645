"""Batches of live readings, as they go to the browsers' painters."""

import base64

import numpy as np

from galena.bench.channel_display.display import Shown
from galena.bench.live.feed import Feed
from galena.instruments.link_state import StreamStart
from galena.instruments.protocols.line_v1 import Block

MOST_A_BATCH = 40  # rows for the strips' traces: beyond, only the least and the greatest are drawn


def batch_of(
    feed: Feed, unsent: list[tuple[StreamStart, Block]], shown: dict[int, Shown]
) -> dict | None:
    used = [
        (column, shown[channel.pk])
        for column, channel in enumerate(feed.channels)
        if channel.pk in shown and shown[channel.pk].used
    ]
    if not used:
        return None
    stamps = np.concatenate([block.stamps for _, block in unsent])
    values = np.concatenate([block.values for _, block in unsent])
    stamps, values = _thinned(stamps, values[:, [column for column, _ in used]])
    columns = [one.correction.apply(values[:, place]) for place, (_, one) in enumerate(used)]
    head = {
        "channels": [one.channel.pk for _, one in used],
        "corrections": [_drawn_by(one) for _, one in used],
        "pace": unsent[-1][0].clock.pace,
    }
    return head | packed(stamps / 1e6, columns)


def _drawn_by(shown: Shown) -> dict:
    """Say how these readings were corrected, so that a trace drawn before can be moved along."""
    done = shown.correction
    return {
        "curve": shown.channel.calibration_id,
        "slope": done.factor * done.sign,
        "taken": done.zero_value,
        "shift": done.shift,
    }


def _thinned(stamps: np.ndarray, values: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Keep of many readings each group's least and greatest, channel by channel."""
    if len(stamps) <= MOST_A_BATCH:
        return stamps, values
    groups = MOST_A_BATCH // 2
    size = len(stamps) // groups
    cut = values[: groups * size].reshape(groups, size, -1)
    table = np.stack([cut.min(axis=1), cut.max(axis=1)], axis=1).reshape(2 * groups, -1)
    times = stamps[: groups * size].reshape(groups, size)
    return times[:, [0, -1]].ravel(), table


def packed(t: np.ndarray, columns: list[np.ndarray]) -> dict:
    """Pack times and columns of readings for the browser's painter.

    float32 after the first time (and so good for pictures only), base64: t, then each column.
    """
    start = float(t[0]) if t.size else 0.0
    table = np.stack([t - start, *columns]).astype("<f4")
    return {
        "t0": start,
        "n": int(t.size),
        "data": base64.b64encode(table.tobytes()).decode("ascii"),
    }
