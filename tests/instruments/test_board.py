import os
import pty
import subprocess
import sys
import tty
from pathlib import Path

import numpy as np
import pytest

from galena.instruments import address
from galena.instruments.errors import RequestRefused
from galena.instruments.link import Link
from tests.waiting import until

ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture
def board():
    """The example of docs/board on MicroPython, at the end of a serial line."""
    host, device = pty.openpty()
    tty.setraw(device)
    command = [sys.executable, "-m", "tests.instruments.board", "docs/board/damp_gauge.py"]
    process = subprocess.Popen(command, stdin=host, stdout=host, cwd=ROOT)
    yield f"serial:{os.ttyname(device)}"
    process.kill()
    process.wait()
    os.close(device)
    os.close(host)


def test_the_example_board_is_an_instrument(board):
    blocks = []
    link = Link(address.parse(board), lambda link, block, stream: blocks.append(block))
    link.start()
    until(lambda: link.state.health == "well", "the board")
    assert (link.identity.model, link.identity.serial) == ("Damp gauge DG-1", "0301")
    assert [(one.symbol, one.unit, one.max_rate) for one in link.channels] == [("U", "V", 200)]
    with pytest.raises(RequestRefused, match="rate must be above 0 and at most 200"):
        link.restart(5000.0)
    with pytest.raises(RequestRefused, match="unknown request FLY"):
        link.request("FLY")
    blocks.clear()
    link.restart(100.0, lambda *_: None)
    until(lambda: blocks and blocks[-1].sequence[-1] > 100, "readings")
    link.stop()
    sequence = np.concatenate([block.sequence for block in blocks])
    stamps = np.concatenate([block.stamps for block in blocks])
    volts = np.concatenate([block.values[:, 0] for block in blocks])
    first = int(np.flatnonzero(np.diff(sequence, prepend=sequence[0] + 1) <= 0)[-1])
    sequence, stamps, volts = sequence[first:], stamps[first:], volts[first:]
    assert np.all(np.diff(sequence) > 0)
    assert np.all(np.diff(stamps) > 0)
    # What a busy machine made the board miss counts as lost, so that numbers still tell the time.
    assert np.polyfit(sequence, stamps, 1)[0] == pytest.approx(10_000, rel=0.3)
    steps = np.diff(volts)
    assert np.median(steps) == pytest.approx(0.033, abs=0.0011)
    assert link.counts.garbled == 0
