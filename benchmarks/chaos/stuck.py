"""Browsers that ask for the events of a run and never read them: the others must not notice."""

import json
import time

import numpy as np

from benchmarks.chaos.board import Board
from benchmarks.chaos.outcome import Outcome
from benchmarks.chaos.server import Server, channels_of, start_steady, status, until, world
from benchmarks.live_path import origin_us
from benchmarks.long_class import memory, never_reading
from benchmarks.serving import cpu_seconds, watching

RATE = 1000
GROWS_AT_MOST = 20.0  # MB beside those without
LATE_AT_MOST = 1.5  # times what it takes without them, and 20 ms for the scatter of a short run


def part(stuck: int, seconds: float) -> Outcome:
    """Record for so long without and with so many browsers that never read."""
    outcome = Outcome(f"{stuck} browsers that never read")
    alone, plain = _watched(0, seconds)
    beside, grown = _watched(stuck, seconds)
    outcome.say(f"made to watcher, p95: {alone:.0f} ms without them, {beside:.0f} ms beside them")
    outcome.say(f"memory grew by {plain:.0f} MB without them, by {grown:.0f} MB beside them")
    outcome.be_quick(
        beside <= LATE_AT_MOST * alone + 20, "those that read wait for those that do not"
    )
    outcome.be_quick(grown - plain <= GROWS_AT_MOST, "what is not read is kept")
    return outcome


def _watched(stuck: int, seconds: float) -> tuple[float, float]:
    """Give the delay in ms (p95) of two that read, and by how many MB the server grew."""
    board = Board(1)
    with world() as folder, Server(folder, [board.address]) as server:
        client = server.signed_in()
        channels = channels_of(client, 1, 1)
        cookies = dict(client.cookies)
        sleepers = [never_reading(server.address, cookies) for _ in range(stuck)]
        others = watching("long_class", server.address, cookies, 2, seconds + 4)
        others.stdout.readline()
        start_steady(client, 1, channels, duration=f"{seconds:g}")
        time.sleep(seconds / 4)
        early, spent = memory(server.pid), cpu_seconds(server.pid)
        until(lambda: not status(client, 1)["phase"], "the end of the run", seconds)
        grown = memory(server.pid) - early
        assert cpu_seconds(server.pid) > spent
        _, _, *came = json.loads(others.communicate()[0])
        for sleeper in sleepers:
            sleeper.close()
        origin = origin_us(folder) / 1e6 + board.began
    board.close()
    made, at = np.array([one for watcher in came for one in watcher]).T
    return float(np.percentile(at - made - origin, 95)) * 1e3, grown
