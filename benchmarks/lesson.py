"""A lesson of 32 groups: coming in, watching the teacher's run, zooming, asking, and recording.

One Chromium window is a group's page on which the run forms; the other groups are played by a
process of their own, over the same addresses that their pages would ask.

Run: python -m benchmarks.lesson [seconds [groups]]
"""

import asyncio
import json
import re
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

import httpx
import numpy as np
from playwright.sync_api import sync_playwright

from benchmarks import sizes
from benchmarks.live_path import NOTE_DRAWN, ask, clock_offset
from benchmarks.long_class import memory
from benchmarks.serving import ROOT, cpu_seconds, served, signed_in
from benchmarks.windows import launch, new_context

RATE = 100
TIMES = 7  # memory is looked at, after the first time
TASK = {"title": "Swell", "text": "Watch the swell.", "step-page": "desk", "step-text": "Look.",
        "step-done": "finding", "starts-with": ["conditions", "quantities", "sheets"]}  # fmt: skip


def come_in(address: str, code: str, number: int) -> dict:
    """Have a group come in; gives what its device knows then, and how long that took."""
    began = time.perf_counter()
    client = httpx.Client(base_url=address, timeout=180, follow_redirects=True)
    client.get("/come-in")
    token = client.cookies["csrftoken"]
    page = client.post("/come-in", data={"code": code, "name": f"Group {number}",
                                         "csrfmiddlewaretoken": token})  # fmt: skip
    took = time.perf_counter() - began
    copy = re.search(r"/experiments/(\d+)/desk", page.text)[1]
    return {"cookies": dict(client.cookies), "copy": copy, "took": took}


def sheet_of(address: str, group: dict) -> None:
    """Open a group's Desk, mark a stretch off, and keep what its page asks for."""
    client = httpx.Client(base_url=address, timeout=180, cookies=group["cookies"])
    desk = client.get(f"/experiments/{group['copy']}/desk").text
    group["sheet"] = re.search(r"/desk/sheets/(\d+)/data", desk)[1]
    group["quantity"] = re.search(r'"quantity": (\d+)', desk)[1]
    head = {"X-CSRFToken": group["cookies"]["csrftoken"], "HX-Request": "true"}
    client.post(f"/experiments/{group['copy']}/desk/sheets/{group['sheet']}/spans",
                data={"lo": "1", "hi": "6"}, headers=head)  # fmt: skip
    ledger = client.get(f"/experiments/{group['copy']}/desk/sheets/{group['sheet']}/ledger").text
    group["span"] = re.search(r"/desk/spans/(\d+)/ask", ledger)[1]


def play(address: str, groups: list[dict], seconds: float) -> None:
    """Play groups for so long; print how many readings each watcher got, and how long answers took."""
    print("ready", flush=True)
    print(json.dumps(asyncio.run(_played(address, groups, seconds))))


async def _played(address: str, groups: list[dict], seconds: float) -> dict:
    got: list[int] = [0] * len(groups)
    took: dict[str, list[float]] = {"windows": [], "changes": []}
    tasks = []
    for place, group in enumerate(groups):
        client = httpx.AsyncClient(base_url=address, timeout=180, cookies=group["cookies"])
        client.headers.update({"X-CSRFToken": group["cookies"]["csrftoken"], "HX-Request": "true"})
        tasks.append(_watch(client, got, place))
        if place < 8:
            tasks.append(_zoom(client, group, took["windows"]))
        elif place < 16:
            tasks.append(_ask(client, group, took["changes"]))
    running = [asyncio.create_task(one) for one in tasks]
    await asyncio.sleep(seconds)
    for task in running:
        task.cancel()
    ended = await asyncio.gather(*running, return_exceptions=True)
    faults = [repr(one) for one in ended if not isinstance(one, asyncio.CancelledError)]
    return {"got": got, "took": took, "faults": faults}


async def _watch(client: httpx.AsyncClient, got: list[int], place: int) -> None:
    async with client.stream("GET", "/lesson/events", timeout=None) as events:
        async for line in events.aiter_lines():
            if line.startswith("data:") and '"first":' in line:
                batch = json.loads(line[5:])
                got[place] = max(got[place], batch["first"] + batch["n"])


