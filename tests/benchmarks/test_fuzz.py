"""What junk has found before is taken or refused in words; the fuzzer works, for a moment."""

import random
import subprocess
import sys
from pathlib import Path

import pytest

from benchmarks.fuzz import corpora
from benchmarks.fuzz.__main__ import WITH_DATABASE
from benchmarks.fuzz.targets import TARGETS

ROOT = Path(__file__).parents[2]
SOME = 60


@pytest.mark.parametrize("name", TARGETS)
def test_what_was_found_before_is_no_fault(name):
    chance = random.Random(name)
    some = [chance.randbytes(chance.choice((0, 1, 8, 40, 300))) for _ in range(SOME)]
    for piece in (*corpora.kept(name), *some):
        TARGETS[name](piece)


def test_a_corpus_is_short_and_of_a_target_that_there_is():
    files = {one.stem for one in corpora.FOLDER.glob("*.txt")}
    assert files == {name.replace(" ", "-") for name in TARGETS}
    assert all(one.stat().st_size < 50_000 for one in corpora.FOLDER.glob("*.txt"))


@pytest.mark.parametrize("name", ["tables", "units", *WITH_DATABASE])
def test_junk_is_thrown_for_a_moment(name):
    done = subprocess.run(
        [sys.executable, "-m", "benchmarks.fuzz", "3", name, "--small"],
        cwd=ROOT, capture_output=True, text=True, timeout=1200, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stdout + done.stderr[-3000:]
    pieces = int(done.stdout.split("|")[2].replace(",", ""))
    assert pieces > 0
