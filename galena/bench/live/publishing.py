"""Tells those who watch what the bench reads: readings as they come, the strips, and the rigs."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import operator
from collections.abc import Callable
from typing import TYPE_CHECKING

from galena.bench.live import strips
from galena.bench.live.batches import batch_of
from galena.instruments.errors import InstrumentError

if TYPE_CHECKING:
    from galena.bench.live.bench import Bench

PUBLISH_EVERY = 0.032  # traces are drawn thirty times a second
STRIPS_EVERY = 3  # publishings: a little more than ten times a second
LOOK_EVERY = 30  # publishings: about a second
RETIRE_EVERY = 300  # publishings: about ten seconds
PAGES_COME_BACK = 60.0  # seconds in which a page that was loaded again goes on
log = logging.getLogger(__name__)


class Publisher:
    """Publishes on the bench's hub, from the event loop."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.further: list[Callable[[], None]] = []  # what else publishes, after the bench
        self._asking_rigs: asyncio.Task[None] | None = None
        self._looking: asyncio.Task[None] | None = None

    async def publish_forever(self) -> None:
        turn = 0
        clock = asyncio.get_running_loop().time
        due = clock()
        while True:
            due = max(due + PUBLISH_EVERY, clock())  # in step, but never to catch up
            await asyncio.sleep(due - clock())
            turn += 1
            try:
                self._publish_readings()
                if turn % STRIPS_EVERY == 0:
                    self._publish_strips()
                    self._ask_rigs()
                if turn % LOOK_EVERY == 0:
                    self._look_for_new()
                if turn % RETIRE_EVERY == 0:
                    await self._retire_closed_pages()
                for further in self.further:
                    further()
            except Exception:
                log.exception("The live feed stumbled; it goes on with the next readings.")

    def _look_for_new(self) -> None:
        """Look at what is plugged in, without waiting for it: the system may take its time."""
        if self._looking is None or self._looking.done():
            looking = asyncio.to_thread(self.bench.look_for_new)
            self._looking = asyncio.get_running_loop().create_task(looking)

    async def _retire_closed_pages(self) -> None:
        """Let go of the instruments of pages that were closed: each keeps a thread."""
        for feed in list(self.bench.feeds.values()):
            link = feed.link
            closed = link.address.kind == "browser" and link.state.health == "gone"
            if closed and not link.is_recording and link.quiet_for > PAGES_COME_BACK:
                await asyncio.to_thread(self.bench.retire, feed)

    def _publish_readings(self) -> None:
        watched = [pk for pk in list(self.bench.setups) if self.bench.hub.wanted(f"readings:{pk}")]
        for feed in list(self.bench.feeds.values()):
            unsent = feed.take_unsent()
            if not unsent or not feed.is_live:
                continue
            for pk in watched:
                batch = batch_of(feed, unsent, self.bench.setups.get(pk, {}))
                if batch is not None:
                    self.bench.hub.publish(f"readings:{pk}", "readings", batch)

    def _publish_strips(self) -> None:
        for pk in list(self.bench.setups):
            if self.bench.hub.wanted(f"strips:{pk}"):
                self.bench.hub.publish(f"strips:{pk}", "strips", self.strips_now(pk))

    def strips_now(self, experiment_id: int) -> dict:
        shown = self.bench.setups.get(experiment_id, {})
        read, states = [], {}
        for feed in self.bench.feeds_shown_in(experiment_id):
            of_feed = strips.read(feed, shown) if feed.is_live else []
            states[str(feed.key)] = strips.state_of(feed, of_feed)
            read += of_feed
        tolerance = self.bench.tolerances.get(experiment_id)
        compared = {} if tolerance is None else strips.matched(read, tolerance)
        listed = [
            strips.as_data(one) | {"match": compared.get(one.shown.channel.pk)} for one in read
        ]
        return {"strips": listed, "states": states, "shape": self.bench.shape(experiment_id)}

    def _ask_rigs(self) -> None:
        """Have the rigs that someone looks at asked how they are, without waiting for it."""
        wanted = [
            key for key in list(self.bench.room.plugged) if self.bench.hub.wanted(f"rig:{key}")
        ]
        if wanted and (self._asking_rigs is None or self._asking_rigs.done()):
            self._asking_rigs = asyncio.get_running_loop().create_task(self._tell_rigs(wanted))

    async def _tell_rigs(self, keys: list[str]) -> None:
        for key in keys:
            rig = self.bench.room.plugged.get(key)
            with contextlib.suppress(InstrumentError, ValueError):
                if rig is not None:
                    state = await asyncio.to_thread(operator.attrgetter("state"), rig)
                    self.bench.hub.publish(f"rig:{key}", "rig", {"key": key, "state": state})

    async def stop(self) -> None:
        """Wait for no rig and no port any more."""
        for task in (self._asking_rigs, self._looking):
            if task is not None:
                task.cancel()
                with contextlib.suppress(asyncio.CancelledError):
                    await task
