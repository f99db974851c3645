"""What runs out: the disk, the right to write, file handles, memory; and a clock that leaps."""

import random
import re
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx

from benchmarks.chaos.board import Board
from benchmarks.chaos.outcome import Outcome
from benchmarks.chaos.server import Server, channels_of, start_steady, status, until, world
from benchmarks.chaos.stored import StoredStream, integrity, streams_in
from benchmarks.long_class import memory
from benchmarks.serving import all_is_loaded, empty_world

DISK = 260_000_000  # bytes of the small disk; runs end where 50 MB are left
HANDLES, SHIFT = 8, 3 * 3600.0  # file handles left to the server; s that the clock leaps
LEFT_MB = 2  # MB of memory that the server may still take
PAGES = ("bench", "record", "desk", "quantities", "report")


def part(times: int) -> Outcome:
    """Fill the disk at so many random moments, and have all else run out once."""
    outcome = Outcome("What runs out")
    try:
        _full_disk(outcome, times)
        _read_only(outcome)
    except OSError as error:
        outcome.say(f"left out: a full disk and a read-only one ({error})")
    _no_handles(outcome)
    _leaping_clock(outcome)
    _little_memory(outcome)
    return outcome


@contextmanager
def _disk(size: int) -> Iterator[Path]:
    """Give a world on a file system of its own, of so many bytes. Raises OSError without the right."""
    with tempfile.TemporaryDirectory() as place:
        command = ["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", place]
        done = subprocess.run(command, capture_output=True, text=True)
        if done.returncode:
            raise OSError(f"only root mounts a file system: {done.stderr}")
        try:
            folder = Path(place) / "data"
            shutil.copytree(empty_world(), folder)
            yield folder
        finally:
            subprocess.run(["umount", place], check=True)


def _start(server: Server, board: Board) -> httpx.Client:
    client = server.signed_in()
    start_steady(client, 1, channels_of(client, 1, board.serial))
    return client


def _all_pages(outcome: Outcome, client: httpx.Client, when: str) -> None:
    for page in PAGES:
        answer = client.get(f"/experiments/1/{page}")
        outcome.hold(answer.status_code == 200, f"{when}: {page} answers {answer.status_code}")


def _full_disk(outcome: Outcome, times: int) -> None:
    """The disk is full, to the last byte, at any moment of a run."""
    chance, endings, board = random.Random(13), dict[str, int](), Board(1)
    for _ in range(times):
        with _disk(DISK) as folder:
            with Server(folder, [board.address]) as server:
                client = _start(server, board)
                time.sleep(chance.uniform(0, 1.5))
                told = status(client, 1).get("stored", 0)
                filling = folder.parent / "filled"
                with filling.open("wb") as file:
                    while True:
                        try:
                            file.write(bytes(100_000))
                            file.flush()
                        except OSError:
                            break
                time.sleep(1.0)
                refused = client.post(
                    "/experiments/1/record/conditions/add",
                    data={"plan": "steady", "condition-name": "tide", "condition-kind": "number"},
                )
                outcome.hold(refused.status_code < 600, "no answer on a full disk")
                filling.unlink()
                until(lambda client=client: not status(client, 1)["phase"], "the end of the run")
                _all_pages(outcome, client, "after a full disk")
            (stream,) = streams_in(folder)
            ending = re.sub(r"[\d.,]+ .?B", "…", stream.ending)
            endings[ending] = endings.get(ending, 0) + 1
            outcome.hold(not stream.damage, f"a full disk: {stream.damage}")
            outcome.hold(stream.stamps.size >= told, "a full disk: a reading that was told is lost")
            outcome.hold(
                stream.state == "finished" and bool(stream.ending), f"a full disk: {stream.state}"
            )
            outcome.hold(integrity(folder / "galena.sqlite3") == "ok", "a full disk: damaged")
    board.close()
    for ending, count in endings.items():
        outcome.say(f"disk filled to the last byte at a random moment, {count} times: “{ending}”")


def _read_only(outcome: Outcome) -> None:
    """The file system is read-only, as that of a failing disk is."""
    with _disk(DISK) as folder:
        subprocess.run(["mount", "-o", "remount,ro", str(folder.parent)], check=True)
        try:
            with Server(folder, []):
                said = ""
        except RuntimeError as error:
            said = " ".join(str(error).split())
    outcome.say(f"started on a read-only file system: “{said[:200]}”")
    outcome.hold(bool(said) and "Traceback" not in said, "read-only: it does not say what is wrong")


