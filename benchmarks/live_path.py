"""From a sample made to the trace drawn: delay, loss and cost with 1 and 32 watchers, and while
reports are printed and films prepared beside.

One Chromium window draws the trace; the other watchers read the same events. The sample's making
is told by its time stamp, put on this machine's clock by `CLOCK?`; its drawing by the first frame
after the page has taken it. Also: what a killed server loses, ten times over.

Run: python -m benchmarks.live_path [seconds]
"""

import asyncio
import json
import os
import signal
import sqlite3
import time
from contextlib import nullcontext

import numpy as np
from playwright.sync_api import sync_playwright

from benchmarks import sizes
from benchmarks.beside import hard_work
from benchmarks.serving import (
    all_is_loaded,
    cpu_seconds,
    four_channels,
    served,
    signed_in,
    watching,
)
from benchmarks.windows import PATIENCE, launch, new_context
from galena.instruments.address import TcpTransport

RATE = 1000
NOTE_DRAWN = """() => {
  window.drawn = [];
  const parse = JSON.parse;
  JSON.parse = (text) => {
    const content = parse(text);
    if (content && content.data && content.first !== undefined) {
      const last = content.t0 + (content.n - 1) / 1000, came = Date.now() / 1000;
      requestAnimationFrame(() => window.drawn.push([last, Date.now() / 1000, came]));
    }
    return content;
  };
}"""  # 1000 as RATE


def clock_offset(address: str) -> float:
    """Give this machine's clock minus the device's, in seconds: of many round trips the best."""
    host, port = address.removeprefix("tcp://").split(":")
    line = TcpTransport(host, int(port), 2.0)
    trips = []
    for _ in range(30):
        before = time.time()
        line.write(b"CLOCK?\n")
        device = int(line.read(2.0)) / 1e6
        after = time.time()
        trips.append((after - before, (before + after) / 2 - device))
    line.close()
    return min(trips)[1]


class Watcher:
    """Reads the run's events over a plain socket and asks for what it missed, as the page does."""

    def __init__(self, address: str, cookies: dict) -> None:
        self.host, port = address.removeprefix("http://").split(":")
        self.port = int(port)
        self.cookie = "; ".join(f"{name}={value}" for name, value in cookies.items())
        self.got = self.asked = 0

    async def get(self, path: str) -> tuple[asyncio.StreamReader, asyncio.StreamWriter]:
        reader, writer = await asyncio.open_connection(self.host, self.port, limit=1 << 24)
        writer.write(
            f"GET {path} HTTP/1.1\r\nHost: {self.host}:{self.port}\r\n"
            f"Cookie: {self.cookie}\r\n\r\n".encode()
        )
        return reader, writer

    async def watch(self) -> None:
        reader, _ = await self.get("/experiments/1/events?topics=strips,runs&run")
        while True:
            event = await reader.readuntil(b"\n\n")
            if b'"first":' in event:
                first = int(event.partition(b'"first":')[2].split(b",")[0])
                count = int(event.partition(b'"n":')[2].split(b",")[0])
                if first > self.got:
                    await self.ask()
                self.got = max(self.got, first + count)

    async def ask(self) -> None:
        self.asked += 1
        reader, writer = await self.get(f"/experiments/1/runs/1/missed?from={self.got}&stream=0")
        head = (await reader.readuntil(b"\r\n\r\n")).decode().lower()
        length = int(head.partition("content-length: ")[2].split("\r")[0])
        self.got += length // 8 // 5
        await reader.readexactly(length)
        writer.close()


def record_one_run(page, seconds: float) -> None:
    """Record a run of so many seconds to its end."""
    page.get_by_role("button", name="Record Space").click()
    page.get_by_text("● recording run 1").wait_for()
    page.get_by_role("heading", name="Plan").wait_for(timeout=seconds * 1000 + PATIENCE)


def tell_delays(where: str, delays: np.ndarray) -> None:
    """Print how long after their making samples came somewhere; delays in s."""
    p50, p95, most = np.percentile(delays, [50, 95, 100]) * 1e3
    print(f"  made to {where}: p50 {p50:.0f} ms, p95 {p95:.0f} ms, most {most:.0f} ms")


