"""The readings as they were stored, each series as a file of its own, bit for bit (NumPy's .npy).

They are written chunk by chunk and read piece by piece, so that ten million need little memory.
"""

import zlib
from typing import TYPE_CHECKING

from galena.core.series import STAMPS, VALUES
from galena.exchange import npy
from galena.exchange.errors import PackageError
from galena.exchange.parts import Keys
from galena.experiments.models import Experiment, Series, SeriesChunk

if TYPE_CHECKING:
    from galena.exchange.packing import Packing
    from galena.exchange.unpacking import Unpacking

AT_ONCE = 50_000  # readings of a chunk that is made of what was read
SIZE = 8  # bytes of a reading


def name_of(number: int) -> str:
    """Give the name of the file of a series, by the number that it has in the file."""
    return f"readings/{number}.npy"


class SeriesFiles:
    """Writes and reads the readings of all series of an experiment."""

    def write(self, experiment: Experiment, numbers: Keys, package: "Packing") -> None:
        """Write a file for each series; of a damaged one what stands before the damage."""
        stored = Series.objects.filter(stream__run__experiment=experiment)
        for series in stored.select_related("stream__run").order_by("pk"):
            count, whole = _whole(series, package)
            dtype = STAMPS if series.quantity_id is None else VALUES
            name = name_of(numbers[Series][series.pk])
            with package.file(name, count * SIZE + npy.LONGEST_HEAD) as file:
                file.write(npy.head(count, dtype))
                for chunk in series.stored[:whole].iterator(20):
                    file.write(bytes(chunk.data))

    def read(self, experiment: Experiment, keys: Keys, package: "Unpacking") -> None:
        """Read the file of each series into chunks. Raises PackageError."""
        made = Series.objects.in_bulk(keys.get(Series, {}).values())
        for number, key in keys.get(Series, {}).items():
            dtype = STAMPS if made[key].quantity_id is None else VALUES
            with package.file(name_of(number)) as file:
                count = npy.count(file, dtype, name_of(number))
                first = 0
                for sequence, start in enumerate(range(0, count, AT_ONCE)):
                    size = min(AT_ONCE, count - start)
                    data = file.read(size * SIZE)
                    if len(data) != size * SIZE:
                        raise PackageError(f"{name_of(number)} ends too early.")
                    SeriesChunk.objects.create(
                        series_id=key, sequence=sequence, first_index=first, count=size,
                        data=data, crc32=zlib.crc32(data),
                    )  # fmt: skip
                    first += size
                if file.read(1):
                    raise PackageError(f"{name_of(number)} is longer than it says.")


def _whole(series: Series, package: "Packing") -> tuple[int, int]:
    """Give how many readings of a series are whole, and in how many chunks; tells of damage."""
    count = whole = 0
    for chunk in series.stored.iterator(20):
        data = bytes(chunk.data)
        fits = chunk.first_index == count and len(data) == chunk.count * SIZE
        if not fits or zlib.crc32(data) != chunk.crc32:
            package.told.append(
                f"Run {series.stream.run.number}, {series}: damaged on the disk from reading "
                f"{count + 1} on. Those before it are here."
            )
            break
        count, whole = count + chunk.count, whole + 1
    return count, whole
