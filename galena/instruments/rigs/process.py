"""Start a rig as a process of its own and learn where its instruments are."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Sequence
from types import TracebackType

from galena.instruments.errors import InstrumentError


class RigProcess:
    """A running rig; `addresses` has one entry an instrument. Ends with the `with` block."""

    def __init__(
        self, rig: str, *, seed: int = 1, pace: float = 1.0, ports: Sequence[int] = ()
    ) -> None:
        command = [sys.executable, "-m", "galena.instruments.rigs", rig]
        command += ["--seed", str(seed), "--pace", str(pace)]
        command += ["--port", *map(str, ports)] if ports else []
        # A session of its own: Ctrl+C in the terminal is for whoever started the rig.
        self._process = subprocess.Popen(
            command,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            start_new_session=True,
        )
        assert self._process.stdout is not None
        word, *addresses = self._process.stdout.readline().split() or [""]
        if word != "ready":
            self.stop()
            raise InstrumentError(f"The rig {rig} did not start. Run it by hand to see why.")
        self.addresses = addresses

    def stop(self) -> None:
        """End the process and wait for its end."""
        self._process.terminate()
        self._process.wait(timeout=30)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                pipe.close()

    def __enter__(self) -> RigProcess:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:  # fmt: skip
        self.stop()
