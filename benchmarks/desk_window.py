"""What one pan or zoom over a run of 1,000,000 readings costs: bytes and server time.

Server time is given as a multiple of reading the same blobs with numpy and drawing nothing.

Run: python -m benchmarks.desk_window [--small]
"""

import os
import tempfile

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from benchmarks.timing import best

COUNT = sizes.of(1_000_000, 20_000)
RATE = 1000.0
SECONDS = COUNT / RATE


def extremes_in_memory(blob: bytes) -> None:
    """Do with numpy alone what a window needs."""
    array = np.frombuffer(blob, dtype="<f8").copy()
    array[: COUNT // 800 * 800].reshape(800, -1).min(axis=1)
    array[: COUNT // 800 * 800].reshape(800, -1).max(axis=1)


def build():
    """Store the run; gives its sheet and its readings."""
    from galena.classroom.models import Person
    from galena.desk.sheets import flows as sheet_flows
    from galena.experiments import flows as experiment_flows
    from tests import making

    ada = Person.objects.create_user("ada", first_name="Ada")
    experiment = experiment_flows.create(ada, "A million readings")
    y = making.ramp(COUNT, rate=RATE, slope=0.02, noise=3.0)
    making.run(experiment, y, rate=RATE, chunk=250)
    return sheet_flows.first_sheet(experiment), y


def main() -> None:
    """Build the run, then measure."""
    django.setup()
    from django.core.management import call_command

    call_command("migrate", verbosity=0)
    from galena.desk.drawing import window
    from galena.experiments.data import cache
    from galena.experiments.models import SeriesChunk

    sheet, y = build()
    blob = y.tobytes()
    rows = SeriesChunk.objects.order_by("series_id", "sequence").values_list("data", flat=True)

    def plain() -> None:
        np.frombuffer(b"".join(rows.all()), dtype="<f8").min()

    def cold() -> None:
        cache.forget()
        window.encode(sheet, None, None, 800)

    read, numpy_only = best(plain, 3), best(lambda: extremes_in_memory(blob))
    cold()
    first = best(cold, 3)
    print(f"{COUNT:,} readings, 800 pixel columns:")
    print(
        f"  first look, from the disk: {first * 1e3:.0f} ms, {first / read:.2f} x reading its blobs"
    )
    for name, ends in [
        ("all", (None, None)), ("an eighth of it", (0.3 * SECONDS, 0.42 * SECONDS)),
        ("half a second", (0.3 * SECONDS, 0.3 * SECONDS + 0.5)),
    ]:  # fmt: skip
        taken = best(lambda ends=ends: window.encode(sheet, *ends, 800))
        size = len(window.encode(sheet, *ends, 800))
        print(f"  {name}: {taken * 1e3:.1f} ms, {taken / read:.2f} x reading the blobs, "
              f"{taken / numpy_only:.2f} x a plain minimum and maximum in memory, "
              f"{size / 1e3:.0f} kB")  # fmt: skip


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        main()