def measure(watchers: int, seconds: float, *, hard: bool = False) -> None:
    """Record for so many seconds with so many watchers and say what was found.

    hard: whether reports are printed and films prepared all the while.
    """
    with (
        four_channels() as stand_in,
        served([stand_in]) as (address, pid, folder),
        sync_playwright() as playwright,
    ):
        client = signed_in(address)
        while not (sizes.SMALL or all_is_loaded(pid)):  # it is no part of what a run costs
            time.sleep(0.5)
        browser = launch(playwright)
        page = new_context(browser).new_page()
        page.goto(address)
        page.get_by_role("button", name="Come in as Ada").click()
        page.goto(f"{address}/experiments/1/record")
        page.evaluate(NOTE_DRAWN)
        page.locator("#rate").fill(str(RATE))
        page.locator("#duration").fill(f"{seconds:g}")
        others = None
        if watchers > 1:
            cookies, until_the_end = dict(client.cookies), seconds + sizes.of(6, 3)
            others = watching("live_path", address, cookies, watchers - 1, until_the_end)
            time.sleep(sizes.of(2, 1))
        with hard_work(signed_in(address), signed_in(address)) if hard else nullcontext() as work:
            before, began = cpu_seconds(pid), time.time()
            record_one_run(page, seconds)
            share = (cpu_seconds(pid) - before) / (time.time() - began)
        drawn = np.array(page.evaluate("window.drawn"))
        shown = page.locator("#taken").inner_text()
        offset, origin = clock_offset(stand_in), origin_us(folder) / 1e6
        delays = drawn[:, 1:] - (drawn[:, :1] + origin + offset)
        stored = stored_readings(folder)
        browser.close()
        got = others.communicate()[0].split() if others else []
    planned = int(seconds * RATE)
    print(f"{watchers} watcher(s), 4 channels x {RATE} a second for {seconds:g} s:")
    if work:
        print(f"  beside: {work.reports} reports printed, {work.clips} films prepared")
    tell_delays("in the page", delays[:, 1])
    tell_delays("drawn", delays[:, 0])
    print(f"  stored {stored} of {planned} readings of each channel; page: {shown}")
    if got:
        print(f"  the other watchers got at least {got[0]} of {planned}; {got[1]} asked again")
    print(f"  server: {share:.0%} of one core")


def watch_all(kind: type[Watcher], address: str, cookies: str, count: int, seconds: float) -> list:
    """Watch for so long with so many watchers, and give them."""

    async def scene() -> list[Watcher]:
        watchers = [kind(address, json.loads(cookies)) for _ in range(count)]
        tasks = [asyncio.create_task(one.watch()) for one in watchers]
        await asyncio.sleep(seconds)
        for task in tasks:
            task.cancel()
        return watchers

    return asyncio.run(scene())


def watch_for(address: str, cookies: str, count: int, seconds: float) -> None:
    """Watch for so long and print how many readings each watcher got, and asked for again."""
    watchers = watch_all(Watcher, address, cookies, count, seconds)
    print(min(one.got for one in watchers), sum(one.asked for one in watchers))


def ask(folder, text: str):
    with sqlite3.connect(folder / "galena.sqlite3") as database:
        return database.execute(text).fetchone()[0]


def origin_us(folder) -> int:
    return ask(folder, "select origin_us from experiments_stream")


def stored_readings(folder) -> int:
    """Count the readings of the time stamps' series on the disk."""
    return ask(
        folder,
        "select coalesce(sum(count), 0) from experiments_serieschunk join experiments_series s "
        "on s.id = series_id where s.quantity_id is null",
    )


def kill(times: int) -> None:
    """Kill the server while it records, and count what is missing of the last moment."""
    missing = []
    for _ in range(times):
        with four_channels() as stand_in, served([stand_in]) as (address, pid, folder):
            client = signed_in(address)
            channels = ["1", "2", "3", "4"]
            for _ in range(200):
                plan = {"rate": str(RATE), "duration": "60", "channel": channels}
                if client.post("/experiments/1/record/start", data=plan).status_code == 200:
                    break
                time.sleep(0.05)
            while client.get("/experiments/1/record/status").json()["taken"] < 1500:
                time.sleep(0.02)
            offset = clock_offset(stand_in)
            time.sleep(np.random.default_rng().uniform(0, 0.3))
            os.kill(pid, signal.SIGKILL)
            killed = time.time()
            made = (killed - offset - origin_us(folder) / 1e6) * RATE
            missing.append((made - stored_readings(folder)) / RATE)
    print(f"killed {times} times: missing of the last moment: "
          f"median {np.median(missing) * 1e3:.0f} ms, most {max(missing) * 1e3:.0f} ms")  # fmt: skip


if __name__ == "__main__":
    length = sizes.typed(0, 20.0, 1.0)
    if not sizes.SMALL:
        measure(1, length)
    measure(sizes.of(32, 2), length)
    measure(sizes.of(32, 2), length, hard=True)
    kill(sizes.of(10, 1))
