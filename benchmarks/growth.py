"""How time and memory grow with the length of a run: 10,000 to 10,000,000 readings of four channels.

What is shown has the same size however long a run is: a window of 1200 columns, the Desk's page.
Each is told beside what it takes for the shortest run, and beside NumPy's minimum and maximum of the
same readings in memory.

Run: python -m benchmarks.growth
"""

import os
import tempfile
import time

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.hour_on_desk import RATE, build
from benchmarks.long_class import memory
from benchmarks.timing import best

LENGTHS = sizes.of((2.5, 25.0, 250.0, 2500.0), (0.5, 2.5))  # s, of four channels at 1 kHz


def main() -> None:
    """Build runs, each longer than the one before, and look at each."""
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    for seconds in LENGTHS:
        _measured(seconds)


def _measured(seconds: float) -> None:
    from django.test import Client
    from django.urls import reverse

    from galena.desk.annotations import flows
    from galena.desk.drawing import window
    from galena.desk.findings import flows as finding_flows
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments.data import cache

    experiment, run = build(seconds)
    client = Client(headers={"host": "127.0.0.1"})
    client.force_login(experiment.owner)
    sheet = sheet_flows.first_sheet(experiment)
    finding_flows.ask(flows.add_span(sheet, 0.0, seconds), "mean", sheet.quantity, [run])
    desk = reverse("desk", args=[experiment.pk])
    cache.forget()
    before = memory(os.getpid())
    began = time.perf_counter()
    assert client.get(desk).status_code == 200
    first = time.perf_counter() - began
    held = memory(os.getpid()) - before
    again = best(lambda: client.get(desk), 5)
    shown = best(lambda: window.encode(sheet, None, None, 1200), 5)
    count = int(RATE * seconds)
    readings = np.random.default_rng(1).normal(size=count)
    plain = best(lambda: (readings.min(), readings.max()), 5)
    print(
        f"{4 * count:12,} readings: Desk first {first * 1e3:6.0f} ms, again {again * 1e3:4.0f} ms; "
        f"a window {shown * 1e3:5.1f} ms ({shown / plain:6.1f} x numpy's extremes of one channel); "
        f"memory + {held:4.0f} MB = {held * 1e6 / (4 * count * 8):.1f} x the readings"
    )


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        main()
