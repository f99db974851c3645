"""Makes runs through the recorder's own storage, with readings that a test knows."""

import numpy as np

from galena.bench.channel_display import display
from galena.bench.flows import channels_of, register
from galena.core.plans import SteadyPlan
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.recording import flows
from galena.recording.acquisition.taking import Batch

GAUGE = Identity("Skerry Works", "Level gauge LG-1", "0007", "1.0")
LEVEL = ChannelFacts("h", "water level", "h", "mm", -20.0, 520.0, 0.1, 1000.0)


def channel(facts=LEVEL, identity=GAUGE):
    """Give a channel of an instrument that the bench has seen."""
    made = register(identity, (facts,))[0]
    return next(one for one in channels_of(made.instrument_id) if one.pk == made.pk)


def run(
    experiment, y, *, rate=10.0, conditions=(), note="", facts=LEVEL, identity=GAUGE, chunk=100
):
    """Store a finished run with these raw readings at a steady rate from t = 0 on."""
    y = np.asarray(y, dtype=float)
    stamps = np.round(np.arange(y.size) * 1e6 / rate).astype(np.int64) + 5_000_000
    held = dict(zip([one.pk for one in experiment.conditions.all()], conditions, strict=False))
    plan = SteadyPlan(rate, max(y.size / rate, 1 / rate))
    key = channel(facts, identity).pk
    shown = display.channels(experiment, [key])[key]
    made, (stored,) = flows.begin_run(experiment, plan, [[shown]], held, note, experiment.owner)
    for first in range(0, y.size, chunk):
        part = slice(first, first + chunk)
        flows.write([(stored, 5_000_000, Batch(first, stamps[part], y[part, None]))])
    flows.end_run(made, "", [flows.StreamEnd(stored, 0, 0, 5_000_000, 1.0)])
    made.refresh_from_db()
    return made


def ramp(count=200, rate=10.0, slope=2.0, noise=0.2, seed=1):
    """Readings of a level that rises steadily, with noise."""
    t = np.arange(count) / rate
    return slope * t + 5 + np.random.default_rng(seed).normal(0, noise, count)