async def _timed(took: list[float], asking) -> None:
    began = time.perf_counter()
    answer = await asking
    took.append(time.perf_counter() - began)
    assert answer.status_code in (200, 204), (answer.status_code, answer.text[:300])


async def _zoom(client: httpx.AsyncClient, group: dict, took: list[float]) -> None:
    """Ask for windows of the readings, as a wheel that is turned does."""
    rng = np.random.default_rng(int(group["copy"]))
    where = f"/experiments/{group['copy']}/desk/sheets/{group['sheet']}/data"
    await asyncio.sleep(rng.uniform(0, 1))
    while True:
        lo = float(rng.uniform(0, 4))
        window = {"lo": f"{lo}", "hi": f"{lo + rng.uniform(0.5, 4)}", "columns": "900"}
        await _timed(took, client.get(where, params=window))
        await asyncio.sleep(rng.uniform(0.5, 1.5))


async def _ask(client: httpx.AsyncClient, group: dict, took: list[float]) -> None:
    """Move a span and ask of it, again and again."""
    rng = np.random.default_rng(int(group["copy"]))
    desk = f"/experiments/{group['copy']}/desk/spans/{group['span']}"
    kinds = ["mean", "spread", "line", "area", "change"]
    await asyncio.sleep(rng.uniform(0, 8))
    while True:
        ends = {"lo": f"{rng.uniform(0, 2)}", "hi": f"{rng.uniform(4, 8)}"}
        await _timed(took, client.post(desk, data=ends))
        asked = {"kind": str(rng.choice(kinds)), "of": group["quantity"]}
        await _timed(took, client.post(f"{desk}/ask", data=asked))
        await asyncio.sleep(rng.uniform(4, 12))


def record(client: httpx.Client, experiment: str, channels: list[str], seconds: float) -> None:
    """Start a steady run."""
    plan = {"plan": "steady", "rate": str(RATE), "duration": f"{seconds:g}", "channel": channels}
    answer = client.post(f"/experiments/{experiment}/record/start", data=plan)
    assert answer.status_code == 200, re.findall(r"alert[^<]*<?[^<]*", answer.text)


def of_group(address: str, group: dict) -> httpx.Client:
    client = httpx.Client(base_url=address, timeout=180, cookies=group["cookies"])
    client.headers["X-CSRFToken"] = group["cookies"]["csrftoken"]
    return client


def stored(folder, experiment: str) -> int:
    """Count the time stamps of an experiment's newest run."""
    return ask(folder, "select coalesce(sum(c.count), 0) from experiments_serieschunk c "
               "join experiments_series s on s.id = c.series_id join experiments_stream t on "
               "t.id = s.stream_id where s.quantity_id is null and t.run_id = (select max(id) from "
               f"experiments_run where experiment_id = {int(experiment)})")  # fmt: skip


def over(client: httpx.Client, experiment: str) -> None:
    while client.get(f"/experiments/{experiment}/record/status").json()["phase"]:
        time.sleep(0.2)


def measure(seconds: float, count: int) -> None:
    """Hold a lesson of so many groups for so long and say what was found."""
    rig = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.four_channels", "3"], cwd=ROOT,
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        stand_ins = rig.stdout.readline().split()[1:]
        with served(stand_ins) as (address, pid, folder), sync_playwright() as playwright:
            _measured(seconds, count, stand_ins, address, pid, folder, playwright)
    finally:
        rig.terminate()
        rig.wait()


