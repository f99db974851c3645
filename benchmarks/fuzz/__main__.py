"""Throw junk at all that reads what others have written, for so long, and write what was reached.

Run: python -m benchmarks.fuzz [seconds for each target [target …]]; without a target all of them, and
docs/fuzz.md anew.
"""

import json
import re
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from benchmarks import sizes
from benchmarks.fuzz import corpora
from benchmarks.fuzz.targets import PATIENCE, TARGETS
from benchmarks.machine import machine

ROOT = Path(__file__).parents[2]
REPORT = ROOT / "docs" / "fuzz.md"
AS_SMALL = ["--small"] * sizes.SMALL  # for the processes that are started
WITH_DATABASE = {"experiment files": 100_000, "clips": 10_000, "pages": 100_000}  # pieces aimed at
OPTIONS = (
    "-timeout=30",
    "-rss_limit_mb=3000",
    "-max_len=4000",
    "-verbosity=0",
    "-print_final_stats=1",
)
HEAD = """# Junk, thrown at all that reads what others have written

Made by `make fuzz` on {day}, on {machine}, in {minutes:.0f} minutes. A piece of junk may be refused by
one of Galena's own errors; any other exception, and more than {patience:g} s of the processor, is a
fault. Texts with a shape are made by hypothesis of bytes that atheris chooses by the lines that they
reach; what it found worth keeping is in `benchmarks/fuzz/corpora/`.

| what | pieces | in s | aimed at | faults |
|---|---|---|---|---|
"""


@dataclass(frozen=True)
class Reached:
    """How many pieces of junk a target has taken, and what was wrong."""

    name: str
    pieces: int
    seconds: float
    wanted: int
    faults: tuple[str, ...]

    @property
    def line(self) -> str:
        faults = "none" if not self.faults else f"**{len(self.faults)}**"
        return (
            f"| {self.name} | {self.pieces:,} | {self.seconds:.0f} | {self.wanted:,} | {faults} |"
        )


def led_by_coverage(name: str, seconds: float, wanted: int) -> Reached:
    """Throw junk at one target that needs no database."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        corpora.unpack(name, folder / "corpus")
        command = [sys.executable, "-m", "benchmarks.fuzz.guided", name, *AS_SMALL]
        began = time.monotonic()
        done = subprocess.run(
            [*command, str(folder / "corpus"), *OPTIONS, f"-runs={wanted}",
             f"-max_total_time={seconds:.0f}", f"-artifact_prefix={folder}/"],
            cwd=ROOT, capture_output=True, text=True, check=False, errors="replace",
        )  # fmt: skip
        took = time.monotonic() - began
        counted = re.search(r"stat::number_of_executed_units:\s+(\d+)", done.stderr)
        faults = () if done.returncode == 0 else (f"{done.stdout[-3000:]}\n{done.stderr[-600:]}",)
        if not faults and not sizes.SMALL:
            corpora.keep(name, [one.read_bytes() for one in (folder / "corpus").iterdir()])
        return Reached(name, int(counted[1]) if counted else 0, took, wanted, faults)


def with_database(name: str, seconds: float, wanted: int) -> Reached:
    """Throw junk at what needs a database, in a process of its own."""
    command = [sys.executable, "-m", "benchmarks.fuzz.stored", name, f"{seconds:g}", str(wanted),
               *AS_SMALL]  # fmt: skip
    began = time.monotonic()
    done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
    took = time.monotonic() - began
    if done.returncode:
        return Reached(name, 0, took, wanted, (done.stderr[-4000:],))
    told = json.loads(done.stdout.splitlines()[-1])
    return Reached(name, told["pieces"], told["seconds"], wanted, tuple(told["faults"]))


def main() -> int:
    """Go through the targets; gives how many have faults."""
    words = [one for one in sys.argv[1:] if not one.startswith("--")]
    seconds = float(words[0]) if words else sizes.of(60.0, 2.0)
    began, reached = time.monotonic(), []
    for name in words[1:] or [*TARGETS, *WITH_DATABASE]:
        if name in TARGETS:
            reached.append(led_by_coverage(name, seconds, TARGETS[name].wanted))
        else:
            reached.append(with_database(name, seconds, WITH_DATABASE[name]))
        print(reached[-1].line, *reached[-1].faults, sep="\n", flush=True)
    if not words[1:] and not sizes.SMALL:
        minutes = (time.monotonic() - began) / 60
        head = HEAD.format(day=date.today(), machine=machine(), minutes=minutes, patience=PATIENCE)
        REPORT.write_text(head + "\n".join(one.line for one in reached) + "\n")
    return sum(bool(one.faults) for one in reached)


if __name__ == "__main__":
    sys.exit(1 if main() else 0)
