"""The power is cut: the write-ahead log is torn at any byte, and what follows is nothing or noise.

What must be left is worked out here from the log itself, by the format that SQLite documents
("Write-Ahead Log", section 4 of its file format): the frames whose checksums hold, up to the last
one that ends a transaction.
"""

import random
import shutil
import sqlite3
import struct
import tempfile
import time
from contextlib import closing
from pathlib import Path

from benchmarks.chaos.board import Board
from benchmarks.chaos.outcome import Outcome
from benchmarks.chaos.server import Server, channels_of, start_steady, world
from benchmarks.chaos.stored import integrity, streams_in

HEAD, FRAME_HEAD = 32, 24
NAME = "galena.sqlite3"


def part(times: int, seconds: float = 8.0) -> Outcome:
    """Tear the log of a server that was recording so many times."""
    outcome = Outcome(f"The power cut {times} times: a log torn at any byte")
    board = Board(1)
    with world() as folder, tempfile.TemporaryDirectory() as place:
        server = Server(folder, [board.address])
        client = server.signed_in()
        start_steady(client, 1, channels_of(client, 1, 1))
        time.sleep(seconds)
        server.kill()
        board.close()
        data, log = (folder / NAME).read_bytes(), (folder / f"{NAME}-wal").read_bytes()
        frames = whole_frames(log)
        commits = sum(size > 0 for _, size, _ in frames)
        outcome.say(
            f"a log of {len(log):,} bytes with {len(frames):,} frames and {commits:,} transactions"
        )
        kept = _tear(outcome, Path(place), data, log, times)
    outcome.say(
        f"opened each time, and held what stood whole before the tear: {kept} of {times} copies"
    )
    return outcome


def _tear(outcome: Outcome, place: Path, data: bytes, log: bytes, times: int) -> int:
    chance, kept = random.Random(3), 0
    for number in range(times):
        at = chance.randrange(len(log) + 1)
        torn = log[:at]
        if number % 2:  # the rest of the sector, or of the file, is what stood there before
            torn += chance.randbytes(min(len(log) - at, chance.choice((1, 512, 4096, 65536))))
        expected = image(data, torn)
        folder = place / str(number)
        folder.mkdir()
        (folder / NAME).write_bytes(data)
        (folder / f"{NAME}-wal").write_bytes(torn)
        left = _opened(folder / NAME)
        damage = [one.damage for one in streams_in(folder) if one.damage]
        outcome.hold(left == expected, f"torn at {at}: not what stood whole before the tear")
        outcome.hold(not damage, f"torn at {at}: {damage}")
        outcome.hold(integrity(folder / NAME) == "ok", f"torn at {at}: the database is damaged")
        kept += left == expected
        shutil.rmtree(folder)
    return kept


def _opened(path: Path) -> bytes:
    """Open a database as a server does after a power cut, and give what it then holds."""
    with closing(sqlite3.connect(path)) as database:
        database.execute("PRAGMA wal_checkpoint(TRUNCATE)").fetchall()
    return path.read_bytes()


def image(data: bytes, log: bytes) -> bytes:
    """Give a database file with all whole transactions of a log put into it."""
    frames = whole_frames(log)
    ends = [place for place, (_, size, _) in enumerate(frames) if size]
    if not ends:
        return data
    page_size = len(frames[0][2])
    pages = bytearray(data)
    for number, _, page in frames[: ends[-1] + 1]:
        at = (number - 1) * page_size
        if len(pages) < at + page_size:
            pages.extend(bytes(at + page_size - len(pages)))
        pages[at : at + page_size] = page
    return bytes(pages[: frames[ends[-1]][1] * page_size])


def whole_frames(log: bytes) -> list[tuple[int, int, bytes]]:
    """List the frames of a log whose checksums hold: the page's number, the size of the database in
    pages where a transaction ends there, else 0, and the page."""
    if len(log) < HEAD:
        return []
    magic, _, page_size, _, *salts_and_sums = struct.unpack(">8I", log[:HEAD])
    order = ">" if magic & 1 else "<"
    sums = _summed(log[:24], order, (0, 0))
    if magic & ~1 != 0x377F0682 or sums != tuple(salts_and_sums[2:]):
        return []
    frames = []
    for at in range(HEAD, len(log) - FRAME_HEAD - page_size + 1, FRAME_HEAD + page_size):
        head = log[at : at + FRAME_HEAD]
        page = log[at + FRAME_HEAD : at + FRAME_HEAD + page_size]
        number, size, *rest = struct.unpack(">6I", head)
        sums = _summed(head[:8] + page, order, sums)
        if rest != [*salts_and_sums[:2], *sums]:
            break
        frames.append((number, size, page))
    return frames


def _summed(data: bytes, order: str, sums: tuple[int, int]) -> tuple[int, int]:
    first, second = sums
    words = struct.unpack(f"{order}{len(data) // 4}I", data)
    for even, odd in zip(words[::2], words[1::2], strict=True):
        first = (first + even + second) & 0xFFFFFFFF
        second = (second + odd + first) & 0xFFFFFFFF
    return first, second
