"""A rig with one instrument of four channels at up to 10 kHz, for the benchmarks only.

`python -m benchmarks.four_channels` serves it and prints its address.
"""

import asyncio
import sys

import numpy as np

from galena.instruments.protocol import ChannelFacts, Identity
from galena.instruments.rigs.base import Handle, Rig, Sensor, StandIn
from galena.instruments.rigs.server import RigServer


class FourChannels(Rig):
    """Four sines of different phase."""

    key = "four_channels"
    name = "Four channels"
    handles = (Handle("none", "none", "", 0, 1, 1),)
    stand_ins = (
        StandIn(
            Identity("Skerry Works", "Swell gauge", "0004", "1.0"),
            tuple(
                Sensor(
                    ChannelFacts(f"u{n}", f"swell {n}", f"u_{n}", "V", -5, 5, 0.001, 10_000), 0.01
                )
                for n in range(4)
            ),
        ),
    )

    def begin(self):
        return {"phase": 0.0}

    def step(self, state, seconds):
        return {"phase": state["phase"] + seconds}

    def truth(self, source, times, tracks):
        return np.sin(6.3 * tracks["phase"] + int(source[1:]))


async def main() -> None:
    """Serve until standard input closes."""
    server = RigServer(FourChannels(1))
    print("ready", *await server.open("127.0.0.1", []), flush=True)
    await asyncio.to_thread(sys.stdin.read)


if __name__ == "__main__":
    asyncio.run(main())
