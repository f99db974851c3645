"""What junk is thrown at, without a database: each target takes bytes and may refuse them in words.

A target raises what is not one of the package's own errors, or TooSlow; that is what fuzzing looks
for. Where a text has a shape, hypothesis makes it of the bytes, and the fuzzer leads hypothesis.
"""

from __future__ import annotations

import contextlib
import json
import time
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from benchmarks import sizes
from benchmarks.fuzz import shapes
from galena.config.warming import load
from galena.core import conditions, fits, numbers, units
from galena.core.budget import allowed
from galena.core.errors import GalenaError
from galena.core.formats import calibration_file
from galena.core.formats.tables import understand
from galena.core.formula import compile as compiled
from galena.instruments.errors import InstrumentError, LinkLost
from galena.instruments.protocols import line_v1, plain_lines, scpi, scpi_commands
from galena.instruments.protocols.plain_board import PlainBoard

PATIENCE = sizes.of(1.0, 30.0)  # s of the processor that one piece of junk may take
load()  # what a server loads a while after its start, before any time is taken
ROWS = 7
_noise = np.random.default_rng(1)
READINGS = {name: (_noise.normal(3, 1, ROWS), np.full(ROWS, 0.1)) for name in shapes.SYMBOLS}
MEANINGS = dict(zip(shapes.SYMBOLS, shapes.UNITS, strict=True))
X = np.linspace(0.1, 5, 12)
Y = 2 + 3 * X + _noise.normal(0, 0.1, 12)


class TooSlow(Exception):  # noqa: N818 - what it is called in words
    """A piece of junk has taken longer than it may."""


@dataclass(frozen=True)
class Target:
    """Something that reads what others have written. wanted: how many pieces a full run aims at."""

    name: str
    take: Callable[[bytes], object]
    wanted: int

    def __call__(self, data: bytes) -> None:
        """Give it a piece of junk."""
        began = time.thread_time()
        with contextlib.suppress(GalenaError):
            self.take(data)
        took = time.thread_time() - began
        if took > PATIENCE:
            raise TooSlow(f"{self.name}: {took:.2f} s for {data!r}")


