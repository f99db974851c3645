"""Simulated apparatus that feeds stand-in instruments over the same protocol as real boards.

One file a rig. A rig is a physical model with imperfections; `server` puts its instruments on
TCP ports; `python -m galena.instruments.rigs NAME` is such a process.
"""

from galena.instruments.rigs.base import Rig
from galena.instruments.rigs.tide_tank import TideTank

RIGS: dict[str, type[Rig]] = {TideTank.key: TideTank}
