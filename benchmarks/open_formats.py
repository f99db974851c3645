"""Open formats: how fast a table is understood beside NumPy's own reading of the same text, and how
long and with how much memory an experiment is written as one file and read back.

Run: python -m benchmarks.open_formats
"""

import io
import os
import resource
import tempfile
import time
from pathlib import Path

os.environ["DJANGO_SETTINGS_MODULE"] = "galena.config.settings"

import django
import numpy as np

from benchmarks import sizes
from galena.core.formats import comma_separated, office_open, open_document
from galena.core.formats.sheets import Column, Sheet
from galena.core.formats.tables import understand

ROWS = sizes.of(1_000_000, 3000)
IN_A_BOOK = sizes.of(500_000, 1000)
READINGS = sizes.of(10_000_000, 40_000)
CHANNELS = 4
CHUNK = 250  # readings, as at a thousand a second


def sheet(rows: int) -> Sheet:
    """Give a table of a time and two quantities."""
    rng = np.random.default_rng(1)
    columns = (
        Column("t / s", np.arange(rows) / 1000, "%.3f"),
        Column("h / mm", rng.normal(100, 5, rows), "%.2f"),
        Column("T / °C", rng.normal(20, 1, rows), "%.3f"),
    )
    return Sheet("run 1", (), columns)


def tables(folder: Path) -> None:
    """Understand a text and two workbooks."""
    text = b"".join(comma_separated.write(sheet(ROWS)))
    began = time.perf_counter()
    assert understand(text).columns[2].values.size == ROWS
    taken = time.perf_counter() - began
    began = time.perf_counter()
    np.loadtxt(io.BytesIO(text), delimiter=",", skiprows=1)
    plain = time.perf_counter() - began
    print(f"  CSV of {ROWS:,} rows: {taken:.2f} s = {taken / plain:.1f} times numpy.loadtxt")
    for module, name in ((office_open, "XLSX"), (open_document, "ODS")):
        path = folder / name
        began = time.perf_counter()
        module.write([sheet(IN_A_BOOK)], str(path))
        out = time.perf_counter() - began
        began = time.perf_counter()
        understand(path.read_bytes())
        back = time.perf_counter() - began
        print(f"  {name} of {IN_A_BOOK:,} rows: written in {out:.1f} s, understood in {back:.1f} s")


def experiment_file(folder: Path) -> None:
    """Write experiments of two lengths as files and read them back; tell time and memory."""
    from galena.exchange import package

    before = _most()
    for count in (READINGS // 4, READINGS):
        experiment = recorded(count)
        path = folder / "experiment.zip"
        began = time.perf_counter()
        with path.open("wb") as file:
            package.write(experiment, file)
        out, size = time.perf_counter() - began, path.stat().st_size / 1e6
        began = time.perf_counter()
        with path.open("rb") as file:
            package.read(file, experiment.owner)
        back = time.perf_counter() - began
        print(f"  {count:,} readings: written in {out:.1f} s ({size:.0f} MB), read back in "
              f"{back:.1f} s; memory {_most():.0f} MB in all, {_most() - before:.0f} MB of it for "
              "this")  # fmt: skip


def _most() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def recorded(count: int):
    """Store a run of four channels, chunk by chunk as they are recorded."""
    from django.db import transaction
    from django.utils import timezone

    from galena.classroom.models import Person
    from galena.core.series import STAMPS, VALUES, pack
    from galena.experiments import flows
    from galena.experiments.models import Quantity, Run, Series, SeriesChunk, Stream

    ada, _ = Person.objects.get_or_create(username="ada", first_name="Ada")
    experiment = flows.create(ada, f"{count} readings", [])
    rng, each = np.random.default_rng(1), count // CHANNELS
    with transaction.atomic():
        run = Run.objects.create(experiment=experiment, number=1, rate=1000, started_by=ada,
                                 duration=each / 1000, started_at=timezone.now(),
                                 state=Run.State.FINISHED)  # fmt: skip
        stream = Stream.objects.create(run=run, instrument="Gauge", serial="1", origin_us=0)
        Series.objects.create(stream=stream)
        for channel in range(CHANNELS):
            quantity = Quantity.objects.create(experiment=experiment, name=f"level {channel}",
                                               symbol=f"h_{channel}", unit="mm")  # fmt: skip
            Series.objects.create(stream=stream, quantity=quantity, unit="mm")
        for series in stream.series.all():
            is_time = series.quantity_id is None
            for sequence, first in enumerate(range(0, each, CHUNK)):
                size = min(CHUNK, each - first)
                stamps = np.arange(first, first + size) * 1000
                values = stamps if is_time else rng.normal(0, 1, size).round(3)
                chunk = pack(values, first, STAMPS if is_time else VALUES)
                SeriesChunk.objects.create(series=series, sequence=sequence, count=size,
                                           first_index=first, data=chunk.data,
                                           crc32=chunk.crc32)  # fmt: skip
    return experiment


def main() -> None:
    """Measure in a folder and a database of their own."""
    with tempfile.TemporaryDirectory() as folder:
        os.environ["GALENA_DATA"] = folder
        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
        print("the experiment as one file:")
        experiment_file(Path(folder))
        print("tables:")
        tables(Path(folder))


if __name__ == "__main__":
    main()