def _shaped(strategy: st.SearchStrategy, use: Callable) -> Callable[[bytes], object]:
    """Have hypothesis make what is used of bytes."""

    @settings(deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(strategy)
    def thrown(made) -> None:
        with contextlib.suppress(GalenaError):
            use(made)

    return thrown.hypothesis.fuzz_one_input


def formula(text: str) -> None:
    """Read a formula over readings, and work it out with its uncertainties."""
    expression = compiled(text, MEANINGS)
    values, u = expression.evaluate(READINGS)
    assert np.shape(values) in ((), (ROWS,)), text
    assert u is None or np.shape(u) in ((), (ROWS,)), text


def model(text: str) -> None:
    """Fit a formula of x to a few readings."""
    with allowed(PATIENCE / 2):
        fitted = fits.fit(text, X, Y)
    assert all(np.isfinite(one) for one in fitted.params.values())


def number(text: str) -> None:
    """Read a number, an uncertainty with it, and write it again."""
    with contextlib.suppress(GalenaError):
        conditions.hold(text, "depth", "number", "mm")
    value = numbers.parse(text)
    assert np.isfinite(value)
    again = numbers.significant(value, 3)
    assert again and "nan" not in again


def unit(text: str) -> None:
    """Read a unit, write it, and read that again."""
    read = units.parse(text)
    again = units.parse(str(read))  # what is divided by stands last there
    assert sorted(again.factors) == sorted(read.factors), text
    units.typeset(read)
    units.in_words(read)
    units.related(read)


def protocol_lines(parts: tuple[list[bytes], int]) -> None:
    """Feed lines of a board, cut anywhere."""
    lines, cut = parts
    reader = line_v1.LineReader()
    reader.expect(1 + cut % 3)
    whole = b"\n".join(_with_checksum(line) for line in lines) + b"\n"
    last = -1
    for piece in (whole[: cut % (len(whole) + 1)], whole[cut % (len(whole) + 1) :]):
        for came in reader.feed(piece):
            if isinstance(came, str):
                _answer(came)
                continue
            assert (np.diff(came.sequence) > 0).all() and came.sequence[0] > last
            last = int(came.sequence[-1])


def _with_checksum(line: bytes) -> bytes:
    if not line.startswith(b"#") or b"*" in line:
        return line
    check = 0
    for octet in line[1:]:
        check ^= octet
    return line + b"*%02X" % check


def _answer(line: str) -> None:
    for read in (line_v1.parse_channels, line_v1.Identity.parse):
        with contextlib.suppress(GalenaError, InstrumentError):
            read(line)


class _Printing:
    """A port on which some lines come and then nothing more."""

    def __init__(self, data: bytes) -> None:
        self._data = data

    def read(self, timeout: float) -> bytes:
        data, self._data = self._data[:50], self._data[50:]
        if not data:
            raise LinkLost("It said nothing more.")
        return data

    def write(self, data: bytes) -> None: ...

    def close(self) -> None: ...


def printed_lines(lines: list[str]) -> None:
    """Recognise the lines of a board that just prints, and read on."""
    layout = plain_lines.layout_of(lines)
    plain_lines.with_decimal_comma(lines)
    if layout is None:
        return
    for line in lines:
        plain_lines.heads_of(line, layout)
    data = "\n".join([*lines, *reversed(lines)]).encode("utf-8", "replace")
    try:
        board = PlainBoard(_Printing(data), "1", lines)
        board.write(b"CHAN:LIST?\nSTREAM ON\nCLOCK?\n")
        for _ in range(20):
            board.read(0.0)
    except (InstrumentError, LinkLost):
        pass


def meters_answers(answers: list[str]) -> None:
    """Read what a meter answers, and a file of commands for meters."""
    for answer in answers:
        value = scpi._value(answer)
        if value is not None:
            assert scpi._last_place(answer.strip()) >= 0
    scpi_commands.read_commands("\n".join(answers))


def table(data: bytes) -> None:
    """Understand a file as a table."""
    read = understand(data, "junk")
    rows = {one.values.size for one in read.columns}
    assert len(rows) == 1, rows
    assert read.took


def calibration(data: bytes) -> None:
    """Read a calibration file, and write what was read."""
    record = calibration_file.loads(data.decode("utf-8", "replace"))
    again = calibration_file.loads(calibration_file.dumps(record))
    assert json.dumps(calibration_file.as_data(again)) == json.dumps(
        calibration_file.as_data(record)
    )


def of_text(use: Callable[[str], object]) -> Callable[[bytes], object]:
    """Take bytes as a text."""
    return lambda data: use(data.decode("utf-8", "replace"))


TARGETS = {
    one.name: one
    for one in (
        Target("formulas", _shaped(shapes.formulas_of_readings, formula), 1_000_000),
        Target("formulas as typed", of_text(formula), 1_000_000),
        Target("models", _shaped(shapes.formulas_of_x, model), 1_000_000),
        Target("numbers", _shaped(shapes.typed_numbers, number), 1_000_000),
        Target("numbers as typed", of_text(number), 1_000_000),
        Target("units", _shaped(shapes.typed_units, unit), 1_000_000),
        Target("units as typed", of_text(unit), 1_000_000),
        Target("protocol lines", _shaped(
            st.tuples(st.lists(shapes.data_lines, max_size=12), st.integers(0, 400)), protocol_lines
        ), 1_000_000),
        Target("plain lines", _shaped(st.lists(shapes.printed_lines, max_size=12), printed_lines),
               1_000_000),
        Target("SCPI answers", _shaped(st.lists(shapes.answers, max_size=8), meters_answers),
               1_000_000),
        Target("tables", table, 100_000),
        Target("calibration files", calibration, 1_000_000),
    )
}  # fmt: skip
