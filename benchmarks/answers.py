"""How fast the server answers: each page with 20 spans over 4 runs, alone and while a run of
4 x 100 readings a second is recorded; and a list of 200 experiments with 50 runs each.

Each page is compared with the sign-in page, which reads nothing: the least that an answer takes.

Run: python -m benchmarks.answers [times]
"""

import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager

import httpx
import numpy as np

from benchmarks import sizes
from benchmarks.serving import ROOT, served_from, signed_in, surroundings

SPANS, RUNS, READINGS = sizes.of(20, 2), sizes.of(4, 2), sizes.of(6000, 200)
EXPERIMENTS, RUNS_EACH = sizes.of(200, 3), sizes.of(50, 2)
KINDS = ("mean", "spread", "line", "area", "change")


def make_world() -> None:
    """Fill the data folder: a Desk with spans that were asked, and a long list of experiments."""
    import django

    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from galena.classroom.models import Person

    ada = Person.objects.create_user("ada", first_name="Ada")
    _desk(ada)
    _list(ada)


def _desk(ada) -> None:
    from galena.desk.annotations import flows
    from galena.desk.findings import flows as finding_flows
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from tests import making

    experiment = experiment_flows.create(ada, "Swell")
    for seed in range(RUNS):
        making.run(experiment, making.ramp(READINGS, 100.0, seed=seed), rate=100.0)
    sheet = sheet_flows.first_sheet(experiment)
    runs = list(experiment.runs.all())
    for run in runs:
        run.shown = True
        run.save()
    length = READINGS / 100
    for number in range(SPANS):
        lo = length * number / SPANS
        span = flows.add_span(sheet, lo, lo + 0.8 * length / SPANS)
        finding_flows.ask(span, KINDS[number % len(KINDS)], sheet.quantity, runs)


def _list(ada) -> None:
    from django.utils import timezone

    from galena.experiments import flows as experiment_flows
    from galena.experiments.models import Run

    now = timezone.now()
    for number in range(EXPERIMENTS):
        experiment = experiment_flows.create(ada, f"Gauge {number}: level of the tide")
        Run.objects.bulk_create(
            Run(
                experiment=experiment,
                number=place + 1,
                note=f"low water {place}",
                state="finished",
                started_at=now,
                started_by=ada,
            )
            for place in range(RUNS_EACH)
        )


def pages() -> dict[str, str]:
    """Give the addresses that are asked for, by the name of the page."""
    desk = "/experiments/1/desk"
    return {
        "sign-in (reads nothing)": "/sign-in",
        "list": "/",
        "list, searched": "/?words=low+water",
        "Bench": "/experiments/1/bench",
        "Record": "/experiments/1/record",
        "Desk": desk,
        "quantities": "/experiments/1/quantities",
        "Report": "/experiments/1/report",
        "window": f"{desk}/sheets/1/data?columns=900",
        "ledger": f"{desk}/sheets/1/ledger",
    }


def ask(client, times: int) -> dict[str, np.ndarray]:
    """Ask for each page so many times, in turn; gives the times that the answers took, in ms."""
    took: dict[str, list[float]] = {name: [] for name in pages()}
    for _ in range(times):
        for name, address in pages().items():
            began = time.perf_counter()
            answer = client.get(address)
            took[name].append((time.perf_counter() - began) * 1e3)
            assert answer.status_code in (200, 302), (name, answer.status_code)
    return {name: np.array(each) for name, each in took.items()}


def say(words: str, took: dict[str, np.ndarray]) -> None:
    print(f"{words}:")
    least = np.median(took["sign-in (reads nothing)"])
    for name, each in took.items():
        p50, p95 = np.percentile(each, [50, 95])
        print(f"  {name:24s} p50 {p50:5.0f} ms, p95 {p95:5.0f} ms, {p50 / least:5.1f} x the least")


@contextmanager
def world() -> Iterator[tuple[str, httpx.Client]]:
    """Serve a world of its own, with a rig; gives the address and a client that has come in."""
    rig = subprocess.Popen(
        [sys.executable, "-m", "benchmarks.four_channels"], cwd=ROOT,
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        stand_in = rig.stdout.readline().split()[1]
        with tempfile.TemporaryDirectory() as folder:
            code = "from benchmarks.answers import make_world; make_world()"
            words = [sys.executable, "-c", code, *(["--small"] if sizes.SMALL else [])]
            subprocess.run(words, cwd=ROOT, env=surroundings(folder, []), check=True)
            with served_from(folder, [stand_in]) as (address, _):
                yield address, signed_in(address)
    finally:
        rig.terminate()
        rig.wait()


@contextmanager
def recording_world() -> Iterator[tuple[str, httpx.Client]]:
    """Serve such a world while a run is recorded in it."""
    with world() as (address, client):
        record(client)
        yield address, client
        client.post("/experiments/1/record/stop")


def record(client: httpx.Client) -> None:
    """Start a run of 4 x 100 readings a second."""
    page = client.get("/experiments/1/record").text
    channels = re.findall(r'name="channel"[^>]*value="(\d+)"', page)
    plan = {"plan": "steady", "rate": "100", "duration": "600", "channel": channels}
    answer = client.post("/experiments/1/record/start", data=plan, headers={"HX-Request": "true"})
    assert answer.status_code == 200, answer.text


def measure(times: int) -> None:
    """Measure alone, and while a run is recorded."""
    with world() as (_, client):
        ask(client, 2)  # what is made once is made
        say(f"alone, {times} times", ask(client, times))
        record(client)
        say("while a run is recorded", ask(client, times))
        client.post("/experiments/1/record/stop")


if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    measure(int(sizes.typed(0, 40, 2)))