def _no_handles(outcome: Outcome) -> None:
    """The server may open no more files."""
    board = Board(1)
    with world() as folder, Server(folder, [board.address]) as server:
        client = _start(server, board)
        before = len(list(Path(f"/proc/{server.pid}/fd").iterdir()))
        limits = resource.prlimit(server.pid, resource.RLIMIT_NOFILE)
        resource.prlimit(server.pid, resource.RLIMIT_NOFILE, (before, limits[1]))
        answers, kept_in, lines = [], [], []
        for _ in range(20):  # each wants a socket of its own
            line = httpx.Client(base_url=server.address, cookies=client.cookies, timeout=3)
            lines.append(line)
            try:
                answers.append(line.get("/experiments/1/desk").status_code)
            except httpx.TransportError:
                answers.append(0)
            kept_in.append(_asked(client, "record/status"))
        refused = sum(one != 200 for one in answers)
        for line in lines:
            line.close()
        resource.prlimit(server.pid, resource.RLIMIT_NOFILE, limits)
        taken = status(client, 1).get("taken", 0)
        stream = _gone_on(outcome, client, folder, taken, "with handles again")
        outcome.say(f"no file handle left amid a run: {refused} of 20 further devices not let in, "
                    f"{stream.stamps.size:,} readings kept, {stream.lost} lost")  # fmt: skip
        outcome.hold(set(kept_in) == {200}, f"no handles: who was in was answered {kept_in}")
        outcome.hold(not stream.damage and not stream.lost, f"no handles: {stream.damage}")
        outcome.hold(stream.stamps.size >= taken, "no handles: a reading is lost")
    board.close()


def _gone_on(
    outcome: Outcome, client: httpx.Client, folder: Path, taken: int, when: str
) -> StoredStream:
    """See that a run goes on beyond so many readings, stop it, and give what is stored of it."""
    until(lambda: status(client, 1).get("taken", 0) > taken, "the run to go on")
    _all_pages(outcome, client, when)
    client.post("/experiments/1/record/stop")
    until(lambda: not status(client, 1)["phase"], "the end of the run")
    (stream,) = streams_in(folder)
    return stream


def _leaping_clock(outcome: Outcome) -> None:
    """The computer's clock is set forth and back by hours while a run is recorded."""
    board = Board(1)
    with world() as folder, tempfile.TemporaryDirectory() as place:
        shift = Path(place) / "shift"
        shift.write_text("0")
        leaping = [sys.executable, "-m", "benchmarks.chaos.leaping", str(shift)]
        with Server(folder, [board.address], leaping) as server:
            client = server.signed_in()
            start_steady(client, 1, channels_of(client, 1, 1), duration="6")
            for leap in (SHIFT, -SHIFT, 0.0):
                shift.write_text(str(leap))
                time.sleep(1.2)
                _all_pages(outcome, client, f"clock set by {leap:+g} s")
            until(lambda: not status(client, 1)["phase"], "the end of the run")
        (stream,) = streams_in(folder)
        outcome.say(f"clock set {SHIFT / 3600:g} h forth, back and right again amid a run: "
                    f"{stream.stamps.size:,} of 6,000 readings, none twice")  # fmt: skip
        outcome.hold(stream.stamps.size == 6000 and not stream.damage, f"clock: {stream.damage}")
        outcome.hold(stream.state == "finished" and not stream.ending, f"clock: {stream.ending}")
    board.close()


def _little_memory(outcome: Outcome) -> None:
    """The server may have little more memory than it uses, while much is asked of it."""
    board = Board(1)
    with world() as folder, Server(folder, [board.address]) as server:
        client = _start(server, board)
        until(lambda: all_is_loaded(server.pid), "all to be loaded")
        used = int(re.search(r"VmSize:\s+(\d+)", Path(f"/proc/{server.pid}/status").read_text())[1])
        limit = used * 1024 + LEFT_MB * 1_000_000
        free = resource.prlimit(server.pid, resource.RLIMIT_AS)
        resource.prlimit(server.pid, resource.RLIMIT_AS, (limit, free[1]))
        answers = [_asked(client, page) for page in (*PAGES, "report.pdf", "readings.xlsx") * 2]
        resource.prlimit(server.pid, resource.RLIMIT_AS, free)
        taken = status(client, 1).get("taken", 0)
        stream = _gone_on(outcome, client, folder, taken, "with memory again")
        good, silent = answers.count(200), answers.count(0)
        outcome.say(f"{LEFT_MB} MB of memory left: {good} of {len(answers)} pages and files made, {silent} without "
                    f"any answer; the run goes "
                    f"on, {stream.lost} of its readings lost, {memory(server.pid):.0f} MB in the end")  # fmt: skip
        outcome.hold(not stream.damage, f"memory: {stream.damage}")
        outcome.hold(stream.stamps.size >= taken, "memory: a reading is lost")
    board.close()


def _asked(client: httpx.Client, page: str) -> int:
    """Give how a page was answered; 0 without any words."""
    try:
        answer = client.get(f"/experiments/1/{page}")
    except httpx.TransportError:
        return 0
    return answer.status_code if answer.content else 0
