"""Galena with a clock of the computer's that leaps: a file says by how many seconds it is off.

Run: python -m benchmarks.chaos.leaping FILE serve --port 0
"""

import sys
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

LOOKS_EVERY = 0.05  # s


class LeapingClock:
    """The time of day, and how far it is off by the word of a file."""

    def __init__(self, file: Path) -> None:
        self._file, self._off, self._time = file, 0.0, time.time
        threading.Thread(target=self._follow, daemon=True).start()

    def _follow(self) -> None:
        while True:
            self._off = float(self._file.read_text() or 0)
            time.sleep(LOOKS_EVERY)

    def time(self) -> float:
        return self._time() + self._off

    def now(self) -> datetime:
        return datetime.fromtimestamp(self.time(), UTC)


def main() -> None:
    """Run a command of Galena's with such a clock."""
    clock = LeapingClock(Path(sys.argv.pop(1)))
    time.time = clock.time
    from django.utils import timezone

    timezone.now = clock.now
    from galena.config.commands import main as galena

    galena()


if __name__ == "__main__":
    main()
