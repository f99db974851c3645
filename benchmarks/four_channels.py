"""A rig with instruments of four channels at up to 10 kHz, for benchmarks and tests only.

`python -m benchmarks.four_channels [how many]` serves them and prints their addresses.
"""

import asyncio
import sys

import numpy as np

from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn
from galena.instruments.rigs.server import RigServer


def swell_gauge(number: int) -> StandIn:
    """Make an instrument of four channels."""
    sensors = (
        Sensor(ChannelFacts(f"u{n}", f"swell {n}", f"u_{n}", "V", -5, 5, 0.001, 10_000), 0.01)
        for n in range(4)
    )
    return StandIn(Identity("Skerry Works", "Swell gauge", f"{number:04}", "1.0"), tuple(sensors))


class FourChannels(Rig):
    """Four sines of different phase."""

    key = "four_channels"
    name = "Four channels"
    handles = (Handle("none", "none", "", 0, 1, 1),)
    stand_ins = (swell_gauge(4),)

    def begin(self):
        return {"phase": 0.0}

    def step(self, state, seconds):
        return {"phase": state["phase"] + seconds}

    def truth(self, source, times, tracks):
        return np.sin(6.3 * tracks["phase"] + int(source[1:]))


async def main() -> None:
    """Serve until standard input closes."""
    rig = FourChannels(1)
    if sys.argv[1:]:
        rig.stand_ins = tuple(swell_gauge(number) for number in range(int(sys.argv[1])))
    server = RigServer(rig)
    print("ready", *await server.open("127.0.0.1", []), flush=True)
    await asyncio.to_thread(sys.stdin.read)


if __name__ == "__main__":
    asyncio.run(main())
