"""What a database holds of the counting boards' runs, read without Galena, and compared with what
the boards sent."""

import sqlite3
import zlib
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from benchmarks.chaos.board import MODULUS, STEP, count_at, wave_at

_STREAMS = """
select t.id, t.serial, t.lost, t.garbled, r.id, r.state, r.plan, r.ending
from experiments_stream t join experiments_run r on r.id = t.run_id order by t.id
"""
_CHUNKS = """
select s.id, s.quantity_id, q.symbol, c.first_index, c.count, c.data, c.crc32
from experiments_series s left join experiments_quantity q on q.id = s.quantity_id
join experiments_serieschunk c on c.series_id = s.id where s.stream_id = ? order by s.id, c.sequence
"""


@dataclass(frozen=True)
class StoredStream:
    """What is stored of one board in one run; stamps in µs of its clock."""

    key: int
    serial: int
    lost: int
    garbled: int
    run: int
    state: str
    plan: str
    ending: str
    stamps: np.ndarray
    counts: np.ndarray
    damage: str

    @property
    def last_us(self) -> int:
        return int(self.stamps[-1]) if self.stamps.size else 0

    @property
    def leaps(self) -> int:
        """At how many places the counts do not go on as the stamps do: one for each time that the
        board's clock began anew."""
        steps = np.diff(np.rint(self.counts * 1000).astype(np.int64))
        return int(np.count_nonzero((steps - np.diff(self.stamps) * STEP) % MODULUS))


def streams_in(folder: Path, after: int = 0) -> list[StoredStream]:
    """Read all streams of a data folder that are newer than a key."""
    with closing(sqlite3.connect(folder / "galena.sqlite3", timeout=180)) as database:
        heads = [row for row in database.execute(_STREAMS) if row[0] > after]
        return [_stream(database, head) for head in heads]


def _stream(database: sqlite3.Connection, head: tuple) -> StoredStream:
    key, serial, lost, garbled, run, state, plan, ending = head
    columns, damage = {}, ""
    for symbol, values, wrong in _series(database, key):
        columns[symbol], damage = values, damage or wrong
    stamps = columns.pop("t", np.empty(0, dtype=np.int64))
    for symbol, truth in (("v", count_at), ("w", wave_at)):
        values = columns.get(symbol)
        if values is None:
            continue
        shared = min(values.size, stamps.size)
        if values[:shared].tobytes() != truth(stamps[:shared]).astype("<f8").tobytes():
            damage = damage or f"{symbol} of stream {key} is not what was sent"
        if values.size != stamps.size:
            damage = damage or f"{symbol} of stream {key} has {values.size} of {stamps.size}"
    if (np.diff(stamps) <= 0).any() and plan != "stepwise":
        damage = damage or f"the times of stream {key} do not ascend"
    counts = columns.get("v", np.empty(0))
    head = (key, int(serial), lost, garbled, run, state, plan, ending)
    return StoredStream(*head, stamps, counts, damage)


def _series(database: sqlite3.Connection, stream: int) -> Iterator[tuple[str, np.ndarray, str]]:
    parts: dict[int, list[tuple]] = {}
    for key, *chunk in database.execute(_CHUNKS, (stream,)):
        parts.setdefault(key, []).append(tuple(chunk))
    for chunks in parts.values():
        is_stamps, symbol = chunks[0][0] is None, chunks[0][1] or "t"
        expected, wrong = 0, ""
        for _, _, first, count, data, crc in chunks:
            if first != expected or zlib.crc32(data) != crc or len(data) != 8 * count:
                wrong = f"a chunk of {symbol} is damaged or missing at {expected}"
            expected = first + count
        joined = b"".join(chunk[4] for chunk in chunks)
        yield symbol, np.frombuffer(joined, dtype="<i8" if is_stamps else "<f8"), wrong


def integrity(path: Path) -> str:
    """Give what SQLite says of a database: `ok`, or what is wrong."""
    with closing(sqlite3.connect(path, timeout=180)) as database:
        return str(database.execute("PRAGMA integrity_check").fetchone()[0])
