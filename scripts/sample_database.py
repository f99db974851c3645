"""Write the sample database of this version: one of each thing, as it is stored now.

From 0.2.0 on migrations are never rewritten; tests bring each version's sample up to date.
Run once at a release: python -m scripts.sample_database
"""

import lzma
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

from galena import __version__

TO = Path(__file__).resolve().parent.parent / "tests" / "databases"
WORD = "skerry-lamp"


def main() -> None:
    """Make the database in a folder of its own and keep it, packed."""
    with tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {"GALENA_DATA": folder, "GALENA_STAND_INS": ""}
        subprocess.run(
            [sys.executable, "-m", "scripts.sample_database", "fill"], env=environment, check=True
        )
        kept = TO / __version__
        shutil.rmtree(kept, ignore_errors=True)
        kept.mkdir(parents=True)
        database = (Path(folder) / "galena.sqlite3").read_bytes()
        (kept / "database.xz").write_bytes(lzma.compress(database, preset=9))
        print(f"{kept}: {len(database)} bytes, packed {(kept / 'database.xz').stat().st_size}")


def fill() -> None:
    """Put one of each thing into the database of this data folder."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    import django

    django.setup()
    from django.core.management import call_command
    from django.db import connection

    from galena.classroom import people
    from galena.experiments import flows
    from tests.web import everything

    call_command("migrate", verbosity=0)
    ada = people.add("ada", "Ada", WORD, manages=True)
    people.add("tern", "Tern", WORD)
    experiment = flows.create(ada, "Tide tank", [("pump", "mL/s"), ("drain", "")])
    everything.make(experiment)
    everything.of_a_class(experiment)
    removed = flows.create(ada, "Gangway", [])
    flows.remove_experiment(removed)
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        cursor.execute("VACUUM")
    connection.close()


if __name__ == "__main__":
    if sys.argv[1:] == ["fill"]:
        fill()
    else:
        main()
