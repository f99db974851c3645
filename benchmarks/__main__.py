"""All benchmarks, one after the other, and what they said in docs/measured.md.

Run: python -m benchmarks [name …]; without a name all of them but the whole lesson, which takes half an
hour (lesson:1800). With --small each so short that it only shows that it works; nothing is written then.
"""

import importlib.util
import re
import subprocess
import sys
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from benchmarks import sizes
from benchmarks.machine import machine, million_additions

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs" / "measured.md"


@dataclass(frozen=True)
class Benchmark:
    """A module of this package and what it is about; in_a_browser: whether it drives Chromium;
    seconds: for so long, and only where it is asked for by its key."""

    name: str
    title: str
    in_a_browser: bool = False
    seconds: int = 0

    @property
    def key(self) -> str:
        """How it is asked for."""
        return f"{self.name}:{self.seconds}" if self.seconds else self.name


ALL = (
    Benchmark("answers", "How fast the server answers"),
    Benchmark("first_paint", "When pages are painted", in_a_browser=True),
    Benchmark("live_path", "From a sample to the trace drawn", in_a_browser=True),
    Benchmark("long_class", "A long recording before a class"),
    Benchmark("lesson", "A lesson of 32 groups", in_a_browser=True),
    Benchmark("lesson", "A whole lesson of 32 groups", in_a_browser=True, seconds=1800),
    Benchmark("shown_desk", "A Desk that is shown to all", in_a_browser=True),
    Benchmark("full_bench", "A full Bench", in_a_browser=True),
    Benchmark("armed_pair", "Armed runs of two instruments"),
    Benchmark("desk_window", "One look at a million readings"),
    Benchmark("desk_stack", "Zooming and sliding a million readings", in_a_browser=True),
    Benchmark("hour_on_desk", "An hour of 4 x 1 kHz"),
    Benchmark("growth", "Growth with the length of a run"),
    Benchmark("formulas", "Formulas"),
    Benchmark("findings", "Fits, spans and harvests"),
    Benchmark("straighten", "Straightening"),
    Benchmark("clips", "Clips", in_a_browser=True),
    Benchmark("open_formats", "Open formats"),
)
HEAD = """# What was measured

Made by `make bench` on {machine}. Read the ratios: milliseconds are those of this machine, which
is on some days more than twice as fast as on others. Therefore each section says how long a million
additions in Python took just before it. What each benchmark does stands at the top of its file in
`benchmarks/`.

"""


def said_by(benchmark: Benchmark) -> str:
    """Run a benchmark and give what it printed."""
    words = [sys.executable, "-m", f"benchmarks.{benchmark.name}", *(["--small"] * sizes.SMALL)]
    words += [str(benchmark.seconds)] * bool(benchmark.seconds)
    done = subprocess.run(words, cwd=ROOT, capture_output=True, text=True, check=False)
    if done.returncode:
        sys.exit(f"benchmarks.{benchmark.name} failed:\n{done.stderr[-3000:]}")
    return done.stdout.rstrip()


def about(benchmark: Benchmark) -> str:
    """Give the first paragraph of what a benchmark says about itself."""
    file = importlib.util.find_spec(f"benchmarks.{benchmark.name}").origin
    return Path(file).read_text().split('"""')[1].split("\n\n")[0].strip()


def section(benchmark: Benchmark) -> str:
    """Measure, and give the section of the page."""
    additions = million_additions() * 1e3
    printed = said_by(benchmark)
    print(f"== {benchmark.title}\n{printed}\n", flush=True)
    return (
        f"## {benchmark.title}\n{about(benchmark)}\n\nMeasured on {date.today()}; a million additions "
        f"took {additions:.0f} ms.\n\n```\n{printed}\n```\n"
    )


def sections_of(page: str) -> dict[str, str]:
    """Give the sections of a page by their titles."""
    parts = re.split(r"(?m)^## ", page)[1:]
    return {part.partition("\n")[0]: f"## {part.rstrip()}\n" for part in parts}


def main() -> None:
    """Run those that are wanted, and renew their sections of the page."""
    wanted = [word for word in sys.argv[1:] if not word.startswith("--")]
    for benchmark in ALL:
        if benchmark.key not in wanted if wanted else benchmark.seconds:
            continue
        measured = section(benchmark)
        if not sizes.SMALL:
            sections = sections_of(PAGE.read_text()) | {benchmark.title: measured}
            in_order = [sections[one.title] for one in ALL if one.title in sections]
            PAGE.write_text(HEAD.format(machine=machine()) + "\n".join(in_order))


if __name__ == "__main__":
    main()
