"""How good a line is: the shares of lines that were garbled, lost or sent twice of late."""

from __future__ import annotations

from collections import deque
from dataclasses import astuple

from galena.instruments.protocols.line_v1 import LineCounts

OVER = 5.0  # seconds
_EVERY = 0.5
_WORTH_SAYING = 0.02
_LEAST_LINES = 10


class LineQuality:
    """Looks at the counts of a line twice a second and judges the last `OVER` seconds."""

    def __init__(self, counts: LineCounts) -> None:
        self._counts = counts
        self._seen: deque[tuple[float, tuple[int, ...]]] = deque()
        self._fault: tuple[str, str] | None = None

    def begin(self, now: float) -> None:
        """Forget what was: a new stream starts."""
        self._seen.clear()
        self._seen.append((now, astuple(self._counts)))
        self._fault = None

    def fault(self, now: float) -> tuple[str, str] | None:
        """Give what is wrong with the line and what to check; None while it is good."""
        if not self._seen or now >= self._seen[-1][0] + _EVERY:
            self._seen.append((now, astuple(self._counts)))
            while len(self._seen) > 2 and self._seen[1][0] < now - OVER:
                self._seen.popleft()
            before = self._seen[0][1]
            changed = [new - old for new, old in zip(self._seen[-1][1], before, strict=True)]
            self._fault = _judge(LineCounts(*changed))
        return self._fault


def _judge(lately: LineCounts) -> tuple[str, str] | None:
    lines = lately.good + lately.garbled + lately.repeated + lately.late
    if lines < _LEAST_LINES:
        return None
    again = (lately.repeated + lately.late) / lines
    if again > 0.5:
        return (
            f"it sends lines again and again ({again:.0%} of them)",
            "Readings are still told apart. Switch it off and on.",
        )
    garbled = lately.garbled / lines
    if garbled > _WORTH_SAYING:
        return (
            f"{garbled:.0%} of its lines arrive garbled",
            "Is the cable loose, long, or beside a motor? Is the speed right?",
        )
    lost = lately.lost / (lately.lost + lines)
    if lost > _WORTH_SAYING:
        return (
            f"{lost:.0%} of its readings are lost",
            "Is the cable loose? Fewer readings a second may arrive whole.",
        )
    return None
