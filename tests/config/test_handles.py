"""A server takes the file handles that it may have; each case in a process of its own."""

import subprocess
import sys

import pytest

resource = pytest.importorskip("resource")

ASKED = """
import resource, sys
from galena.config.handles import take_handles
soft, hard, most = map(int, sys.argv[1:])
resource.setrlimit(resource.RLIMIT_NOFILE, (soft, hard))
take_handles(most)
print(*resource.getrlimit(resource.RLIMIT_NOFILE))
"""


@pytest.mark.parametrize(
    "soft, hard, most, taken",
    [
        (256, 1024, 512, 512),  # a system that gives few unless it is asked
        (256, 400, 512, 400),  # no more than it lets
        (600, 1024, 512, 600),  # never fewer than before
    ],
)
def test_handles_are_taken_as_far_as_they_are_let(soft, hard, most, taken):
    command = [sys.executable, "-c", ASKED, str(soft), str(hard), str(most)]
    said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
    assert said.split() == [str(taken), str(hard)]
