"""A large experiment is written in a process of its own, so that it never holds up the live feed.

This module knows no Django until it works: a worker imports it first.
"""

from __future__ import annotations

import os


def write(key: int, path: str, database: str, data: str) -> None:
    """Write the experiment of a key into a file.

    database: the file of the database; data: the folder of all data. Raises PackageError.
    """
    os.environ["GALENA_DATA"] = data
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "galena.config.settings")
    import django
    from django.conf import settings

    settings.DATABASES["default"]["NAME"] = database
    django.setup()
    from django.db import connection

    from galena.exchange import package
    from galena.experiments.models import Experiment

    try:
        with open(path, "wb") as file:  # noqa: PTH123 - nothing else is imported here
            package.write(Experiment.objects.get(pk=key), file)
    finally:
        connection.close()
