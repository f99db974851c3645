"""A long recording before a whole class: loss, delay, cost and memory, with a watcher that never
reads beside the others or without it.

Run: python -m benchmarks.long_class [seconds [watchers]]
"""

import json
import socket
import time
from pathlib import Path

import numpy as np

from benchmarks import sizes
from benchmarks.live_path import RATE, Watcher, clock_offset, origin_us, stored_readings, watch_all
from benchmarks.serving import cpu_seconds, four_channels, served, signed_in, watching


class Timing(Watcher):
    """A watcher that also notes when each batch came, and the time stamp of its last reading."""

    def __init__(self, address: str, cookies: dict) -> None:
        super().__init__(address, cookies)
        self.came: list[tuple[float, float]] = []

    async def watch(self) -> None:
        reader, _ = await self.get("/experiments/1/events?topics=strips,runs&run")
        while True:
            event = await reader.readuntil(b"\n\n")
            if b'"first":' not in event:
                continue
            batch = json.loads(event.partition(b"data: ")[2])
            if batch["first"] > self.got:
                await self.ask()
            self.got = max(self.got, batch["first"] + batch["n"])
            self.came.append((batch["t0"] + (batch["n"] - 1) / RATE, time.time()))


def never_reading(address: str, cookies: dict) -> socket.socket:
    """Ask for the events, and read none of them."""
    host, port = address.removeprefix("http://").split(":")
    line = socket.create_connection((host, int(port)))
    line.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
    cookie = "; ".join(f"{name}={value}" for name, value in cookies.items())
    path = "/experiments/1/events?topics=strips,runs&run"
    line.sendall(f"GET {path} HTTP/1.1\r\nHost: {host}\r\nCookie: {cookie}\r\n\r\n".encode())
    return line


def memory(pid: int) -> float:
    """Give the resident memory of a process in MB."""
    for line in Path(f"/proc/{pid}/status").read_text().splitlines():
        if line.startswith("VmRSS"):
            return int(line.split()[1]) / 1024
    return float("nan")


def watch_for(address: str, cookies: str, count: int, seconds: float) -> None:
    """Watch for so long; print the least that a watcher got, questions, and delays."""
    print("ready", flush=True)
    watchers = watch_all(Timing, address, cookies, count, seconds)
    came = [one.came for one in watchers]
    print(
        json.dumps(
            [
                min(one.got for one in watchers),
                sum(one.asked for one in watchers),
                came[0],
                came[-1],
            ]
        )
    )


def measure(seconds: float, watchers: int, *, lazy: bool) -> float:
    """Record before a class; gives the 95th percentile from sample to watcher, in s."""
    with four_channels() as stand_in, served([stand_in]) as (address, pid, folder):
        client = signed_in(address)
        cookies = dict(client.cookies)
        until_the_end = seconds + sizes.of(8, 3)
        others = watching("long_class", address, cookies, watchers, until_the_end)
        others.stdout.readline()  # its process has started
        sleeper = never_reading(address, cookies) if lazy else None
        time.sleep(sizes.of(3, 1))
        plan = {"rate": str(RATE), "duration": f"{seconds:g}", "channel": ["1", "2", "3", "4"]}
        before, began = cpu_seconds(pid), time.time()
        assert client.post("/experiments/1/record/start", data=plan).status_code == 200
        time.sleep(seconds / 10)
        early = memory(pid)
        time.sleep(seconds * 0.85)
        late = memory(pid)
        while client.get("/experiments/1/record/status").json()["phase"]:
            time.sleep(0.2)
        share = (cpu_seconds(pid) - before) / (time.time() - began)
        offset, origin = clock_offset(stand_in), origin_us(folder) / 1e6
        stored = stored_readings(folder)
        least, asked, *came = json.loads(others.communicate()[0])
        if sleeper is not None:
            sleeper.close()
    made, at = np.array([one for watcher in came for one in watcher]).T
    delays = at - (made + origin + offset)
    p50, p95, p99 = np.percentile(delays, [50, 95, 99])
    planned = int(seconds * RATE)
    beside = ", one that never reads beside them" if lazy else ""
    print(f"4 channels x {RATE} a second for {seconds:g} s, {watchers} watchers{beside}:")
    print(
        f"  made to watcher: p50 {p50 * 1e3:.0f} ms, p95 {p95 * 1e3:.0f}, p99 {p99 * 1e3:.0f}, most {delays.max() * 1e3:.0f}"
    )
    print(f"  stored {stored} of {planned}; each watcher got at least {least}, {asked} asked again")
    print(
        f"  server: {share:.0%} of a core; memory {early:.0f} MB after a tenth, {late:.0f} MB near the end"
    )
    return float(p95)


if __name__ == "__main__":
    length = sizes.typed(0, 60.0, 1.0)
    many = int(sizes.typed(1, 32, 2))
    with_one = measure(length, many, lazy=True)
    if not sizes.SMALL:
        without = measure(min(length, 60.0), many, lazy=False)
        print(f"p95 with one that never reads: {with_one / without:.2f} x that without")
