"""An hour of 4 channels at 1 kHz, 14 million readings, on the Desk: first look, then pan and zoom,
plateaus searched for, a line fitted to 100,000 readings, and all of it written as CSV.

Times are also given as multiples of reading the same blobs and doing nothing with them.

Run: python -m benchmarks.hour_on_desk
"""

import asyncio
import os
import tempfile
import time

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.timing import best

RATE = 1000.0
SECONDS = sizes.of(3600, 60)


def build(seconds: float = SECONDS):
    """Store a run of so many seconds as the recorder would, 250 readings to a chunk."""
    from galena.bench.channel_display import display
    from galena.bench.flows import register
    from galena.classroom.models import Person
    from galena.core.plans import SteadyPlan
    from galena.experiments import flows as experiment_flows
    from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
    from galena.recording import flows
    from galena.recording.acquisition.taking import Batch

    ada, _ = Person.objects.get_or_create(username="ada", first_name="Ada")
    experiment = experiment_flows.create(ada, f"{seconds:g} s")
    facts = tuple(
        ChannelFacts(f"u{n}", f"swell {n}", f"u_{n}", "V", -5, 5, 0.001, 1000) for n in range(4)
    )
    made = register(Identity("Skerry Works", "Swell gauge", "0004", "1.0"), facts)
    shown = display.channels(experiment, [one.pk for one in made])
    run, (stored,) = flows.begin_run(
        experiment, SteadyPlan(RATE, seconds), [list(shown.values())], {}, "", ada
    )
    stored.stream.origin_us = 0
    stored.stream.save()
    rng, count = np.random.default_rng(3), int(RATE * seconds)
    t = np.arange(count) / RATE
    values = np.stack([np.sin(t / (7 + n)) + rng.normal(0, 0.05, count) for n in range(4)], axis=1)
    stamps = np.arange(count, dtype=np.int64) * 1000
    batches = [slice(first, first + 250) for first in range(0, count, 250)]
    for first in range(0, len(batches), 100):
        parts = batches[first : first + 100]
        chunks = []
        for part in parts:
            chunks += stored.chunks(Batch(part.start, stamps[part], values[part]))
            stored.sequence += 1
        type(chunks[0]).objects.bulk_create(chunks)
    flows.end_run(run, "", [flows.StreamEnd(stored, 0, 0, 0, 1.0)])
    return experiment, run


STRETCHES = {
    "all of it": (None, None),
    "a sixth of it": (SECONDS / 6, SECONDS / 3),
    "a second": (SECONDS / 6, SECONDS / 6 + 1),
}


def main() -> None:
    """Build, then look."""
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from galena.desk.drawing import window
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments.data import cache
    from galena.experiments.models import SeriesChunk
    from galena.experiments.runs import judging

    began = time.perf_counter()
    experiment, run = build()
    print(f"{4 * RATE * SECONDS:,.0f} readings stored in {time.perf_counter() - began:.0f} s")
    sheet = sheet_flows.first_sheet(experiment)
    series = sheet.quantity.series_set.get()

    def plain() -> None:
        wanted = [series.pk, series.stream.series.get(quantity=None).pk]
        rows = SeriesChunk.objects.filter(series__in=wanted).values_list("data", flat=True)
        b"".join(rows)

    def cold() -> None:
        cache.forget()
        window.encode(sheet, None, None, 1200)

    read, first = best(plain, 3), best(cold, 3)
    print(f"  first look at one quantity ({RATE * SECONDS:,.0f} readings) from the disk: "
          f"{first * 1e3:.0f} ms, {first / read:.2f} x reading its blobs")  # fmt: skip
    for name, ends in STRETCHES.items():
        taken = best(lambda ends=ends: window.encode(sheet, *ends, 1200))
        size = len(window.encode(sheet, *ends, 1200))
        print(f"  {name}: {taken * 1e3:.1f} ms, {taken / read:.3f} x reading the blobs, "
              f"{size / 1e3:.0f} kB")  # fmt: skip
    began = time.perf_counter()
    judging.look(run)
    took = time.perf_counter() - began
    print(f"  the second look at all four: {took:.1f} s, once, at the end of the run")
    _ask(experiment, sheet, run)


def _ask(experiment, sheet, run) -> None:
    """Search for plateaus, fit a line, and write a file, as the pages do."""
    from django.test import Client
    from django.urls import reverse

    from galena.desk.annotations import flows
    from galena.desk.findings import flows as finding_flows
    from galena.shell.worker import WORKERS

    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(experiment.owner)
    span = flows.add_span(sheet, 0.0, min(100.0, SECONDS))
    desk = reverse("desk", args=[experiment.pk])
    csv = reverse("run-file", args=[experiment.pk, run.number, "csv"])

    def line() -> None:
        finding_flows.ask(span, "line", sheet.quantity, [run])
        assert client.get(desk).status_code == 200

    acts = {
        "its Desk opened": lambda: client.get(desk),
        "plateaus searched for": lambda: client.post(
            reverse("plateaus", args=[experiment.pk, sheet.pk])
        ),
        "a line fitted to 100,000 readings, and the Desk with it": line,
        "written as CSV": lambda: _whole(client.get(csv)),
    }
    for name, act in acts.items():
        began = time.perf_counter()
        act()
        print(f"  {name}: {time.perf_counter() - began:.2f} s")
    WORKERS.close()


def _whole(answer) -> None:
    """Read all of an answer that comes in parts."""
    assert answer.status_code == 200, answer.status_code

    async def read() -> None:
        async for _ in answer.streaming_content:
            pass

    asyncio.run(read())


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        main()
