"""Break what can break in a room, count what is left, and write a report of it.

Run: python -m benchmarks.chaos [part …]; without a part all of them, and docs/chaos.md anew; with one
its section anew.
"""

import sys
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path

from benchmarks import sizes
from benchmarks.chaos import changes, kills, limits, links, power, stuck
from benchmarks.chaos.outcome import Outcome
from benchmarks.machine import machine

REPORT = Path(__file__).parents[2] / "docs" / "chaos.md"
PARTS: dict[str, Callable[[], Outcome]] = {
    "kills": lambda: kills.part(sizes.of(100, 1)),
    "changes": lambda: changes.part(sizes.of(20, 4)),
    "power": lambda: power.part(sizes.of(200, 8), sizes.of(8.0, 1.0)),
    "links": lambda: links.part(sizes.of(20.0, 2.0), sizes.of(50, 2)),
    "limits": lambda: limits.part(sizes.of(10, 1)),
    "stuck": lambda: stuck.part(sizes.of(32, 2), sizes.of(60.0, 2.0)),
}
HEAD = """# What is broken on purpose, and what is left of it

Made by `make chaos` on {day}, on {machine}, in {minutes:.0f} minutes. A board whose every reading
follows from its time stamp tells what was sent; what was stored is read without Galena and compared
bit for bit. How each part is done stands in `benchmarks/chaos/`.

"""


def main() -> int:
    """Go through the parts; gives how many things did not hold."""
    wanted = [one for one in sys.argv[1:] if not one.startswith("--")] or list(PARTS)
    began, outcomes = time.monotonic(), []
    for name in wanted:
        outcomes.append(PARTS[name]())
        print(outcomes[-1].markdown(), flush=True)
    if not sizes.SMALL:
        minutes = (time.monotonic() - began) / 60
        if wanted == list(PARTS):
            head = HEAD.format(day=date.today(), machine=machine(), minutes=minutes)
            REPORT.write_text(head + "\n".join(one.markdown() for one in outcomes))
        elif REPORT.exists():
            REPORT.write_text(_with_sections(REPORT.read_text(), outcomes))
    return sum(len(one.broken) for one in outcomes)


def _with_sections(report: str, outcomes: list[Outcome]) -> str:
    """Put sections into a report in the place of those with the same titles."""
    head, *sections = report.split("\n## ")
    anew = {one.title: one.markdown().removeprefix("## ").rstrip() for one in outcomes}
    kept = [anew.get(one.partition("\n")[0], one.rstrip()) for one in sections]
    return "\n\n## ".join([head.rstrip(), *kept]) + "\n"


if __name__ == "__main__":
    sys.exit(1 if main() else 0)
