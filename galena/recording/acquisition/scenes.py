"""How the rigs look while a run is recorded, so that its replay can show them move.

Only for runs whose instruments belong to a rig; a run with real instruments has no scene.
"""

import contextlib
import threading
import time
from collections.abc import Callable

from galena.instruments.errors import InstrumentError
from galena.instruments.rigs.room import PluggedRig

SHORTEST, LONGEST = 0.03, 1.0  # seconds between two looks
LOOKS = 300  # as many as one wants of a whole run
MOST = 2000
KEPT_WHILE_WAITING = 100

Look = tuple[float, dict[str, float]]  # this computer's clock in µs, and the state


class SceneWatcher:
    """Looks at rigs every now and then, in a thread of its own, until it is ended."""

    def __init__(self, rigs: list[PluggedRig], lasts: float | None, *, waiting: bool) -> None:
        self.rigs = rigs
        self.waiting = waiting
        self._every = LONGEST if lasts is None else lasts / LOOKS
        self._every = min(LONGEST, max(SHORTEST, self._every))
        self._looks: dict[str, list[Look]] = {rig.key: [] for rig in rigs}
        self._ending = threading.Event()
        self._thread = threading.Thread(target=self._watch, name="scenes", daemon=True)
        if rigs:
            self._thread.start()

    def end(self, seconds: Callable[[float], float]) -> dict[str, dict[str, list[float]]]:
        """End it, and give each rig's states by name, with their times by the run's clock."""
        self._ending.set()
        if self._thread.is_alive():
            self._thread.join(timeout=5)
        return {key: _columns(looks, seconds) for key, looks in self._looks.items() if looks}

    def _watch(self) -> None:
        while not self._ending.is_set():
            for rig in self.rigs:
                with contextlib.suppress(InstrumentError, ValueError):
                    before = time.monotonic_ns()
                    state = rig.state
                    after = time.monotonic_ns()
                    self._keep(self._looks[rig.key], ((before + after) / 2000, state))
            self._ending.wait(self._every)

    def _keep(self, looks: list[Look], look: Look) -> None:
        looks.append(look)
        if self.waiting and len(looks) > KEPT_WHILE_WAITING:
            del looks[0]
        elif len(looks) > MOST:
            del looks[1::2]
            self._every *= 2


def _columns(looks: list[Look], seconds: Callable[[float], float]) -> dict[str, list[float]]:
    columns: dict[str, list[float]] = {"t": [round(seconds(at), 4) for at, _ in looks]}
    for name in looks[0][1]:
        if name != "t":
            columns[name] = [float(f"{state.get(name, 0.0):.6g}") for _, state in looks]
    return columns
