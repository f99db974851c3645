"""What a benchmark was run on, and how fast that is just now."""

import os
import platform
import re
import time
from pathlib import Path


def machine() -> str:
    """Name this computer: its processor, how many cores, and the memory."""
    processor = re.search(r"model name\s*: (.*)", _read("/proc/cpuinfo"))
    memory = re.search(r"MemTotal:\s+(\d+)", _read("/proc/meminfo"))
    parts = [
        f"{os.cpu_count()} cores of {processor[1] if processor else platform.machine()}",
        f"{int(memory[1]) / 1e6:.0f} GB of memory" if memory else "",
        f"{platform.system()}, Python {platform.python_version()}",
    ]
    return ", ".join(one for one in parts if one)


def million_additions() -> float:
    """Give the seconds that a million additions in Python take now: the best of five times."""
    return min(_additions() for _ in range(5))


def _additions() -> float:
    began, total = time.perf_counter(), 0
    for number in range(1_000_000):
        total += number
    return time.perf_counter() - began


def _read(name: str) -> str:
    file = Path(name)
    return file.read_text() if file.exists() else ""
