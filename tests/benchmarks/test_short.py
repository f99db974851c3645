"""Each benchmark works, at a size so small that it measures nothing: those without a browser."""

import subprocess
import sys
from pathlib import Path

import pytest

from benchmarks.__main__ import ALL, about

ROOT = Path(__file__).parents[2]
OF_BENCH = [one for one in ALL if not one.seconds]  # what `make bench` runs
SHORT = [one.name for one in OF_BENCH if not one.in_a_browser]
IN_A_BROWSER = [one.name for one in OF_BENCH if one.in_a_browser]


def measured(name):
    return subprocess.run(
        [sys.executable, "-m", f"benchmarks.{name}", "--small"],
        cwd=ROOT, capture_output=True, text=True, timeout=1200, check=False,
    )  # fmt: skip


def checked(name):
    """Run a benchmark and see that it has measured something."""
    done = measured(name)
    assert done.returncode == 0, done.stderr[-2000:]
    assert any(one.isdigit() for one in done.stdout)
    assert "Internal Server Error" not in done.stderr


@pytest.mark.parametrize("name", SHORT)
def test_a_benchmark_measures(name):
    checked(name)


def test_make_bench_runs_them_all():
    scripts = {
        one.stem for one in (ROOT / "benchmarks").glob("*.py") if '__main__"' in one.read_text()
    }
    assert scripts - {"__main__", "four_channels"} == {one.name for one in OF_BENCH}
    assert "-m benchmarks\n" in (ROOT / "Makefile").read_text()
    assert all(about(one) for one in ALL)