def _measured(seconds, count, stand_ins, address, pid, folder, playwright) -> None:
    ada = signed_in(address)
    ada.headers["HX-Request"] = "true"
    time.sleep(2)
    record(ada, "1", ["1", "2", "3", "4"], 8)
    over(ada, "1")
    page = ada.post("/class/new", data=TASK | {"experiment": "1"}, follow_redirects=True)
    lesson = re.search(r"/class/(\d+)/now", page.text)[1]
    code = re.search(r'class="code">([^<]+)<', page.text)[1]

    began = time.perf_counter()
    with ThreadPoolExecutor(8) as pool:
        groups = list(pool.map(lambda n: come_in(address, code, n), range(count)))
    all_in = time.perf_counter() - began
    ada.post(f"/class/{lesson}/give", data={"run": "1"})
    for group in groups:
        sheet_of(address, group)
    for place, instrument in enumerate(("2", "3")):
        page = ada.get(f"/class/{lesson}/now").text
        name = f"<bdi>Group {count - 1 - place}<"
        key = next(row[0] for row in re.findall(r'id="group-(\d+)"(.*?)</tr>', page, re.DOTALL)
                   if name in row[1])  # fmt: skip
        lent = {"instrument": instrument, "group": key}
        ada.post(f"/class/{lesson}/lend", data=lent)

    browser = launch(playwright)
    context = new_context(browser)
    context.add_cookies([{"name": "sessionid", "value": groups[0]["cookies"]["sessionid"],
                          "url": address}])  # fmt: skip
    window = context.new_page()
    window.goto(f"{address}/lesson")
    window.evaluate(NOTE_DRAWN.replace("- 1) / 1000", f"- 1) / {RATE}"))
    lasts = seconds + sizes.of(6, 3)
    code_of_players = (
        "import sys, json; from benchmarks.lesson import play;"
        "play(sys.argv[1], json.loads(sys.stdin.readline()), float(sys.argv[2]))"
    )
    players = subprocess.Popen(
        [sys.executable, "-c", code_of_players, address, f"{lasts}"], cwd=ROOT,
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    players.stdin.write(json.dumps(groups[1:]) + "\n")
    players.stdin.flush()
    players.stdout.readline()
    time.sleep(sizes.of(2, 1))

    before, began = cpu_seconds(pid), time.time()
    record(ada, "1", ["1", "2", "3", "4"], seconds)
    for place in (0, 1):
        group = groups[count - 1 - place]
        first = 5 + 4 * place
        record(of_group(address, group), group["copy"],
               [str(first + n) for n in range(4)], seconds * 0.8)  # fmt: skip
    time.sleep(seconds * 0.15)
    held = [memory(pid)]
    for _ in range(TIMES):
        window.wait_for_timeout(seconds * 700 / TIMES)
        held.append(memory(pid))
    while ada.get("/experiments/1/record/status").json()["phase"]:
        window.wait_for_timeout(100)
    share = (cpu_seconds(pid) - before) / (time.time() - began)
    drawn = np.array(window.evaluate("window.drawn"))
    offset = clock_offset(stand_ins[0])
    origin = ask(folder, "select origin_us from experiments_stream where run_id = (select max(id) "
                 "from experiments_run where experiment_id = 1)") / 1e6  # fmt: skip
    delays = drawn[:, 1] - (drawn[:, 0] + origin + offset)
    shown = window.locator("#live-words").inner_text()
    browser.close()
    played = json.loads(players.communicate()[0])
    planned = round(seconds * RATE)
    own = [stored(folder, groups[count - 1 - place]["copy"]) for place in (0, 1)]
    slowest = max(group["took"] for group in groups)
    print(f"{count} groups, the teacher's run of 4 x {RATE} a second for {seconds:g} s:")
    print(f"  all groups in after {all_in:.1f} s, the slowest single one {slowest:.2f} s")
    print(f"  made to drawn: p50 {np.percentile(delays, 50) * 1e3:.0f} ms, p95 "
          f"{np.percentile(delays, 95) * 1e3:.0f} ms, most {delays.max() * 1e3:.0f} ms")  # fmt: skip
    everything = [one for listed in played["took"].values() for one in listed]
    for words, listed in (*played["took"].items(), ("all answers", everything)):
        if listed:
            p50, p95, most = np.percentile(np.array(listed) * 1e3, [50, 95, 100])
            print(
                f"  {words}: {len(listed)}, p50 {p50:.0f} ms, p95 {p95:.0f} ms, most {most:.0f} ms"
            )
    print(f"  stored {stored(folder, '1')} of {planned}, of two groups' own runs {own} of "
          f"{round(0.8 * planned)} each; every watcher got at least {min(played['got'])}; page: {shown}")  # fmt: skip
    print(
        f"  server: {share:.0%} of a core; memory from early to late "
        f"{', '.join(f'{megabytes:.0f}' for megabytes in held)} MB"
    )
    if played["faults"]:
        print("  faults:", played["faults"][:3])


if __name__ == "__main__":
    measure(sizes.typed(0, 60.0, 3.0), int(sizes.typed(1, 32, 3)))
