"""The server is killed while it records: steady, armed and stepwise runs, several at once."""

import random
import re
import time
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from benchmarks.chaos.board import Board
from benchmarks.chaos.outcome import Outcome, spread
from benchmarks.chaos.server import (
    Server,
    channels_of,
    start_steady,
    status,
    until,
    world,
)
from benchmarks.chaos.stored import StoredStream, integrity, streams_in

MISSING_AT_MOST, AGAIN_WITHIN = 250.0, 3.0  # ms; s
STEADY, ARMED, STEPWISE = 1, 2, 3  # experiments, and the boards that they use
PLANS = {STEADY: "steady", ARMED: "armed", STEPWISE: "stepwise"}


@dataclass
class Seen:
    """What a killed server had told, and how it was found."""

    again: list[float] = field(default_factory=list)
    served: list[float] = field(default_factory=list)
    missing: list[float] = field(default_factory=list)
    runs: dict[str, int] = field(default_factory=lambda: dict.fromkeys(PLANS.values(), 0))
    readings: int = 0


def part(times: int) -> Outcome:
    """Kill the server so many times."""
    outcome, seen = Outcome(f"The server killed {times} times while it records"), Seen()
    boards = [Board(number) for number in (STEADY, ARMED, STEPWISE)]
    chance = random.Random(7)
    with world(experiments=3) as folder:
        told: dict[int, int] = {}
        newest = 0
        for _ in range(times):
            server = Server(folder, [board.address for board in boards])
            client = server.signed_in()
            before = streams_in(folder)
            newest = max((one.key for one in before), default=0)
            told = _record(server, client, seen)
            _look_at_what_was(client, outcome, before)
            time.sleep(chance.uniform(0.3, 1.2))
            told |= {one: status(client, one).get("stored", told.get(one, 0)) for one in told}
            last = {board.serial: board.streams[-1].last_us for board in boards if board.streams}
            server.kill()
            _compare(folder, newest, told, last, outcome, seen)
        with Server(folder, []) as server:
            _look_at_what_was(server.signed_in(), outcome, streams_in(folder))
        outcome.hold(integrity(folder / "galena.sqlite3") == "ok", "the database is damaged")
    for board in boards:
        board.close()
    _tell(outcome, seen)
    return outcome


def _record(server: Server, client: httpx.Client, seen: Seen) -> dict[int, int]:
    """Start the three runs; gives what each has on the disk by its own word."""
    ready = server.age
    channels = channels_of(client, STEADY, STEADY)
    start_steady(client, STEADY, channels)
    seen.again.append(server.age)
    seen.served.append(server.age - ready)
    armed = channels_of(client, ARMED, ARMED)
    plan = {"plan": "armed", "kind-shown": "armed", "event": f"{armed[1]}:rising", "level": "0.5",
            "rate": "1000", "before": "0.1", "duration": "600", "channel": armed}  # fmt: skip
    client.post(f"/experiments/{ARMED}/record/start", data=plan)
    until(lambda: status(client, ARMED)["phase"] == "recording", "the event")
    _take_steps(client, 3)
    return {STEADY: 0, ARMED: 0, STEPWISE: 3}


def _take_steps(client: httpx.Client, count: int) -> None:
    """Take so many readings of a stepwise run, each answered before the next."""
    settings = _settings(client)
    if not settings:
        column = {"plan": "stepwise", "typed-name": "depth", "typed-symbol": "d", "typed-unit": "m",
                  "typed-decimals": "3"}  # fmt: skip
        client.post(f"/experiments/{STEPWISE}/record/settings/add", data=column)
        settings = _settings(client)
    plan = {"plan": "stepwise", "kind-shown": "stepwise", "average": "0.05",
            "typed": settings, "channel": channels_of(client, STEPWISE, STEPWISE)}  # fmt: skip
    for number in range(count):
        depth = {f"setting-{one}": f"0.{number + 1}" for one in settings}
        took = client.post(f"/experiments/{STEPWISE}/record/steps/take", data=plan | depth)
        assert took.status_code == 200, re.sub("<[^>]*>", " ", took.text)[:600]


def _settings(client: httpx.Client) -> list[str]:
    page = client.get(f"/experiments/{STEPWISE}/record", params={"plan": "stepwise"}).text
    return re.findall(r'name="typed"[^>]*value="(\d+)"', page)


def _compare(
    folder: Path,
    newest: int,
    told: dict[int, int],
    last: dict[int, int],
    outcome: Outcome,
    seen: Seen,
) -> None:
    """Compare what the killed server has left with what was sent to it."""
    left = streams_in(folder, after=newest)
    outcome.hold(len(left) == len(told), f"{len(left)} of {len(told)} runs were left")
    for stream in left:
        seen.runs[stream.plan] += 1
        seen.readings += stream.stamps.size
        outcome.hold(not stream.damage, stream.damage)
        promised = told[stream.serial]
        if stream.plan == "stepwise":
            outcome.hold(stream.stamps.size >= 50 * promised, "a reading that was taken is missing")
            continue
        outcome.hold(stream.stamps.size >= promised, f"{stream.stamps.size} of {promised} stored")
        missing = (last[stream.serial] - stream.last_us) / 1000
        seen.missing.append(missing)
        outcome.be_quick(
            missing <= MISSING_AT_MOST, f"{missing:.0f} ms of a {stream.plan} run are missing"
        )


def _look_at_what_was(client: httpx.Client, outcome: Outcome, streams: list[StoredStream]) -> None:
    """See that every earlier run is marked and looked at without trouble."""
    for stream in streams:
        outcome.hold(stream.state == "interrupted", f"a {stream.plan} run is {stream.state}")
        outcome.hold(bool(stream.ending), f"a {stream.plan} run does not say why it ended")
    if streams:
        for experiment in PLANS:
            page = client.get(f"/experiments/{experiment}/desk")
            outcome.hold(page.status_code == 200, f"a Desk answers {page.status_code}")


def _tell(outcome: Outcome, seen: Seen) -> None:
    runs = ", ".join(f"{count} {plan}" for plan, count in seen.runs.items())
    outcome.say(
        f"{runs} runs cut short; {seen.readings:,} readings of two channels compared bit for bit"
    )
    outcome.say(f"missing of the last moment: {spread(seen.missing)} (at most {MISSING_AT_MOST:g})")
    outcome.say(f"from the start of the process to recording again: "
                f"{spread([1000 * one for one in seen.again])} (at most {AGAIN_WITHIN * 1000:g})")  # fmt: skip
    outcome.say(f"of it, from the first page that it answers on: "
                f"{spread([1000 * one for one in seen.served])}")  # fmt: skip
    slow = sum(one > AGAIN_WITHIN for one in seen.again)
    outcome.be_quick(
        slow == 0, f"{slow} of {len(seen.again)} starts took longer than {AGAIN_WITHIN:g} s"
    )
