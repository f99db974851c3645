"""The experiment file is made: a small one here, a large one in a process of its own."""

import tempfile
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.db.models import Sum
from django.db.models.functions import Coalesce

from galena.exchange import apart, package
from galena.exchange.sending import ZIP, Made
from galena.exchange.working import Work
from galena.experiments.models import Experiment, Series, SeriesChunk
from galena.shell.worker import Workers

MANY = 500_000  # readings
PATIENCE = 1800.0  # s
WORKERS = Workers(1)


def make(experiment: Experiment, name: str, work: Work) -> Made:
    """Make the file, which is sent under this name. Raises PackageError, WorkerError."""
    folder = tempfile.TemporaryDirectory()
    path = Path(folder.name) / "experiment"
    try:
        write_to(experiment, path)
    except BaseException:
        folder.cleanup()
        raise
    return Made(path, folder, name, ZIP)


def write_to(experiment: Experiment, path: Path) -> None:
    """Write an experiment into a file of this name. Raises PackageError, WorkerError."""
    database = str(connection.settings_dict["NAME"])
    if readings_of(experiment) > MANY and Path(database).is_file():
        data = str(settings.DATA_DIR)
        WORKERS.do(apart.write, experiment.pk, str(path), database, data, patience=PATIENCE)
    else:
        with path.open("wb") as file:
            package.write(experiment, file)


def readings_of(experiment: Experiment) -> int:
    """Count what is stored of an experiment's series, time stamps as well."""
    holders = Series.objects.filter(stream__run__experiment=experiment)
    holders = holders.values(holder=Coalesce("stored_in", "pk"))
    stored = SeriesChunk.objects.filter(series__in=holders)
    return stored.aggregate(n=Sum("count"))["n"] or 0
