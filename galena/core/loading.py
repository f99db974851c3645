"""Libraries that are loaded when they are first used.

SciPy and Pint take as long to load as all else together: a server that was killed in the midst of a
run does not wait for them before it records again.
"""

from __future__ import annotations

import importlib
from types import ModuleType
from typing import Any

LATER: set[str] = set()  # the names of all modules that are loaded so


class _Later:
    """Stands for a module until something of it is asked for."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, attribute: str) -> Any:
        return getattr(self.load(), attribute)

    def load(self) -> ModuleType:
        return importlib.import_module(self._name)


def later(name: str) -> Any:
    """Give a module by its whole name; it is loaded once something of it is asked for."""
    LATER.add(name)
    return _Later(name)
