"""Two instruments on one clock: a clap that passes two horns a known time apart."""

import threading

import numpy as np

from galena.instruments import address
from galena.instruments.link import Link
from galena.instruments.rigs.process import RigProcess
from galena.instruments.rigs.two_horns import SPEED
from tests.waiting import until

RATE = 10_000.0
APART = 1.2  # m


class Recording:
    def __init__(self, where):
        self.stamps, self.values = [], []
        self.link = Link(address.parse(where), lambda *_: None)
        self.link.start()
        until(lambda: self.link.state.health == "well", "a horn")

    def start(self):
        self.link.restart(RATE, self)

    def __call__(self, link, block, stream):
        self.stamps.append(block.stamps)
        self.values.append(block.values[:, 0])

    def arrival(self):
        """The device's clock when the clap rose to a third of its peak, in µs, between readings."""
        stamps, p = np.concatenate(self.stamps), np.concatenate(self.values)
        level = p.max() / 3
        after = int(np.flatnonzero(p > level)[0])
        pair = slice(after - 1, after + 1)
        return np.interp(level, p[pair], stamps[pair].astype(float))

    @property
    def loud(self):
        return bool(self.values) and np.abs(np.concatenate(self.values)).max() > 1


def test_the_known_difference_of_arrival_comes_out_within_a_sample():
    with RigProcess("two_horns", seed=9) as rig:
        horns = [Recording(where) for where in rig.addresses]
        horns[0].link.request(f"RIG:SET apart,{APART}")
        starters = [threading.Thread(target=horn.start) for horn in horns]
        for one in starters:
            one.start()
        for one in starters:
            one.join()
        until(lambda: all(sum(map(len, one.stamps)) > 3000 for one in horns), "readings")
        horns[0].link.request("RIG:SET clap,1")
        until(lambda: all(horn.loud for horn in horns), "the clap")
        clocks = [horn.link.clock.estimate() for horn in horns]
        heard = [horn.arrival() for horn in horns]
        for horn in horns:
            horn.link.stop()
    assert abs(heard[1] - heard[0]) > 500_000  # the clocks themselves are far apart
    hosts = [clock.host_at(at) for clock, at in zip(clocks, heard, strict=True)]
    unknown = sum(np.sqrt(3) * clock.u_us for clock in clocks) / 1e6  # half of each round trip
    assert abs((hosts[1] - hosts[0]) / 1e6 - APART / SPEED) <= 1 / RATE + unknown
