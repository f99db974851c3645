"""Each part of the chaos works, at a size so small that it says little, and all of it holds."""

import subprocess
import sys
from pathlib import Path

import pytest

from benchmarks.chaos.__main__ import PARTS
from benchmarks.chaos.power import image, whole_frames

ROOT = Path(__file__).parents[2]


@pytest.mark.parametrize("part", PARTS)
def test_a_part_of_the_chaos_holds(part):
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.chaos", part, "--small"],
        cwd=ROOT, capture_output=True, text=True, timeout=1200, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr[-2000:]
    assert "All of it held." in done.stdout
    assert "Internal Server Error" not in done.stderr


def test_a_log_that_is_none_holds_no_frame():
    assert whole_frames(b"") == whole_frames(bytes(5000)) == []
    assert image(b"pages", b"\x00" * 100) == b"pages"
