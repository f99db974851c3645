"""Growing delays for those who try many passwords, by the name tried and by the address it is
tried from. Kept in memory: a restart of the server forgets it.
"""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass

FREE_BY_NAME, FREE_BY_ADDRESS = 4, 20  # a class behind one address mistypes now and then
LONGEST = 300.0  # seconds
FORGOTTEN_AFTER = 3600.0
GUESSES_A_MINUTE, MINUTE = 10, 60.0
MOST = 5000  # names and addresses that are remembered


@dataclass
class _Tries:
    failed: int = 0
    until: float = 0.0
    last: float = 0.0


class Patience:
    """How often each name and address has failed, and until when it must wait."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._tries: OrderedDict[tuple[str, str], _Tries] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, name: str, address: str) -> float:
        """Tell for how many seconds nothing can be tried under a name from an address."""
        now = self._now()
        with self._lock:
            tries = [self._tries.get(key) for key in _keys(name, address)]
            return max((0.0, *(one.until - now for one in tries if one is not None)))

    def failed(self, name: str, address: str) -> None:
        """Count a wrong password: beyond the free ones each doubles the delay."""
        now = self._now()
        with self._lock:
            for key, free in zip(
                _keys(name, address), (FREE_BY_NAME, FREE_BY_ADDRESS), strict=True
            ):
                tries = self._tries.setdefault(key, _Tries())
                if now - tries.last > FORGOTTEN_AFTER:
                    tries.failed = 0
                tries.failed, tries.last = tries.failed + 1, now
                beyond = tries.failed - free
                if beyond > 0:
                    tries.until = now + min(LONGEST, 2.0 ** min(beyond, 20))
                self._tries.move_to_end(key)
            while len(self._tries) > MOST:
                self._tries.popitem(last=False)

    def succeeded(self, name: str, address: str) -> None:
        """Forget the tries under a name; those from an address count on."""
        with self._lock:
            self._tries.pop(_keys(name, address)[0], None)

    def forget(self) -> None:
        """Forget everybody."""
        with self._lock:
            self._tries.clear()


class Guesses:
    """How often codes were guessed wrong from each address within a minute."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._wrong: OrderedDict[str, list[float]] = OrderedDict()
        self._lock = threading.Lock()

    def wait(self, address: str) -> float:
        """Tell for how many seconds no code can be tried from an address."""
        now = self._now()
        with self._lock:
            recent = [at for at in self._wrong.get(address, ()) if now - at < MINUTE]
            return 0.0 if len(recent) < GUESSES_A_MINUTE else recent[0] + MINUTE - now

    def wrong(self, address: str) -> None:
        """Count a wrong code."""
        now = self._now()
        with self._lock:
            recent = [at for at in self._wrong.get(address, ()) if now - at < MINUTE]
            self._wrong[address] = [*recent, now][-GUESSES_A_MINUTE:]
            self._wrong.move_to_end(address)
            while len(self._wrong) > MOST:
                self._wrong.popitem(last=False)

    def forget(self) -> None:
        """Forget everybody."""
        with self._lock:
            self._wrong.clear()


def _keys(name: str, address: str) -> tuple[tuple[str, str], tuple[str, str]]:
    return ("name", name.strip().casefold()[:150]), ("address", address)


PATIENCE = Patience()
GUESSES = Guesses()
