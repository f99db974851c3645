"""Lines that spoil what goes through them, and boards that come and go, while runs are recorded.

What is lost and garbled is counted by the board itself as it sends.
"""

import random
import time
from pathlib import Path

import httpx

from benchmarks.chaos.board import Board, Spoiled
from benchmarks.chaos.outcome import Outcome
from benchmarks.chaos.server import Server, channels_of, start_steady, status, until, world
from benchmarks.chaos.stored import StoredStream, streams_in

FLOOD = 400  # times each line: more than 10 MB/s of a board with 1000 lines a second


def part(seconds: float, unplugged: int) -> Outcome:
    """Record over each kind of bad line for so long; unplug so many times."""
    outcome = Outcome("Lines that are bad, and boards that come and go")
    board = Board(1)
    with world() as folder, Server(folder, [board.address]) as server:
        client = server.signed_in()
        _spoiled(outcome, board, client, folder, Spoiled(garbled=0.2), seconds, "20 % garbled")
        _spoiled(outcome, board, client, folder, Spoiled(lost=0.05), seconds, "5 % lost")
        _flooded(outcome, board, client, folder, seconds)
        _held(outcome, board, client, folder)
        _reset(outcome, board, client, folder)
        _unplugged(outcome, board, client, folder, unplugged)
    board.close()
    return outcome


def _recorded(board: Board, client: httpx.Client, folder: Path, seconds: float) -> StoredStream:
    """Record a run that ends by itself, and give what is stored of it."""
    newest = max((one.key for one in streams_in(folder)), default=0)
    start_steady(client, 1, channels_of(client, 1, 1), duration=f"{seconds:g}")
    until(lambda: not status(client, 1)["phase"], "the end of the run", seconds)
    (stream,) = streams_in(folder, after=newest)
    return stream


def _spoiled(
    outcome: Outcome, board: Board, client: httpx.Client, folder: Path, spoiled: Spoiled,
    seconds: float, name: str,
) -> None:  # fmt: skip
    board.spoiled = spoiled
    before = len(board.streams)
    stream = _recorded(board, client, folder, seconds)
    board.spoiled = Spoiled()
    planned = round(seconds * 1000)
    sent = board.streams[before]  # what came after the run is of the Bench
    gone = planned - stream.stamps.size
    outcome.say(f"{name}: {stream.stamps.size:,} of {planned:,} readings stored, {stream.lost:,} lines "
                f"told as lost and {stream.garbled:,} as garbled")  # fmt: skip
    outcome.hold(stream.state == "finished" and not stream.ending, f"{name}: {stream.ending}")
    outcome.hold(not stream.damage, f"{name}: {stream.damage}")
    told = stream.lost
    outcome.hold(abs(told - gone) <= 1, f"{name}: {gone} readings are missing, {told} are told")
    done = sum(number < planned for number in sent.spoiled)  # the board goes on after the run
    outcome.hold(abs(told - done) <= 1, f"{name}: {told} told of {done} that were")


def _flooded(
    outcome: Outcome, board: Board, client: httpx.Client, folder: Path, seconds: float
) -> None:
    board.spoiled = Spoiled(times=FLOOD)
    before, began = len(board.streams), time.monotonic()
    stream = _recorded(board, client, folder, seconds)
    board.spoiled = Spoiled()
    sent = max(board.streams[before:], key=lambda one: sum(one.sizes))
    rate = sum(sent.sizes) / (time.monotonic() - began) / 1e6
    planned = round(seconds * 1000)
    outcome.say(f"flooded with {rate:.1f} MB/s: {stream.stamps.size:,} of {planned:,} readings stored, "
                f"{stream.lost:,} told as lost")  # fmt: skip
    outcome.hold(stream.state == "finished", f"flooded: the run is {stream.state}: {stream.ending}")
    outcome.hold(not stream.damage, f"flooded: {stream.damage}")
    gone = planned - stream.stamps.size
    outcome.hold(abs(gone - stream.lost) <= 1, f"flooded: {gone} missing, {stream.lost} are told")


def _held(outcome: Outcome, board: Board, client: httpx.Client, folder: Path) -> None:
    """Nothing comes through a socket that stays open."""
    stream = _while_recording(board, client, folder, lambda: setattr(board.spoiled, "is_held", True),
                              lambda: setattr(board.spoiled, "is_held", False), 3.0)  # fmt: skip
    outcome.say(f"an open line on which nothing came for 3 s: {stream.stamps.size:,} readings, "
                f"the run {stream.state}, {stream.lost:,} lines told as lost")  # fmt: skip
    outcome.hold(not stream.damage, f"held: {stream.damage}")


def _reset(outcome: Outcome, board: Board, client: httpx.Client, folder: Path) -> None:
    """The board loses its power for a moment: its clock begins again."""
    stream = _while_recording(board, client, folder, board.reset, lambda: None, 0.5)
    outcome.say(f"a board that was reset: {stream.stamps.size:,} readings, the run {stream.state}")
    outcome.hold(stream.leaps <= 1, f"reset: the counts leap {stream.leaps} times")
    outcome.hold(stream.lost > 0 or "reset" in stream.ending, "reset: the gap is told nowhere")


def _while_recording(board, client, folder, begin, end, seconds: float) -> StoredStream:
    """Do something to the line for so long while a run is recorded, then stop the run."""
    newest = max((one.key for one in streams_in(folder)), default=0)
    start_steady(client, 1, channels_of(client, 1, 1))
    time.sleep(1.0)
    begin()
    time.sleep(seconds)
    end()
    time.sleep(1.5)
    client.post("/experiments/1/record/stop")
    until(lambda: not status(client, 1)["phase"], "the end of the run")
    until(lambda: channels_of(client, 1, 1), "the board again")
    (stream,) = streams_in(folder, after=newest)
    return stream


def _unplugged(
    outcome: Outcome, board: Board, client: httpx.Client, folder: Path, times: int
) -> None:
    """Pull the cable again and again: amid runs, between them, and for how long one likes."""
    chance = random.Random(5)
    kept = readings = 0
    for _ in range(times):
        newest = max((one.key for one in streams_in(folder)), default=0)
        start_steady(client, 1, channels_of(client, 1, 1))
        time.sleep(chance.uniform(0.05, 0.6))
        told = status(client, 1).get("stored", 0)
        board.unplug()
        time.sleep(chance.uniform(0, 0.5))
        board.plug_in()
        time.sleep(chance.uniform(0, 0.3))
        client.post("/experiments/1/record/stop")
        until(lambda: not status(client, 1)["phase"], "the end of the run")
        (stream,) = streams_in(folder, after=newest)
        outcome.hold(not stream.damage, f"unplugged: {stream.damage}")
        outcome.hold(stream.stamps.size >= told, f"unplugged: {stream.stamps.size} of {told} kept")
        outcome.hold(stream.state != "recording", "unplugged: the run is still called recording")
        kept += 1
        readings += stream.stamps.size
    outcome.say(
        f"unplugged {times} times: {kept} runs with {readings:,} readings, every one as sent"
    )
