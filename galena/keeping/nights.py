"""What is done each night while the server runs: a backup, and the sweep of what was removed."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from datetime import datetime
from pathlib import Path

from django.db import close_old_connections, connections

from galena.core.errors import GalenaError
from galena.keeping import nightly, removed
from galena.keeping.backups import DATABASE

LOOKS_EVERY = 300.0  # s
FIRST_LOOK = 60.0  # s after the start, when the room has come in
log = logging.getLogger(__name__)


class Nights:
    """Looks now and then whether a night has passed, in a thread of its own."""

    def __init__(self, sweep: Callable[[], object] = removed.sweep) -> None:
        self._sweep = sweep
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    def begin(self, folder: Path) -> None:
        """Begin to look after a data folder."""
        self._ended.clear()
        self._thread = threading.Thread(
            target=self._run, args=(folder,), name="nights", daemon=True
        )
        self._thread.start()

    def end(self) -> None:
        """Stop looking; a backup that is being made is finished first."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join()
            self._thread = None

    def _run(self, folder: Path) -> None:
        wait = FIRST_LOOK
        while not self._ended.wait(wait):
            wait = LOOKS_EVERY
            self.look(folder, datetime.now())

    def look(self, folder: Path, now: datetime) -> None:
        """Do what is due; what cannot be done is told in the log and tried again."""
        try:
            if (folder / DATABASE).exists() and nightly.is_due(folder, now):
                nightly.make_nightly(folder, now)
                close_old_connections()
                self._sweep()
        except (GalenaError, OSError) as error:
            log.error("What is done each night could not be: %s", error)
        except Exception:
            log.exception("What is done each night broke off.")
        finally:
            connections.close_all()


NIGHTS = Nights()
