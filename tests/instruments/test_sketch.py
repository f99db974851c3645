"""The example sketch, compiled for this computer, at the end of a serial line."""

import os
import pty
import subprocess
import tty
from pathlib import Path

import numpy as np
import pytest

from galena.config.commands import main
from galena.instruments import address
from galena.instruments.board_check import check_board
from galena.instruments.errors import RequestRefused
from galena.instruments.link import Link
from tests.instruments import speaking
from tests.waiting import until

ROOT = Path(__file__).resolve().parents[2]
SKETCH = ROOT / "docs" / "board" / "tide_stick" / "tide_stick.ino"
SHIM = Path(__file__).parent / "sketch"
MOST_LINES = 200


@pytest.fixture(scope="module")
def program(tmp_path_factory):
    target = tmp_path_factory.mktemp("sketch") / "tide_stick"
    command = ["g++", "-std=c++17", "-Wall", "-Wextra", "-Werror", "-O1", f"-I{SHIM}"]
    command += [f'-DSKETCH="{SKETCH}"', str(SHIM / "board.cpp"), "-o", str(target)]
    subprocess.run(command, check=True)
    return target


@pytest.fixture
def port(program):
    host, device = pty.openpty()
    tty.setraw(device)
    process = subprocess.Popen([program], stdin=host, stdout=host)
    yield os.ttyname(device)
    process.kill()
    process.wait()
    os.close(device)
    os.close(host)


def test_the_sketch_is_short_and_needs_no_library():
    text = SKETCH.read_text()
    assert len(text.splitlines()) <= MOST_LINES
    assert "#include" not in text


def test_the_sketch_is_an_instrument(port):
    blocks = []
    link = Link(address.parse(f"serial:{port}"), lambda link, block, stream: blocks.append(block))
    link.start()
    until(lambda: link.state.health == "well", "the board")
    assert (link.identity.model, link.identity.serial) == ("Tide stick TS-2", "0302")
    assert [(one.symbol, one.unit) for one in link.channels] == [("h", "mm"), ("g", "")]
    with pytest.raises(RequestRefused, match="rate must be above 0 and at most 100"):
        link.restart(5000.0)
    blocks.clear()
    started = link.restart(100.0, lambda *_: None)
    until(lambda: blocks and blocks[-1].sequence[-1] > 120, "readings")
    link.stop()
    assert started.rate == 100
    sequence = np.concatenate([block.sequence for block in blocks])
    first = int(np.flatnonzero(np.diff(sequence, prepend=sequence[0] + 1) <= 0)[-1])
    stamps = np.concatenate([block.stamps for block in blocks])[first:]
    values = np.concatenate([block.values for block in blocks])[first:]
    assert np.all(np.diff(stamps) > 0)  # the counter of 32 bits went round meanwhile
    assert stamps[-1] > 2**32
    assert np.polyfit(sequence[first:], stamps, 1)[0] == pytest.approx(10_000, rel=0.3)
    assert set(np.unique(values[:, 1])) == {0.0, 1.0}
    assert np.all(np.diff(values[:, 0]) >= 0)
    assert link.counts.garbled == 0


def test_the_checker_is_content_with_it(port, capsys):
    main(["check-board", port, "--seconds", "1"])
    told = capsys.readouterr().out
    assert "WRONG" not in told, told
    assert "All is right." in told


def test_the_checker_names_a_wrong_speed(port):
    *_, last = check_board(port, 9600, 0.5)
    assert not last.is_right
    assert "is 9600 baud right?" in last.words


@pytest.mark.parametrize(("answers", "words"), [
    ({"*IDN?": "hello"}, "an instrument for Galena answers maker,model,serial,firmware"),
    ({"CHAN:LIST?": "none"}, "CHAN:LIST?: its list of channels cannot be read"),
    ({"CLOCK?": "noon"}, "it should be the board's clock in whole microseconds"),
    ({"NOTHING:SUCH": "OK"}, "it should be ERR and a reason"),
    ({"RATE": "what?"}, "not OK"),
    ({"data": "#%d,%d,21.5*00"}, "none can be read"),
    ({"data": "21.5"}, "Lines of numbers came, but no data lines"),
    ({"first": 5}, "The first line has the sequence number 5, not 0."),
    ({"slow": 3.0}, "where 20 were asked for"),
    ({"goes on": True}, "After STREAM OFF data lines still come."),
])  # fmt: skip
def test_the_checker_says_what_is_wrong(answers, words):
    with speaking.Board(answers) as board:
        verdicts = check_board(board.address, seconds=0.6)
    assert any(words in verdict.words for verdict in verdicts if not verdict.is_right), verdicts


def test_the_checker_is_content_with_a_board_that_does_all():
    with speaking.Board({}) as board:
        verdicts = check_board(board.address, seconds=1.0)
    assert all(verdict.is_right for verdict in verdicts), verdicts


def test_a_port_that_is_not_there_is_told():
    (only,) = check_board("/dev/ttyNONE7")
    assert not only.is_right
    assert "/dev/ttyNONE7 is not there any more." in only.words
